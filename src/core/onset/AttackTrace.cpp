#include "core/onset/AttackTrace.h"

#include "core/onset/AttackLevels.h"

#include <algorithm>
#include <cmath>
#include <numbers>

namespace orthochron {

AttackTrace traceOf(std::span<const float> samples, Hertz rate, Frames centre)
{
    constexpr std::array<double, AttackTrace::kListenings> kCorner{
        150.0, 400.0, 0.0};  // Hz, brightened above it
    constexpr std::array<int, AttackTrace::kListenings> kSlopes{1, 2, 0};
    constexpr double kInaudible = 1e-13;
    AttackTrace trace;
    const auto size = static_cast<std::int64_t>(samples.size());
    const double step = AttackTrace::kStep.count() * rate.count();
    const auto frameOf = [&](std::size_t n) {
        const double from = static_cast<double>(n) - static_cast<double>(AttackTrace::kBefore);
        return centre.count() + std::llround(from * step);
    };
    for (std::size_t l = 0; l < AttackTrace::kListenings; ++l) {
        const double zero = std::exp(-2.0 * std::numbers::pi * kCorner[l] / rate.count());
        for (std::size_t n = 0; n < AttackTrace::kSteps; ++n) {
            double power = 0.0;
            const std::int64_t first = std::max<std::int64_t>(frameOf(n), 2);
            const std::int64_t last = std::min<std::int64_t>(frameOf(n + 1), size);
            for (std::int64_t k = first; k < last; ++k) {
                const auto at = static_cast<std::size_t>(k);
                const auto x = [&](std::size_t back) {
                    return static_cast<double>(samples[at - back]);
                };
                // Each slope takes away a part of what was just before.
                const double bright = kSlopes[l] == 0 ? x(0)
                                      : kSlopes[l] == 1
                                          ? x(0) - zero * x(1)
                                          : x(0) - 2.0 * zero * x(1) + zero * zero * x(2);
                power += bright * bright;
            }
            const double decibels = decibelsOf(power / std::max(step, 1.0) + kInaudible) -
                                    static_cast<double>(AttackTrace::kLowest);
            trace.levels[l][n] = static_cast<std::uint8_t>(std::clamp(
                std::lround(decibels / static_cast<double>(AttackTrace::kHalf)), 0L, 255L
            ));
        }
    }
    return trace;
}

}  // namespace orthochron
