#pragma once

#include "core/shape/SpeedLine.h"

#include <optional>

namespace orthochron {

// How one end of a clip comes from a standstill, or goes to one.
struct Spin {
    Frames length;
    double bend = 0.0;   // of the speed: over (> 0) the straight line or under it
    double speed = 0.0;  // at the clip's very end: 0 to 4

    bool operator==(const Spin&) const = default;
};

// The spins of a clip.
struct Spins {
    std::optional<Spin> up;    // at its start
    std::optional<Spin> down;  // at its end
    bool followsLevel = true;  // the level falls with the speed

    bool operator==(const Spins&) const = default;
};

// The speed line of a clip from `begin` to `end`, sound time: what is between its spins is heard where
// it was. Empty without spins. Errors: BadArgument for spins longer than the clip, of no length, or
// a speed that cannot be.
[[nodiscard]] Result<SpeedLine> speedOf(const Spins& spins, Frames begin, Frames end);

// The spins a speed line has there; none of a line that was not made of them.
[[nodiscard]] Spins spinsOf(const SpeedLine& line, Frames begin, Frames end);

}  // namespace orthochron
