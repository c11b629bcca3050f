#pragma once

#include <array>
#include <cstddef>
#include <cstring>
#include <span>

namespace orthochron {

namespace detail {

// The body of scalarProducts(), for whatever instructions the function it becomes a part of may use: the sums are the
// same with each.
template<std::size_t kProducts>
[[nodiscard, gnu::always_inline]] inline std::array<float, kProducts> sumsOfProducts(
    const std::array<const float*, kProducts>& a,
    const std::array<const float*, kProducts>& b,
    std::size_t length
)
{
    constexpr std::size_t kEight = 8;
    using EightFloats = float __attribute__((vector_size(32)));
    std::array<EightFloats, kProducts> sums{};
    std::size_t i = 0;
    for (; i + kEight <= length; i += kEight) {
        for (std::size_t n = 0; n < kProducts; ++n) {
            EightFloats one;
            EightFloats other;
            std::memcpy(&one, a[n] + i, sizeof(one));
            std::memcpy(&other, b[n] + i, sizeof(other));
            sums[n] += one * other;
        }
    }
    std::array<float, kProducts> products{};
    for (std::size_t n = 0; n < kProducts; ++n) {
        for (std::size_t lane = 0; lane < kEight; ++lane) {
            products[n] += sums[n][lane];
        }
        for (std::size_t k = i; k < length; ++k) {
            products[n] += a[n][k] * b[n][k];
        }
    }
    return products;
}

#if defined(__x86_64__)
template<std::size_t kProducts>
[[nodiscard, gnu::target("avx")]] std::array<float, kProducts> sumsOfProductsWide(
    const std::array<const float*, kProducts>& a,
    const std::array<const float*, kProducts>& b,
    std::size_t length
)
{
    return sumsOfProducts<kProducts>(a, b, length);
}

inline const bool kHasWide = __builtin_cpu_supports("avx") != 0;
#endif

}  // namespace detail

// For each n the sum of a[n][i] * b[n][i] over runs of one length. Eight sums side by side, and several products at
// once: one alone would wait for each of its additions. Each is the same whatever it is made together with, and by
// whatever processor.
template<std::size_t kProducts>
[[nodiscard]] std::array<float, kProducts> scalarProducts(
    const std::array<const float*, kProducts>& a,
    const std::array<const float*, kProducts>& b,
    std::size_t length
)
{
#if defined(__x86_64__)
    if (detail::kHasWide) {
        return detail::sumsOfProductsWide<kProducts>(a, b, length);
    }
#endif
    return detail::sumsOfProducts<kProducts>(a, b, length);
}

// One alone, of two runs of equal length.
[[nodiscard]] inline float scalarProduct(std::span<const float> a, std::span<const float> b)
{
    return scalarProducts<1>({a.data()}, {b.data()}, a.size())[0];
}

}  // namespace orthochron
