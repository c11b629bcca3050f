#pragma once

#include <cmath>
#include <cstdint>
#include <numbers>

namespace orthochron::demo {

// A small generator whose numbers are the same everywhere (splitmix64, Steele et al. 2014); the
// standard library leaves its distributions open.
class Random {
public:
    explicit Random(std::uint64_t seed) : state_(seed) {}

    // Evenly spread in [0, 1).
    double even()
    {
        state_ += 0x9E3779B97F4A7C15ULL;
        std::uint64_t z = state_;
        z = (z ^ (z >> 30U)) * 0xBF58476D1CE4E5B9ULL;
        z = (z ^ (z >> 27U)) * 0x94D049BB133111EBULL;
        return static_cast<double>((z ^ (z >> 31U)) >> 11U) * 0x1p-53;
    }
    double between(double low, double high) { return low + (high - low) * even(); }
    // Mean 0, standard deviation 1 (Box and Muller 1958).
    double bell()
    {
        const double radius = std::sqrt(-2.0 * std::log(1.0 - even()));
        return radius * std::cos(2.0 * std::numbers::pi * even());
    }

private:
    std::uint64_t state_;
};

}  // namespace orthochron::demo
