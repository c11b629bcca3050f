#include "core/onset/Rises.h"

#include <oneapi/tbb/parallel_for.h>

#include <algorithm>

namespace orthochron {

namespace {

constexpr std::int64_t kPeakHops = 8;     // a rise is the greatest this far around
constexpr float kLeastRise = 1.9952623F;  // 3 dB

constexpr std::int64_t kHopsOfBlock = 4096;

constexpr float kBroadRise = 10.0F;  // 10 dB

// How much each hop rises, in which band it does most, and whether it is broad.
struct Risen {
    std::vector<float> most;
    std::vector<std::uint8_t> strongest;
    std::vector<std::uint8_t> isBroad;  // of bytes: blocks are written side by side

    explicit Risen(std::size_t hops) : most(hops), strongest(hops), isBroad(hops) {}
};

void findRises(
    const BandEnvelope& envelope, const BandLevels& floor, std::int64_t first, Risen& risen
)
{
    const auto size = static_cast<std::int64_t>(envelope.size());
    const std::int64_t count = std::min(kHopsOfBlock, size - first);
    for (std::size_t band = 0; band < kBands; ++band) {
        const auto inBand = risesIn(envelope, band, static_cast<double>(floor[band]), first, count);
        for (std::size_t n = 0; n < inBand.size(); ++n) {
            const std::size_t hop = static_cast<std::size_t>(first) + n;
            if (inBand[n] > risen.most[hop]) {
                risen.most[hop] = inBand[n];
                risen.strongest[hop] = static_cast<std::uint8_t>(band);
            }
            if (band > 0 && inBand[n] >= kBroadRise) {
                risen.isBroad[hop] = 1;
            }
        }
    }
}

bool isPeak(const std::vector<float>& rise, std::int64_t hop)
{
    const auto size = static_cast<std::int64_t>(rise.size());
    const float here = rise[static_cast<std::size_t>(hop)];
    const std::int64_t last = std::min(size - 1, hop + kPeakHops);
    for (std::int64_t k = std::max<std::int64_t>(0, hop - kPeakHops); k <= last; ++k) {
        const float there = rise[static_cast<std::size_t>(k)];
        if (k < hop ? there >= here : there > here) {
            return false;
        }
    }
    return true;
}

}  // namespace

Result<std::vector<Rise>> risesOf(const BandEnvelope& envelope, const Work& work)
{
    const BandLevels floor = noiseFloor(envelope);
    const auto size = static_cast<std::int64_t>(envelope.size());
    Risen risen(envelope.size());
    const std::int64_t blocks = (size + kHopsOfBlock - 1) / kHopsOfBlock;
    tbb::parallel_for(std::int64_t{0}, blocks, [&](std::int64_t block) {
        if (!work.stopped()) {
            findRises(envelope, floor, block * kHopsOfBlock, risen);
        }
    });
    if (work.stopped()) {
        return cancelled();
    }
    std::vector<Rise> rises;
    for (std::int64_t n = 0; n < size; ++n) {
        const auto hop = static_cast<std::size_t>(n);
        if (risen.most[hop] >= kLeastRise && isPeak(risen.most, n)) {
            const double decibels = decibelsOf(static_cast<double>(risen.most[hop]));
            rises.push_back({n, decibels, risen.strongest[hop], risen.isBroad[hop] != 0});
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
