#pragma once

#include <cstddef>
#include <cstdint>
#include <span>
#include <vector>

// Holding what gives way at a join against what comes, for one microphone.
namespace orthochron {

// Running sums of two layers of equal length: the sums over frames [from, to) are the differences
// of [to] and [from].
struct Layers {
    std::vector<double> same;         // of a*b
    std::vector<double> powerBefore;  // of a*a
    std::vector<double> powerAfter;   // of b*b

    struct Sums {
        double same = 0.0;
        double before = 0.0;
        double after = 0.0;
    };
    [[nodiscard]] Sums over(std::size_t from, std::size_t to) const
    {
        return {
            same[to] - same[from],
            powerBefore[to] - powerBefore[from],
            powerAfter[to] - powerAfter[from]};
    }
};
[[nodiscard]] Layers layersOf(std::span<const float> a, std::span<const float> b);

// How ill two layers of `length` frames go over into each other: the power of their difference
// against `loud`, the power of what is heard next.
[[nodiscard]] double mismatchOf(const Layers::Sums& sums, double length, double loud);
// How far they are each other's opposite, which leaves a dip no gain can fill; 0..0.9.
[[nodiscard]] double cancellingOf(const Layers::Sums& sums, double length, double loud);

// The correlation of two stretches of sound; 1 for silence against silence.
[[nodiscard]] double correlationOf(std::span<const float> a, std::span<const float> b);

// Hops looked back at when an attack is looked out for.
constexpr std::int64_t kQuietHops = 8;

// Adds to `attacks`, hop by hop, how much attack each holds: the power of the sample-to-sample
// change (which favours the high sounds that begin sharply), where it rises far above the hops
// before; 1 where it is as much as `loud`.
void addAttacks(
    std::vector<double>& attacks, std::span<const float> sound, std::size_t hop, double loud
);

[[nodiscard]] double meanPower(std::span<const float> sound);
// Of the sample-to-sample change; never 0.
[[nodiscard]] double meanChange(std::span<const float> sound);

}  // namespace orthochron
