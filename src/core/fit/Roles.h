#pragma once

#include "core/fit/Performance.h"

#include <functional>
#include <vector>

namespace orthochron {

// What the grid is like at a song time.
struct GridThere {
    Seconds step;        // how long one is
    double steps = 0.0;  // since its bar began
};
using GridAt = std::function<GridThere(Seconds songTime)>;

// Sorts the hits by start and decides which are main and which are attached to which. Sets role and
// main of each; nothing else.
[[nodiscard]] std::vector<JudgedHit>
assignRoles(std::vector<PlayedHit> hits, const GridAt& gridAt, Hertz rate);

// Blows of two leads this close are one moment.
constexpr Seconds kOneMoment = milliseconds(20.0);

}  // namespace orthochron
