#include "core/tempo/BandAttacks.h"

#include "core/onset/AttackLevels.h"

#include <algorithm>
#include <cmath>
#include <tuple>

namespace orthochron {

namespace {

constexpr std::size_t kBack = 25;   // hops that a rise is held against
constexpr std::size_t kApart = 10;  // hops around a peak that no other has
constexpr std::size_t kClimb = 30;  // hops; the longest rise
constexpr double kLeastRise = 6.0;  // dB
constexpr double kPart = 0.5;       // of the rise, where it is said to be
constexpr double kLoud = 0.95;      // of the levels
constexpr double kQuiet = 1e-4;     // of the loud ones; what is below does not count
constexpr double kNothing = 1e-14;

// Decibels by which the next two hops are above what was before, for each hop.
std::vector<double> risesOf(const BandEnvelope& envelope, int band)
{
    const std::size_t size = envelope.size();
    std::vector<double> levels(size);
    envelope.levels(static_cast<std::size_t>(band), 0, levels);
    const double floor = levels.empty() ? 0.0 : kQuiet * percentile(levels, kLoud) + kNothing;
    const auto around = [&](std::size_t n, std::size_t before, std::size_t after) {
        const std::size_t from = n - std::min(before, n);
        const std::size_t to = std::min(n + after, size);
        double sum = 0.0;
        for (std::size_t k = from; k < to; ++k) {
            sum += levels[k];
        }
        return sum / static_cast<double>(to - from);
    };
    std::vector<double> smooth(size);
    for (std::size_t n = 0; n < size; ++n) {
        smooth[n] = around(n, 1, 2);
    }
    std::vector<double> rises(size, 0.0);
    for (std::size_t n = 0; n < size; ++n) {
        double before = 0.0;
        for (std::size_t k = 2; k < kBack && k <= n; ++k) {
            before = std::max(before, smooth[n - k]);
        }
        rises[n] = 10.0 * std::log10((around(n, 0, 2) + floor) / (before + floor));
    }
    return rises;
}

bool isPeak(const std::vector<double>& rises, std::size_t n)
{
    const std::size_t from = n - std::min(kApart, n);
    const std::size_t to = std::min(n + kApart + 1, rises.size());
    for (std::size_t k = from; k < to; ++k) {
        if (rises[k] > rises[n] || (rises[k] == rises[n] && k < n)) {
            return false;
        }
    }
    return true;
}

}  // namespace

std::vector<BandAttack> bandAttacksOf(const BandEnvelope& envelope, Hertz rate)
{
    const Seconds hop = toSeconds(envelope.hopFrames, rate);
    std::vector<BandAttack> attacks;
    for (int band = 0; band < kBands; ++band) {
        const std::vector<double> rises = risesOf(envelope, band);
        for (std::size_t n = 0; n < rises.size(); ++n) {
            if (rises[n] < kLeastRise || !isPeak(rises, n)) {
                continue;
            }
            std::size_t start = n;
            while (start > 0 && n - start < kClimb && rises[start - 1] > kPart * rises[n]) {
                --start;
            }
            attacks.push_back({hop * static_cast<double>(start), rises[n], band});
        }
    }
    std::ranges::sort(attacks, {}, [](const BandAttack& attack) {
        return std::tuple(attack.at, attack.band);
    });
    return attacks;
}

}  // namespace orthochron
