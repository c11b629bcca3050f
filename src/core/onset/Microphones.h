#pragma once

#include "core/onset/StrengthCurve.h"

#include <optional>
#include <span>
#include <vector>

namespace orthochron {

// A microphone of a set, and how its hits are to be looked for if it is a lead.
struct HeardMicrophone {
    Channel channel;
    Frames
        offset;  // song minus take time: only those that run side by side are held against each other
    std::optional<OnsetSettings> lead;
};

// What was found on a lead, whatever the sensitivity: kept, so that moving a slider costs nothing.
struct LeadAnalysis {
    std::vector<OnsetCandidate> candidates;  // ascending
    StrengthCurve strengths;
};

// How much is heard as one: all microphones together, and the shortest part of a recording, which must be enough
// to learn how a drum sounds.
struct HeardAtOnce {
    Seconds together{1.5 * 3600.0};
    Seconds shortest{300.0};
};

// Finds every attack of the leads and weighs it against all microphones, in the order given; nothing for
// those that are no leads. In a band, or looking for weak attacks, a lead is heard by itself: what is
// asked for there may well be another microphone's own.
//
// What is longer than an hour and a half of one microphone is heard in parts one after the other, each with a little of its
// neighbours, and strengths are made the same for all: so no length and no number of microphones takes
// more memory than that.
// Errors: as analyseOnsets.
[[nodiscard]] Result<std::vector<LeadAnalysis>> analyseMicrophones(
    std::span<const HeardMicrophone> microphones,
    Hertz rate,
    const Work& work = {},
    const HeardAtOnce& most = {}
);

}  // namespace orthochron
