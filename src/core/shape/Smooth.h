#pragma once

#include <algorithm>

namespace orthochron {

// From 0 to 1 with neither step nor kink nor jump of curvature at either end.
[[nodiscard]] inline double smooth(double part)
{
    const double x = std::clamp(part, 0.0, 1.0);
    return x * x * x * (x * (6.0 * x - 15.0) + 10.0);
}

}  // namespace orthochron
