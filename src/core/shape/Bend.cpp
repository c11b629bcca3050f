#include "core/shape/Bend.h"

#include <algorithm>
#include <cmath>

namespace orthochron {

namespace {

// x / (x + (1 - x) c): through 1 / (1 + c) at the middle, with finite slopes at both ends.
double weightOf(double bend)
{
    const double middle = 0.5 + 0.5 * std::clamp(bend, -kMostBend, kMostBend);
    return (1.0 - middle) / middle;
}

}  // namespace

double bentPart(double part, double bend)
{
    const double x = std::clamp(part, 0.0, 1.0);
    return bend == 0.0 ? x : x / (x + (1.0 - x) * weightOf(bend));
}

double bentArea(double part, double bend)
{
    const double x = std::clamp(part, 0.0, 1.0);
    const double c = weightOf(bend);
    if (const double off = 1.0 - c; std::abs(off) < 1e-4) {
        // Of nearly straight ones the closed form is a difference of great numbers.
        return 0.5 * x * x + off * (0.5 - x / 3.0) * x * x;
    }
    return x / (1.0 - c) - c / ((1.0 - c) * (1.0 - c)) * std::log((c + (1.0 - c) * x) / c);
}

double bendThrough(double part, double reached)
{
    const double x = std::clamp(part, 1e-3, 1.0 - 1e-3);
    const double y = std::clamp(reached, 1e-3, 1.0 - 1e-3);
    const double c = x * (1.0 - y) / (y * (1.0 - x));
    return std::clamp(2.0 / (1.0 + c) - 1.0, -kMostBend, kMostBend);
}

}  // namespace orthochron
