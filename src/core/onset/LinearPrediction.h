#pragma once

#include <array>
#include <cstddef>
#include <span>
#include <vector>

namespace orthochron {

// Linear prediction: what rings goes on as it did, what nothing before leads to is new.
struct LinearPrediction {
    static constexpr std::size_t kOrder = 12;  // resolves a few ringing modes at any rate

    // x[n] is about the sum of coefficients[k] * x[n - 1 - k].
    std::array<double, kOrder> coefficients{};

    // The one that leaves the least of some samples, forwards and backwards (Burg 1975), of as many
    // orders as leave more than what computing leaves by itself. Cost: kOrder products for each sample.
    [[nodiscard]] static LinearPrediction of(std::span<const float> samples);

    // What is left of samples [from, to) once it is taken away.
    [[nodiscard]] std::vector<double>
    leftOf(std::span<const float> samples, std::size_t from, std::size_t to) const;
};

}  // namespace orthochron
