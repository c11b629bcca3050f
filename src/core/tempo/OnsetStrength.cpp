#include "core/tempo/OnsetStrength.h"

#include "core/onset/AttackLevels.h"

#include <algorithm>
#include <cmath>

namespace orthochron {

namespace {

constexpr std::int64_t kHopsOfStep = 5;
constexpr std::size_t kNearest = 2;   // steps back that a level is held against
constexpr std::size_t kFurthest = 5;  // likewise
constexpr double kLoud = 0.95;  // of the levels; the loud ones are 30 dB above where it counts
constexpr double kDepth = 1000.0;
constexpr double kSilence = 1e-12;

// Levels of one band, each step with its neighbours, on a scale on which softer than -30 dB of the loud
// ones is about nothing.
std::vector<double> levelsOf(const BandEnvelope& envelope, int band)
{
    const auto count = static_cast<std::int64_t>(envelope.size()) / kHopsOfStep;
    std::vector<double> levels;
    for (std::int64_t n = 0; n < count; ++n) {
        levels.push_back(
            envelope.mean(band, (n - 1) * kHopsOfStep, std::min(n + 2, count) * kHopsOfStep)
        );
    }
    const double loud = levels.empty() ? 0.0 : percentile(levels, kLoud);
    for (double& level : levels) {
        level = std::log10(1.0 + kDepth * level / (loud + kSilence));
    }
    return levels;
}

}  // namespace

OnsetBands excerpt(const OnsetBands& bands, Seconds from, Seconds length)
{
    const auto first =
        std::min(static_cast<std::size_t>(std::max(0.0, from / bands.step)), bands.size());
    const auto last = std::min(
        first + static_cast<std::size_t>(std::max(0.0, length / bands.step)), bands.size()
    );
    OnsetBands part;
    part.step = bands.step;
    for (std::size_t band = 0; band < kBands; ++band) {
        part.values[band].assign(
            bands.values[band].begin() + static_cast<std::ptrdiff_t>(first),
            bands.values[band].begin() + static_cast<std::ptrdiff_t>(last)
        );
    }
    return part;
}

OnsetBands onsetBandsOf(const BandEnvelope& envelope, Hertz rate)
{
    OnsetBands bands;
    bands.step = toSeconds(envelope.hopFrames, rate) * static_cast<double>(kHopsOfStep);
    for (std::size_t band = 0; band < kBands; ++band) {
        const std::vector<double> levels = levelsOf(envelope, static_cast<int>(band));
        auto& values = bands.values[band];
        values.assign(levels.size(), 0.0F);
        for (std::size_t n = 0; n < levels.size(); ++n) {
            double before = 0.0;
            for (std::size_t k = kNearest; k <= std::min(kFurthest, n); ++k) {
                before = std::max(before, levels[n - k]);
            }
            if (n < kNearest) {
                before = n == 0 ? 0.0 : levels[n];
            }
            values[n] = static_cast<float>(std::max(0.0, levels[n] - before));
        }
    }
    return bands;
}

OnsetStrength onsetStrengthOf(const OnsetBands& bands)
{
    OnsetStrength strength{bands.step, std::vector<float>(bands.size(), 0.0F)};
    for (const auto& values : bands.values) {
        for (std::size_t n = 0; n < values.size(); ++n) {
            strength.values[n] += values[n];
        }
    }
    return strength;
}

OnsetStrength onsetStrengthOf(const BandEnvelope& envelope, Hertz rate)
{
    return onsetStrengthOf(onsetBandsOf(envelope, rate));
}

}  // namespace orthochron
