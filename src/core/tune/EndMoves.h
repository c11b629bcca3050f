#pragma once

#include "core/tune/Tuning.h"

#include <optional>
#include <span>
#include <vector>

namespace orthochron {

// How far the two ends of a note are to go.
struct EndMoves {
    Frames start;
    Frames end;

    bool operator==(const EndMoves&) const = default;
};

// No moving leaves a note shorter than this.
constexpr Seconds kLeastLeft = milliseconds(30.0);

// Moves the ends of those notes that have somewhere to go, as far as there is room; one that would be left too short
// stays where it is, and then the others make room for it too. One for each note.
void moveEnds(
    std::span<const std::optional<EndMoves>> by, Hertz rate, std::vector<NoteTuning>& asked
);

}  // namespace orthochron
