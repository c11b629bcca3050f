#include "core/onset/StrengthCurve.h"

#include "core/onset/AttackLevels.h"

#include <algorithm>
#include <cmath>

namespace orthochron {

namespace {

constexpr double kDeepest = 1e-10;      // mean square, -100 dB: below every converter's noise
constexpr double kClearRise = 6.0;      // dB
constexpr float kLeastRise = 1.2589F;   // 1 dB; below it nothing begins
constexpr std::int64_t kAheadHops = 7;  // an attack at a hop rises within these
constexpr double kLowest = -128.0;      // dB

}  // namespace

void StrengthCurve::add(const OnsetAnalysis& analysis, std::int64_t first, std::int64_t count)
{
    constexpr std::int64_t kHopsOfBlock = 4096;
    const BandEnvelope& envelope = analysis.envelope;
    hopFrames_ = envelope.hopFrames;
    const std::int64_t end = std::min(first + count, static_cast<std::int64_t>(envelope.size()));
    std::vector<float> most;
    for (std::int64_t from = first; from < end; from += kHopsOfBlock) {
        const std::int64_t hops = std::min(kHopsOfBlock, end - from);
        most.assign(static_cast<std::size_t>(hops + kAheadHops), 0.0F);
        for (std::size_t band = 0; band < kBands; ++band) {
            const auto rises = risesIn(envelope, band, kDeepest, from, hops + kAheadHops);
            std::ranges::transform(most, rises, most.begin(), [](float a, float b) {
                return std::max(a, b);
            });
        }
        for (std::int64_t n = 0; n < hops; ++n) {
            // Ringing has power too: what rises above none of what came before is no attack.
            const auto here = most.begin() + n;
            const float rise = *std::max_element(here, here + kAheadHops);
            if (rise < kLeastRise) {
                codes_.push_back(0);
                continue;
            }
            const double clear = std::min(decibelsOf(static_cast<double>(rise)) / kClearRise, 1.0);
            const double power = sumOf(attackPowers(envelope, from + n)) * clear * clear;
            const double code = std::round(2.0 * (decibelsOf(power) - kLowest));
            codes_.push_back(static_cast<std::uint8_t>(std::clamp(code, 0.0, 255.0)));
        }
    }
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
