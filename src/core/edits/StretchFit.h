#pragma once

#include "core/edits/FitPlan.h"

#include <span>
#include <vector>

namespace orthochron {

// What stretching to these moves makes of recorded time: song time against it, pinned at every hit and
// at the set's beginning and end, which stay where they are unless a hit lies there. Moves that would
// change the order of hits are made as the one before.
[[nodiscard]] Result<TimeMap> stretchMap(
    const std::vector<std::vector<Clip>>& recorded, std::span<const Anchor> anchors, Hertz rate
);

// The clips of each track of a set whose hits are moved by stretching what lies between them: each
// shows what the recorded one showed, of a sound that is pinned where hits were moved to. Where a
// take was recorded stretched already, both are one map then. All that were laid alike share one
// treatment. Spins stay at the ends of their clips; hits within them are not moved.
// Errors: BadArgument for a reversed clip, one with a speed line, and for tape, with which a fit would be out of tune.
[[nodiscard]] Result<std::vector<std::vector<Clip>>> stretchedClips(
    const Song& song,
    const MicSet& set,
    const std::vector<std::vector<Clip>>& recorded,
    std::span<const Anchor> anchors,
    Material material,
    NewIds& ids
);

// Has every channel a clip plays listened to when it is decided where a sound is spliced; `offset` is
// the clip's take time less that of the treated take, at one moment.
void addWitnesses(Treatment& treatment, const Song& song, const Clip& clip, Frames offset);

}  // namespace orthochron
