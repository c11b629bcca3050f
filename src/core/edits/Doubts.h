#pragma once

#include "core/edits/MarkEdits.h"

#include <span>
#include <vector>

namespace orthochron {

// From here on a hit is as good as certain.
inline constexpr double kSureOfHit = 0.9;

// A mark of which it is not sure that it is a hit, or a place without one where there may be one.
struct DoubtfulHit {
    TrackId track;
    MarkId mark;              // none where a hit may be missing
    Frames at;                // take time
    double confidence = 0.0;  // of there being a hit
    double strength = 0.0;
    Doubt why = Doubt::Unclear;
    double rise = 0.0;       // dB above what rang before
    Seconds since{1.0};      // the blow before it; 1 s at the most
    double owed = 0.0;       // dB: what that still rings with, above it
    double overBleed = 0.0;  // dB: what is the lead's own against what is not
    TrackId against;         // the lead that was surely hit then, if there is one
    bool isKnown = false;    // the four figures and the reason are: hits were found since opening

    [[nodiscard]] bool isMissing() const { return mark == MarkId(); }
    bool operator==(const DoubtfulHit&) const = default;
};

// Two doubts that one may decide together: on one lead, for one reason.
[[nodiscard]] bool isOneKind(const DoubtfulHit& a, const DoubtfulHit& b);

// All that is doubtful on the leads of a set, that which is most likely wrong first: marks less
// than 0.9 sure, and from 0.1 on what was left out. What was decided by hand is not among it.
// Without an analysis (a song just opened) marks alone are known, and not why.
[[nodiscard]] std::vector<DoubtfulHit>
doubtfulHits(const Song& song, SetId id, const SetAnalysis* analysis);

// Each is a hit: its mark is confirmed, or one is added. Errors: BadArgument when one is gone.
[[nodiscard]] Result<Song> keepHits(const Song& song, std::span<const DoubtfulHit> doubts);
// None of them is: marks go, and no detection puts one there again. Errors: as for keepHits.
[[nodiscard]] Result<Song> dismissHits(const Song& song, std::span<const DoubtfulHit> doubts);

}  // namespace orthochron
