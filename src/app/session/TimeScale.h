#pragma once

#include "core/time/Units.h"

#include <algorithm>
#include <cmath>

namespace orthochron::app {

// Where song time falls on the screen: plain arithmetic. `left` is the song time at x = 0.
struct TimeScale {
    double left = 0.0;  // frames
    double framesPerPixel = 512.0;

    [[nodiscard]] double xOf(Frames songTime) const
    {
        return (static_cast<double>(songTime.count()) - left) / framesPerPixel;
    }
    [[nodiscard]] Frames timeAt(double x) const
    {
        return Frames(static_cast<std::int64_t>(std::llround(left + x * framesPerPixel)));
    }
    // Zooms by `factor` (above 1 is closer) so that the time at `x` stays where it is.
    void zoom(double factor, double x)
    {
        constexpr double kClosest = 1.0 / 16.0;  // sixteen pixels a sample
        constexpr double kFurthest = 1 << 17;
        const double held = left + x * framesPerPixel;
        framesPerPixel = std::clamp(framesPerPixel / factor, kClosest, kFurthest);
        left = held - x * framesPerPixel;
    }
};

}  // namespace orthochron::app
