#pragma once

#include "core/fit/Performance.h"

#include <vector>

namespace orthochron {

// Gives every main hit its grid line, over the whole performance, and every attached hit that of
// its main hit. Two main hits that end on one line become main and attached.
void assignLines(std::vector<JudgedHit>& hits, const Grid& grid, Hertz rate);

}  // namespace orthochron
