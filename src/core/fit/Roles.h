#pragma once

#include "core/fit/Performance.h"

namespace orthochron {

// Sorts the hits by start and decides which are main and which are attached to which. `step` is
// the grid's step where they are played. Sets role and main of each; nothing else.
[[nodiscard]] std::vector<JudgedHit>
assignRoles(std::vector<PlayedHit> hits, Seconds step, Hertz rate);

// Blows of two leads this close are one moment.
constexpr Seconds kOneMoment = milliseconds(20.0);

}  // namespace orthochron
