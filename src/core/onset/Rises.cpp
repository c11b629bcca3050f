#include "core/onset/Rises.h"

#include <oneapi/tbb/parallel_for.h>

#include <algorithm>
#include <array>

namespace orthochron {

namespace {

constexpr std::int64_t kPeakHops = 8;     // a rise is the greatest this far around
constexpr float kLeastRise = 1.9952623F;  // 3 dB

}  // namespace

Result<std::vector<Rise>> risesOf(const BandEnvelope& envelope, const Work& work)
{
    const BandLevels floor = noiseFloor(envelope);
    const auto size = static_cast<std::int64_t>(envelope.size());
    std::vector<float> rise(envelope.size(), 0.0F);
    std::vector<std::uint8_t> strongest(envelope.size(), 0);
    std::array<std::vector<float>, kBands> ofBand;
    tbb::parallel_for(std::size_t{0}, std::size_t{kBands}, [&](std::size_t band) {
        if (!work.stopped()) {
            ofBand[band] = risesIn(envelope, band, static_cast<double>(floor[band]), 0, size);
        }
    });
    if (work.stopped()) {
        return cancelled();
    }
    for (std::size_t band = 0; band < kBands; ++band) {
        for (std::size_t n = 0; n < rise.size(); ++n) {
            if (ofBand[band][n] > rise[n]) {
                rise[n] = ofBand[band][n];
                strongest[n] = static_cast<std::uint8_t>(band);
            }
        }
    }
    std::vector<Rise> rises;
    for (std::int64_t n = 0; n < size; ++n) {
        const float here = rise[static_cast<std::size_t>(n)];
        if (here < kLeastRise) {
            continue;
        }
        bool isPeak = true;
        for (std::int64_t k = std::max<std::int64_t>(0, n - kPeakHops);
             k <= std::min(size - 1, n + kPeakHops) && isPeak;
             ++k) {
            const float there = rise[static_cast<std::size_t>(k)];
            isPeak = k < n ? there < here : there <= here;
        }
        if (isPeak) {
            const double decibels = decibelsOf(static_cast<double>(here));
            rises.push_back({n, decibels, strongest[static_cast<std::size_t>(n)]});
        }
    }
    return rises;
}

std::vector<std::int64_t> clearRises(const BandEnvelope& envelope, double decibels)
{
    std::vector<std::int64_t> hops;
    for (const Rise& rise : risesOf(envelope).value_or(std::vector<Rise>())) {
        if (rise.decibels >= decibels) {
            hops.push_back(rise.hop);
        }
    }
    return hops;
}

}  // namespace orthochron
