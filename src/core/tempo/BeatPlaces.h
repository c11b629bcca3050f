#pragma once

#include "core/tempo/BandAttacks.h"

#include <span>
#include <vector>

namespace orthochron {

// A beat, laid where what is played says.
struct PlacedBeat {
    Seconds at;
    double support = 0.0;  // 0..1: whether something begins there
    Seconds off;           // by which what begins there is after it; 0 where nothing does
};

// Lays beats known to about 10 ms on the attacks that made them. Several attacks of one beat have their
// weighed mean, those of the higher bands before those of the lower; players scatter, so the beats' own
// evenness speaks too: a line that bends as little as it must, except where the tempo turns at once.
// `beats` and `attacks` ascend. At least three beats, otherwise they stay where they are.
[[nodiscard]] std::vector<PlacedBeat>
placeBeats(std::span<const Seconds> beats, std::span<const BandAttack> attacks);

}  // namespace orthochron
