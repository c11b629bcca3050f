#pragma once

#include "core/base/SideBySide.h"

#include <array>
#include <cstddef>
#include <cstring>
#include <span>

namespace orthochron {

namespace detail {

// The body of scalarProducts(), for whatever instructions the function it becomes a part of may use: the sums are the
// same with each.
template<std::size_t kProducts, class T = float>
[[nodiscard, gnu::always_inline]] inline std::array<T, kProducts> sumsOfProducts(
    const std::array<const T*, kProducts>& a,
    const std::array<const T*, kProducts>& b,
    std::size_t length
)
{
    using Lanes = typename SideBySide<T>::Type;
    constexpr std::size_t kLanes = sizeof(Lanes) / sizeof(T);
    std::array<Lanes, kProducts> sums{};
    std::size_t i = 0;
    for (; i + kLanes <= length; i += kLanes) {
        for (std::size_t n = 0; n < kProducts; ++n) {
            Lanes one;
            Lanes other;
            std::memcpy(&one, a[n] + i, sizeof(one));
            std::memcpy(&other, b[n] + i, sizeof(other));
            sums[n] += one * other;
        }
    }
    std::array<T, kProducts> products{};
    for (std::size_t n = 0; n < kProducts; ++n) {
        for (std::size_t lane = 0; lane < kLanes; ++lane) {
            products[n] += sums[n][lane];
        }
        for (std::size_t k = i; k < length; ++k) {
            products[n] += a[n][k] * b[n][k];
        }
    }
    return products;
}

#if defined(__x86_64__)
template<std::size_t kProducts, class T>
[[nodiscard, gnu::target("avx")]] std::array<T, kProducts> sumsOfProductsWide(
    const std::array<const T*, kProducts>& a,
    const std::array<const T*, kProducts>& b,
    std::size_t length
)
{
    return sumsOfProducts<kProducts, T>(a, b, length);
}
#endif

}  // namespace detail

// For each n the sum of a[n][i] * b[n][i] over runs of one length. Several sums side by side (eight of floats, four of
// doubles), and several products at once: one alone would wait for each of its additions. Each is the same whatever it
// is made together with, and by whatever processor.
template<std::size_t kProducts, class T = float>
[[nodiscard]] std::array<T, kProducts> scalarProducts(
    const std::array<const T*, kProducts>& a,
    const std::array<const T*, kProducts>& b,
    std::size_t length
)
{
#if defined(__x86_64__)
    if (kHasWide) {
        return detail::sumsOfProductsWide<kProducts, T>(a, b, length);
    }
#endif
    return detail::sumsOfProducts<kProducts, T>(a, b, length);
}

// One alone, of two runs of equal length.
[[nodiscard]] inline float scalarProduct(std::span<const float> a, std::span<const float> b)
{
    return scalarProducts<1>({a.data()}, {b.data()}, a.size())[0];
}

}  // namespace orthochron
