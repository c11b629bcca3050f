#pragma once

#include "core/tune/SungNotes.h"

#include <span>
#include <vector>

namespace orthochron {

// For each note, by how many octaves its pitch seems to have been found too low (positive) or too high;
// 0 for most. Seems so: it leaps by about an octave from what it touches, nothing else near lies as
// high or low, and moved it would lie among its neighbours. A singer may mean the leap, so
// it is only offered.
[[nodiscard]] std::vector<int> octaveDoubts(std::span<const SungNote> notes, Hertz rate);

}  // namespace orthochron
