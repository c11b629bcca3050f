#pragma once

#include "core/edits/FitPlan.h"

#include <span>
#include <vector>

namespace orthochron {

class Sources;

// Where to cut what was recorded of a set, and how far apart what is left lies then: planJoins, with
// the set's own takes to listen to. Errors: the sources', or Cancelled.
[[nodiscard]] Result<std::vector<PlannedJoin>> cutsBetween(
    const std::vector<std::vector<Clip>>& recorded,
    std::span<const Anchor> anchors,
    const JoinSettings& joins,
    const Sources& sources,
    Hertz rate,
    const Work& work = {}
);

// The clips of each track of a set that is cut there: each run between two joins shows what was
// recorded there, moved as a whole, its ends crossfaded with the runs beside it. All that belongs to
// one run is one part. A set's end stays: it is filled from the spare when its audio moved away.
[[nodiscard]] std::vector<std::vector<Clip>> cutClips(
    const Song& song,
    const std::vector<std::vector<Clip>>& recorded,
    std::span<const PlannedJoin> cuts,
    FadeShape shape,
    NewIds& ids
);

// What was recorded may have joins of its own, made by hand before the first fit; where a cut falls
// into one of them its halves are joined anew.
void mendCutJoins(Song& song, const MicSet& set, const JoinSettings& joins);

}  // namespace orthochron
