#pragma once

#include "core/time/Units.h"

namespace orthochron {

inline constexpr Hertz kRate{48000.0};  // of what tests make up

[[nodiscard]] inline Frames atSeconds(double seconds)
{
    return toFrames(Seconds(seconds), kRate);
}

}  // namespace orthochron
