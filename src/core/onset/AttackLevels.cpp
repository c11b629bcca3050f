#include "core/onset/AttackLevels.h"

#include <oneapi/tbb/parallel_for.h>

#include "core/base/RunningMax.h"

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
    tbb::parallel_for(std::size_t{0}, std::size_t{kBands}, [&](std::size_t band) {
        std::vector<double> levels;
        levels.reserve(envelope.size() / 7 + 1);
        for (std::size_t n = 0; n < envelope.size(); n += 7) {
            levels.push_back(static_cast<double>(envelope.level(n, band)));
        }
        floor[band] =
            static_cast<float>(std::max(2.0 * percentile(std::move(levels), 0.1), kDeepest));
    });
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
    const std::int64_t heard = std::min(end + window, size) - begin;
    std::vector<double> levels(static_cast<std::size_t>(heard));
    envelope.levels(band, begin, levels);
    const auto hops = static_cast<std::size_t>(end - begin);
    const auto ahead = static_cast<std::size_t>(window);
    std::vector<double> smooth(hops);  // over [n, n + window)
    double sum = 0.0;
    for (std::size_t n = levels.size(); n-- > 0;) {
        sum += levels[n];
        if (n + ahead < levels.size()) {
            sum -= levels[n + ahead];
        }
        if (n < hops) {
            smooth[n] = std::max(sum, 0.0) / static_cast<double>(window);
        }
    }
    const auto past = runningMax<double>(smooth, static_cast<std::size_t>(kPastHops - window) + 1);
    const auto from = static_cast<std::size_t>(std::max<std::int64_t>(first, 0) - begin);
    for (std::size_t n = from; n < hops; ++n) {
        const double before = n >= ahead ? past[n - ahead] : 0.0;
        const std::int64_t at = begin + static_cast<std::int64_t>(n) - first;
        rises[static_cast<std::size_t>(at)] =
            static_cast<float>((smooth[n] + floor) / (before + floor));
    }
    return rises;
}

namespace {

constexpr std::size_t kLoudestOf = 4;   // windows, two hops apart
constexpr std::size_t kBeforeFrom = 3;  // likewise, the last ending two hops before the attack

// What an attack brings, by the level after it and before it in windows two hops apart.
double
broughtBy(std::span<const double, kLoudestOf> after, std::span<const double, kBeforeFrom> before)
{
    // Where its click was hidden it is thought to begin at its body: what the click brought is no part of what was
    // there. What rings on sways by less.
    constexpr double kMoreThanRinging = 4.0;
    const double loudest = std::ranges::max(after);
    const double justBefore = before[2];
    const double earlier = std::min(before[1], before[0]);
    const double there = justBefore > kMoreThanRinging * earlier ? earlier : justBefore;
    return std::max(loudest - there, 0.0);
}

// The mean level of so many windows of a band, each two hops after the one before.
template<std::size_t kWindows>
std::array<double, kWindows>
meansFrom(const BandEnvelope& envelope, std::size_t band, std::int64_t hop)
{
    constexpr std::int64_t kLongest = std::ranges::max(kWindowHops);
    const std::int64_t window = kWindowHops[band];
    const std::int64_t last = hop + 2 * static_cast<std::int64_t>(kWindows - 1) + window;
    std::array<double, kWindows> means{};
    if (hop < 0 || last > static_cast<std::int64_t>(envelope.size())) {
        for (double& mean : means) {
            mean = envelope.mean(static_cast<int>(band), hop, hop + window);
            hop += 2;
        }
        return means;
    }
    std::array<double, 2 * (kWindows - 1) + kLongest> levels;
    envelope.levels(band, hop, std::span(levels).first(static_cast<std::size_t>(last - hop)));
    auto first = levels.begin();
    for (double& mean : means) {
        mean = std::accumulate(first, first + window, 0.0) / static_cast<double>(window);
        first += 2;
    }
    return means;
}

// The most an attack may have brought of each band, beginning at one of so many hops, two apart.
template<std::size_t kPlaces>
BandPowers mostBroughtFrom(const BandEnvelope& envelope, std::int64_t hop)
{
    BandPowers most{};
    for (std::size_t band = 0; band < kBands; ++band) {
        const auto after = meansFrom<kPlaces + kLoudestOf - 1>(envelope, band, hop);
        const auto before =
            meansFrom<kPlaces + kBeforeFrom - 1>(envelope, band, hop - 6 - kWindowHops[band]);
        for (std::size_t n = 0; n < kPlaces; ++n) {
            const double brought = broughtBy(
                std::span(after).subspan(n).template first<kLoudestOf>(),
                std::span(before).subspan(n).template first<kBeforeFrom>()
            );
            most[band] = std::max(most[band], brought);
        }
    }
    return most;
}

}  // namespace

BandPowers attackPowers(const BandEnvelope& envelope, std::int64_t hop)
{
    return mostBroughtFrom<1>(envelope, hop);
}

BandPowers attackPowersAround(const BandEnvelope& envelope, std::int64_t hop)
{
    return mostBroughtFrom<7>(envelope, hop - 6);
}

}  // namespace orthochron
