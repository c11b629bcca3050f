#pragma once

#include <array>
#include <cstddef>
#include <cstring>
#include <span>

namespace orthochron {

// Four neighbours, added and multiplied at once.
using FourFloats = float __attribute__((vector_size(16)));

[[nodiscard]] inline FourFloats fourFrom(const float* place)
{
    FourFloats four;
    std::memcpy(&four, place, sizeof(four));
    return four;
}

// For each n the sum of a[n][i] * b[n][i] over runs of one length. Eight sums side by side, and several products at
// once: one alone would wait for each of its additions. Each is the same whatever it is made together with.
template<std::size_t kProducts>
[[nodiscard]] std::array<float, kProducts> scalarProducts(
    const std::array<const float*, kProducts>& a,
    const std::array<const float*, kProducts>& b,
    std::size_t length
)
{
    constexpr std::size_t kFour = 4;
    std::array<FourFloats, kProducts> low{};
    std::array<FourFloats, kProducts> high{};
    std::size_t i = 0;
    for (; i + 2 * kFour <= length; i += 2 * kFour) {
        for (std::size_t n = 0; n < kProducts; ++n) {
            low[n] += fourFrom(a[n] + i) * fourFrom(b[n] + i);
            high[n] += fourFrom(a[n] + i + kFour) * fourFrom(b[n] + i + kFour);
        }
    }
    std::array<float, kProducts> products{};
    for (std::size_t n = 0; n < kProducts; ++n) {
        for (const FourFloats& sums : {low[n], high[n]}) {
            for (std::size_t lane = 0; lane < kFour; ++lane) {
                products[n] += sums[lane];
            }
        }
        for (std::size_t k = i; k < length; ++k) {
            products[n] += a[n][k] * b[n][k];
        }
    }
    return products;
}

// One alone, of two runs of equal length.
[[nodiscard]] inline float scalarProduct(std::span<const float> a, std::span<const float> b)
{
    return scalarProducts<1>({a.data()}, {b.data()}, a.size())[0];
}

}  // namespace orthochron
