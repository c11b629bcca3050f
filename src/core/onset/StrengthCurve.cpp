#include "core/onset/StrengthCurve.h"

#include <oneapi/tbb/parallel_for.h>

#include "core/onset/AttackLevels.h"

#include <algorithm>
#include <cmath>
#include <span>

namespace orthochron {

namespace {

constexpr double kDeepest = 1e-10;      // mean square, -100 dB: below every converter's noise
constexpr double kClearRise = 6.0;      // dB
constexpr float kLeastRise = 1.2589F;   // 1 dB; below it nothing begins
constexpr std::int64_t kAheadHops = 7;  // an attack at a hop rises within these
constexpr double kLowest = -128.0;      // dB

// The codes of the hops from `first` on, as many as there is place for.
void writeCodes(const BandEnvelope& envelope, std::int64_t first, std::span<std::uint8_t> codes)
{
    std::vector<float> most(codes.size() + static_cast<std::size_t>(kAheadHops), 0.0F);
    for (std::size_t band = 0; band < kBands; ++band) {
        const auto rises =
            risesIn(envelope, band, kDeepest, first, static_cast<std::int64_t>(most.size()));
        std::ranges::transform(most, rises, most.begin(), [](float a, float b) {
            return std::max(a, b);
        });
    }
    for (std::size_t n = 0; n < codes.size(); ++n) {
        // Ringing has power too: what rises above none of what came before is no attack.
        const auto here = most.begin() + static_cast<std::ptrdiff_t>(n);
        const float rise = *std::max_element(here, here + kAheadHops);
        if (rise < kLeastRise) {
            codes[n] = 0;
            continue;
        }
        const double clear = std::min(decibelsOf(static_cast<double>(rise)) / kClearRise, 1.0);
        const auto hop = first + static_cast<std::int64_t>(n);
        const double power = sumOf(attackPowers(envelope, hop)) * clear * clear;
        const double code = std::round(2.0 * (decibelsOf(power) - kLowest));
        codes[n] = static_cast<std::uint8_t>(std::clamp(code, 0.0, 255.0));
    }
}

}  // namespace

void StrengthCurve::add(const OnsetAnalysis& analysis, std::int64_t first, std::int64_t count)
{
    constexpr std::size_t kHopsOfBlock = 4096;
    const BandEnvelope& envelope = analysis.envelope;
    hopFrames_ = envelope.hopFrames;
    const std::int64_t end = std::min(first + count, static_cast<std::int64_t>(envelope.size()));
    const std::size_t had = codes_.size();
    codes_.resize(had + static_cast<std::size_t>(std::max<std::int64_t>(end - first, 0)));
    const auto added = std::span(codes_).subspan(had);
    const std::size_t blocks = (added.size() + kHopsOfBlock - 1) / kHopsOfBlock;
    tbb::parallel_for(std::size_t{0}, blocks, [&](std::size_t block) {
        const std::size_t from = block * kHopsOfBlock;
        writeCodes(
            envelope,
            first + static_cast<std::int64_t>(from),
            added.subspan(from, std::min(kHopsOfBlock, added.size() - from))
        );
    });
}

double StrengthCurve::at(std::int64_t hop) const
{
    if (isEmpty() || hop < 0 || hop >= static_cast<std::int64_t>(codes_.size())) {
        return 0.0;
    }
    const auto code = codes_[static_cast<std::size_t>(hop)];
    if (code == 0) {
        return 0.0;
    }
    const double decibels = 0.5 * static_cast<double>(code) + kLowest;
    return std::min(1.0, fromDecibels(decibels - decibelsOf(loudPower)));
}

}  // namespace orthochron
