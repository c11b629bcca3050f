#include "core/onset/AttackTrace.h"

#include <algorithm>
#include <cmath>
#include <numbers>
#include <numeric>
#include <vector>

namespace orthochron {

AttackTrace traceOf(std::span<const float> samples, Hertz rate, Frames centre)
{
    constexpr std::array<double, AttackTrace::kListenings> kCorner{
        150.0, 400.0, 0.0};  // Hz, brightened above it
    constexpr std::array<int, AttackTrace::kListenings> kSlopes{1, 2, 0};
    constexpr float kInaudible = 1e-13F;
    constexpr float kOfDoubling = 3.0103F;  // dB
    AttackTrace trace;
    const auto size = static_cast<std::int64_t>(samples.size());
    if (size <= 2) {
        return trace;
    }
    const double step = AttackTrace::kStep.count() * rate.count();
    const auto part = static_cast<float>(1.0 / std::max(step, 1.0));
    std::array<std::int64_t, AttackTrace::kSteps + 1> edges{};
    for (std::size_t n = 0; n < edges.size(); ++n) {
        const double from = static_cast<double>(n) - static_cast<double>(AttackTrace::kBefore);
        edges[n] = std::clamp<std::int64_t>(centre.count() + std::llround(from * step), 2, size);
    }
    const std::int64_t begin = edges.front();
    // With the two before the first.
    const std::span<const float> heard(
        samples.begin() + (begin - 2), samples.begin() + edges.back()
    );
    std::vector<float> powers(heard.size() - 2);
    for (std::size_t l = 0; l < AttackTrace::kListenings; ++l) {
        // Each slope takes away a part of what was just before.
        const double zero = std::exp(-2.0 * std::numbers::pi * kCorner[l] / rate.count());
        const auto before = static_cast<float>(kSlopes[l] * zero);
        const auto earlier = static_cast<float>(kSlopes[l] == 2 ? zero * zero : 0.0);
        for (std::size_t k = 0; k < powers.size(); ++k) {
            const float bright = heard[k + 2] - before * heard[k + 1] + earlier * heard[k];
            powers[k] = bright * bright;
        }
        for (std::size_t n = 0; n < AttackTrace::kSteps; ++n) {
            const float sum = std::accumulate(
                powers.begin() + (edges[n] - begin), powers.begin() + (edges[n + 1] - begin), 0.0F
            );
            const float decibels = kOfDoubling * std::log2(sum * part + kInaudible);
            // To the nearest half.
            const float above = decibels - AttackTrace::kLowest + AttackTrace::kHalf / 2.0F;
            trace.levels[l][n] =
                static_cast<std::uint8_t>(std::clamp(above / AttackTrace::kHalf, 0.0F, 255.0F));
        }
    }
    return trace;
}

}  // namespace orthochron
