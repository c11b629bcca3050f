#pragma once

#include "core/onset/BandEnvelope.h"

#include <array>
#include <vector>

namespace orthochron {

using BandPowers = std::array<double, kBands>;

// How long after a moment its level is read, and over how long the past is smoothed: a low band
// swings with its own period.
inline constexpr std::array<std::int64_t, kBands> kWindowHops{8, 4, 3, 3};

[[nodiscard]] double decibelsOf(double power);  // -140 dB at the least
[[nodiscard]] double sumOf(const BandPowers& powers);

// The value that `part` (0..1) of them lie below; 0 of none.
[[nodiscard]] double percentile(std::vector<double> values, double part);

// The level of the loud blows: not the loudest of all, which may be one rim shot, but near it,
// since a tom may be struck a dozen times in a song full of bleed. 0 of none.
[[nodiscard]] double loudOf(std::vector<double> powers);

// Twice the level that a tenth of the channel stays under, in each band.
[[nodiscard]] BandLevels noiseFloor(const BandEnvelope& envelope);

// In one band: how many times the power of the loudest of the last 25 ms the next moments have, for each of
// the `count` hops from `first` on; 0 outside the recording. `floor` is that of the noise.
[[nodiscard]] std::vector<float> risesIn(
    const BandEnvelope& envelope,
    std::size_t band,
    double floor,
    std::int64_t first,
    std::int64_t count
);

// The power an attack at `hop` adds in each band.
[[nodiscard]] BandPowers attackPowers(const BandEnvelope& envelope, std::int64_t hop);

// The most it adds within 6 ms of `hop`: another microphone may hear it sooner or later.
[[nodiscard]] BandPowers attackPowersAround(const BandEnvelope& envelope, std::int64_t hop);

}  // namespace orthochron
