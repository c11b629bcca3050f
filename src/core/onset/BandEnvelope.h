#pragma once

#include "core/time/Units.h"

#include <array>
#include <span>
#include <vector>

namespace orthochron {

constexpr int kBands = 4;
using BandLevels = std::array<float, kBands>;

// The mean square of a channel in four bands (about 40-180, 180-900, 900-4500 Hz and above), one
// value for each hop of a millisecond. hop n covers the frames [n * hopFrames, (n+1) * hopFrames).
struct BandEnvelope {
    Frames hopFrames{48};
    std::vector<BandLevels> hops;

    [[nodiscard]] Frames frameOf(std::int64_t hop) const { return hopFrames * hop; }
    [[nodiscard]] std::int64_t hopOf(Frames frame) const
    {
        return frame.count() / hopFrames.count();
    }
    // Mean square in one band over the hops [from, to), clamped to what there is; 0 when empty.
    [[nodiscard]] double mean(int band, std::int64_t from, std::int64_t to) const;
};

// Linear in the samples; each band is a high and a low pass of second order (Butterworth).
[[nodiscard]] BandEnvelope bandEnvelopeOf(std::span<const float> samples, Hertz rate);

}  // namespace orthochron
