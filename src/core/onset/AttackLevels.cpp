#include "core/onset/AttackLevels.h"

#include <algorithm>
#include <cmath>
#include <numeric>

namespace orthochron {

namespace {

constexpr std::int64_t kPastHops = 25;
constexpr double kDeepest = 1e-10;  // mean square, -100 dB: below every converter's noise

}  // namespace

double decibelsOf(double power)
{
    return 10.0 * std::log10(std::max(power, 1e-14));
}

double sumOf(const BandPowers& powers)
{
    return std::accumulate(powers.begin(), powers.end(), 0.0);
}

double percentile(std::vector<double> values, double part)
{
    if (values.empty()) {
        return 0.0;
    }
    const auto at = static_cast<std::size_t>(part * static_cast<double>(values.size() - 1));
    std::ranges::nth_element(values, values.begin() + static_cast<std::ptrdiff_t>(at));
    return values[at];
}

double loudOf(std::vector<double> powers)
{
    if (powers.empty()) {
        return 0.0;
    }
    const std::size_t rank = std::clamp<std::size_t>(powers.size() / 50, 1, 6) - 1;
    std::ranges::nth_element(
        powers, powers.begin() + static_cast<std::ptrdiff_t>(rank), std::greater{}
    );
    return powers[rank];
}

BandLevels noiseFloor(const BandEnvelope& envelope)
{
    BandLevels floor{};
    for (std::size_t band = 0; band < kBands; ++band) {
        std::vector<double> levels;
        for (std::size_t n = 0; n < envelope.size(); n += 7) {
            levels.push_back(static_cast<double>(envelope.level(n, band)));
        }
        floor[band] =
            static_cast<float>(std::max(2.0 * percentile(std::move(levels), 0.1), kDeepest));
    }
    return floor;
}

std::vector<float> risesIn(
    const BandEnvelope& envelope,
    std::size_t band,
    double floor,
    std::int64_t first,
    std::int64_t count
)
{
    const auto size = static_cast<std::int64_t>(envelope.size());
    const std::int64_t window = kWindowHops[band];
    const std::int64_t begin = std::max<std::int64_t>(0, first - kPastHops);
    const std::int64_t end = std::min(size, first + count);
    std::vector<float> rises(static_cast<std::size_t>(std::max<std::int64_t>(count, 0)), 0.0F);
    if (end <= begin) {
        return rises;
    }
    std::vector<double> smooth(static_cast<std::size_t>(end - begin));  // over [n, n + window)
    double sum = 0.0;
    for (std::int64_t n = std::min(end + window, size) - 1; n >= begin; --n) {
        sum += static_cast<double>(envelope.level(static_cast<std::size_t>(n), band));
        if (n + window < std::min(end + window, size)) {
            sum -= static_cast<double>(envelope.level(static_cast<std::size_t>(n + window), band));
        }
        if (n < end) {
            smooth[static_cast<std::size_t>(n - begin)] =
                std::max(sum, 0.0) / static_cast<double>(window);
        }
    }
    for (std::int64_t n = std::max<std::int64_t>(first, 0); n < end; ++n) {
        double past = 0.0;
        for (std::int64_t k = std::max(begin, n - kPastHops); k <= n - window; ++k) {
            past = std::max(past, smooth[static_cast<std::size_t>(k - begin)]);
        }
        const double now = smooth[static_cast<std::size_t>(n - begin)];
        rises[static_cast<std::size_t>(n - first)] =
            static_cast<float>(decibelsOf((now + floor) / (past + floor)));
    }
    return rises;
}

double attackPower(const BandEnvelope& envelope, int band, std::int64_t hop)
{
    const std::int64_t window = kWindowHops[static_cast<std::size_t>(band)];
    double loudest = 0.0;
    for (std::int64_t shift = 0; shift <= 6; shift += 2) {
        loudest = std::max(loudest, envelope.mean(band, hop + shift, hop + shift + window));
    }
    return std::max(loudest - envelope.mean(band, hop - 2 - window, hop - 2), 0.0);
}

BandPowers attackPowers(const BandEnvelope& envelope, std::int64_t hop)
{
    BandPowers powers{};
    for (int band = 0; band < kBands; ++band) {
        powers[static_cast<std::size_t>(band)] = attackPower(envelope, band, hop);
    }
    return powers;
}

BandPowers attackPowersAround(const BandEnvelope& envelope, std::int64_t hop)
{
    BandPowers most{};
    for (std::int64_t shift = -6; shift <= 6; shift += 2) {
        const BandPowers there = attackPowers(envelope, hop + shift);
        for (std::size_t band = 0; band < kBands; ++band) {
            most[band] = std::max(most[band], there[band]);
        }
    }
    return most;
}

}  // namespace orthochron
