#include "core/audio/ScalarProduct.h"

#include <gtest/gtest.h>

#include <algorithm>
#include <numeric>
#include <random>
#include <vector>

namespace orthochron {
namespace {

template<class T>
std::vector<T> anyValues(std::size_t count)
{
    std::mt19937 random(7);
    std::uniform_real_distribution<T> any(-1, 1);
    std::vector<T> values(count);
    std::ranges::generate(values, [&] { return any(random); });
    return values;
}

TEST(ScalarProducts, AreThoseOfEachAloneAtAnyLengthAndPlace)
{
    const auto values = anyValues<float>(400);
    const float* all = values.data();
    for (const std::size_t length : {0U, 1U, 7U, 8U, 9U, 64U, 203U}) {
        const auto products =
            scalarProducts<3>({all, all + 1, all + 50}, {all + 3, all + 101, all + 50}, length);
        const std::array<std::pair<std::size_t, std::size_t>, 3> places{
            {{0, 3}, {1, 101}, {50, 50}}};
        for (std::size_t n = 0; n < places.size(); ++n) {
            const std::span a(all + places[n].first, length);
            const std::span b(all + places[n].second, length);
            EXPECT_EQ(products[n], scalarProduct(a, b)) << length;
            // On a processor that adds eight at once as on one that does not.
            EXPECT_EQ(products[n], detail::sumsOfProducts<1>({a.data()}, {b.data()}, length)[0]);
            const double exact = std::transform_reduce(
                a.begin(),
                a.end(),
                b.begin(),
                0.0,
                std::plus<>(),
                [](float x, float y) { return static_cast<double>(x) * static_cast<double>(y); }
            );
            EXPECT_NEAR(static_cast<double>(products[n]), exact, 1e-5);
        }
    }
}

TEST(ScalarProducts, OfDoublesAreExactToADoublesLastDigits)
{
    const auto values = anyValues<double>(300);
    const double* all = values.data();
    for (const std::size_t length : {0U, 1U, 3U, 4U, 5U, 64U, 203U}) {
        const auto products =
            scalarProducts<2, double>({all, all + 9}, {all + 2, all + 77}, length);
        EXPECT_EQ(
            products,
            (detail::sumsOfProducts<2, double>({all, all + 9}, {all + 2, all + 77}, length))
        );
        EXPECT_NEAR(products[0], std::inner_product(all, all + length, all + 2, 0.0), 1e-12);
        EXPECT_NEAR(
            products[1], std::inner_product(all + 9, all + 9 + length, all + 77, 0.0), 1e-12
        );
    }
}

}  // namespace
}  // namespace orthochron
