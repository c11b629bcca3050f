#pragma once

#include "core/onset/HeardAttacks.h"

#include <span>
#include <vector>

namespace orthochron {

// The drums that no microphone stands at (a ride, a crash): what all microphones hear of one's blow in the two high
// bands, the others 0. How loud it is is arbitrary.
//
// Close microphones hear such a drum all about alike, as they hear none of their own, and its soft strokes in the same
// proportions as its loud ones. What is struck together now and then keeps no proportion. So of the attacks that are
// soft everywhere those that are nearest to most others are sought; three microphones at least have to hear them.
// `noise`: of each microphone, see noiseFloor. `heard`: the attacks that stand out in the first one. `drums`: what all hear
// of each one's own drum.
[[nodiscard]] std::vector<Everywhere> unmikedDrums(
    std::span<const BandLevels> noise, const HeardAttacks& heard, std::span<const Everywhere> drums
);

}  // namespace orthochron
