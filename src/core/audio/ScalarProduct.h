#pragma once

#include <array>
#include <cstddef>
#include <span>

namespace orthochron {

// The sum of a[i] * b[i] over two runs of equal length. Eight sums side by side, which a compiler that
// keeps the order of additions can still make vectors of.
[[nodiscard]] inline float scalarProduct(std::span<const float> a, std::span<const float> b)
{
    constexpr std::size_t kLanes = 8;
    std::array<float, kLanes> sums{};
    const std::size_t whole = a.size() / kLanes * kLanes;
    for (std::size_t i = 0; i < whole; i += kLanes) {
        for (std::size_t lane = 0; lane < kLanes; ++lane) {
            sums[lane] += a[i + lane] * b[i + lane];
        }
    }
    float sum = 0.0F;
    for (const float lane : sums) {
        sum += lane;
    }
    for (std::size_t i = whole; i < a.size(); ++i) {
        sum += a[i] * b[i];
    }
    return sum;
}

}  // namespace orthochron
