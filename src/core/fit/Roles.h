#pragma once

#include "core/fit/Performance.h"

#include <functional>

namespace orthochron {

// How long the grid's step is at a song time.
using StepAt = std::function<Seconds(Seconds songTime)>;

// Sorts the hits by start and decides which are main and which are attached to which. Sets role and
// main of each; nothing else.
[[nodiscard]] std::vector<JudgedHit>
assignRoles(std::vector<PlayedHit> hits, const StepAt& stepAt, Hertz rate);

// Blows of two leads this close are one moment.
constexpr Seconds kOneMoment = milliseconds(20.0);

}  // namespace orthochron
