#include "core/joins/Crossfade.h"

#include <fmt/format.h>

#include <algorithm>
#include <cmath>
#include <numbers>

namespace orthochron {

namespace {

// Sides more opposed than this are lifted no further: 6 dB in the middle of the crossfade.
constexpr double kMostOpposed = -0.75;

}  // namespace

FadeGains fadeGains(FadeShape shape, double correlation, double place)
{
    const double x = std::clamp(place, 0.0, 1.0);
    switch (shape) {
    case FadeShape::EqualGain: return {1.0 - x, x};
    case FadeShape::EqualPower: {
        const double angle = x * std::numbers::pi / 2.0;
        return {std::cos(angle), std::sin(angle)};
    }
    case FadeShape::Matched: break;
    }
    const double alike = std::clamp(correlation, kMostOpposed, 1.0);
    const double power = (1.0 - x) * (1.0 - x) + x * x + 2.0 * alike * x * (1.0 - x);
    const double scale = 1.0 / std::sqrt(power);
    return {(1.0 - x) * scale, x * scale};
}

Result<FadeShape> parseFadeShape(std::string_view word)
{
    for (const FadeShape shape :
         {FadeShape::EqualPower, FadeShape::EqualGain, FadeShape::Matched}) {
        if (word == fadeShapeWord(shape)) {
            return shape;
        }
    }
    return badArgument(
        fmt::format("unknown crossfade shape '{}'; use matched, equal-power or equal-gain", word)
    );
}

std::string_view fadeShapeWord(FadeShape shape)
{
    switch (shape) {
    case FadeShape::EqualPower: return "equal-power";
    case FadeShape::EqualGain: return "equal-gain";
    case FadeShape::Matched: break;
    }
    return "matched";
}

}  // namespace orthochron
