#pragma once

#include "core/audio/Channel.h"
#include "core/base/Work.h"
#include "core/pitch/PitchFrame.h"

#include <vector>

namespace orthochron {

struct PitchSettings {
    Hertz low{50.0};
    Hertz high{1200.0};

    bool operator==(const PitchSettings&) const = default;
};

// The pitch of one voice or instrument that sounds one note at a time, every 5 ms.
//
// Candidates are the dips of the cumulative mean normalised difference function (de Cheveigne and
// Kawahara 2002) at about 8 kHz; the path through them is the cheapest (Viterbi 1967), where leaping
// and beginning cost something and rough sounds are no pitch; each is then placed to a fraction of a
// sample in the recording itself, on about two periods around the moment. What speaks at a
// harmonic of its note at first is taken in (StrayHarmonics).
//
// `rate` is 8000..192000 Hz. Errors: the channel's; BadArgument for a rate or range that cannot be,
// Cancelled. Reads in passes of half a minute: what stays of an hour is 12 MB.
[[nodiscard]] Result<std::vector<PitchFrame>> pitchOf(
    const Channel& channel, Hertz rate, const PitchSettings& settings = {}, const Work& work = {}
);
// The same where it is asked for, frame by frame of the curve, and beyond the last that is named; elsewhere
// there is no pitch.
[[nodiscard]] Result<std::vector<PitchFrame>> pitchWhere(
    const std::vector<bool>& asked,
    const Channel& channel,
    Hertz rate,
    const PitchSettings& settings = {},
    const Work& work = {}
);

}  // namespace orthochron
