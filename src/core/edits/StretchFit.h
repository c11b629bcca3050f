#pragma once

#include "core/edits/FitPlan.h"

namespace orthochron {

// The clips of each track of a set whose hits are moved by stretching what lies between them: each
// shows what the recorded one showed, of a sound that is pinned where hits were moved to. Where a
// take was recorded stretched already, both are one map then. All that were laid alike share one
// treatment. The set's beginning and end stay where they are unless a hit lies there.
// Moves that would change the order of hits are made as the one before.
// Errors: BadArgument for a reversed clip, and for tape, with which a fit would be out of tune.
[[nodiscard]] Result<std::vector<std::vector<Clip>>> stretchedClips(
    const Song& song,
    const MicSet& set,
    const std::vector<std::vector<Clip>>& recorded,
    std::span<const Anchor> anchors,
    Material material,
    NewIds& ids
);

}  // namespace orthochron
