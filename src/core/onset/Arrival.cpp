#include "core/onset/Arrival.h"

#include <algorithm>
#include <cmath>

namespace orthochron {

namespace {

constexpr Seconds kBefore = milliseconds(0.5);
constexpr Seconds kAttack = milliseconds(4.0);
constexpr Seconds kFurthest = milliseconds(25.0);
constexpr std::size_t kMostBlows = 60;

double power(std::span<const float> sound)
{
    double sum = 0.0;
    for (const float x : sound) {
        sum += static_cast<double>(x) * static_cast<double>(x);
    }
    return sum;
}

// Blows spread over the whole performance.
std::vector<Frames> someOf(std::span<const Frames> starts)
{
    const std::size_t stride = std::max<std::size_t>(1, starts.size() / kMostBlows);
    std::vector<Frames> some;
    for (std::size_t i = 0; i < starts.size(); i += stride) {
        some.push_back(starts[i]);
    }
    return some;
}

}  // namespace

Result<std::vector<Arrival>> measureArrivals(
    std::span<const Frames> starts,
    int reference,
    int microphones,
    Hertz rate,
    const TakeReader& reader
)
{
    std::vector<Arrival> arrivals(static_cast<std::size_t>(microphones));
    const std::int64_t reach = toFrames(kFurthest, rate).count();
    const auto attack = static_cast<std::size_t>(toFrames(kBefore + kAttack, rate).count());
    const std::vector<Frames> blows = someOf(starts);
    std::vector<std::vector<double>> sums(
        arrivals.size(), std::vector<double>(static_cast<std::size_t>(2 * reach + 1), 0.0)
    );
    auto products = sums;  // as sums, but loud blows count for more
    auto powers = sums;    // of what the attack is held against at each lag
    double own = 0.0;
    for (const Frames start : blows) {
        const Frames from = start - toFrames(kBefore, rate);
        std::vector<float> wanted(attack);
        if (auto read = reader(reference, from, wanted); !read) {
            return tl::unexpected(read.error());
        }
        own += power(wanted);
        for (int m = 0; m < microphones; ++m) {
            const auto at = static_cast<std::size_t>(m);
            std::vector<float> heard(attack + static_cast<std::size_t>(2 * reach));
            if (auto read = reader(m, from - Frames(reach), heard); !read) {
                return tl::unexpected(read.error());
            }
            const double scale = 1.0 / std::sqrt(std::max(power(wanted) * power(heard), 1e-20));
            double under = power(std::span(heard).first(attack));
            for (std::size_t lag = 0; lag < sums[at].size(); ++lag) {
                double product = 0.0;
                for (std::size_t i = 0; i < attack; ++i) {
                    product += static_cast<double>(wanted[i]) * static_cast<double>(heard[lag + i]);
                }
                sums[at][lag] += product * scale;
                products[at][lag] += product;
                powers[at][lag] += std::max(under, 0.0);
                if (lag + attack < heard.size()) {
                    const auto gone = static_cast<double>(heard[lag]);
                    const auto come = static_cast<double>(heard[lag + attack]);
                    under += come * come - gone * gone;
                }
            }
        }
    }
    for (std::size_t m = 0; m < arrivals.size() && !blows.empty(); ++m) {
        const auto best =
            std::ranges::max_element(sums[m], {}, [](double x) { return std::abs(x); });
        arrivals[m].after = toSeconds(Frames(best - sums[m].begin() - reach), rate);
        arrivals[m].isInverted = *best < 0.0;
        const auto lag = static_cast<std::size_t>(best - sums[m].begin());
        const double theirs = std::max(powers[m][lag], 1e-20);
        arrivals[m].likeness =
            std::min(1.0, std::abs(products[m][lag]) / std::sqrt(std::max(own, 1e-20) * theirs));
        arrivals[m].decibels = 10.0 * std::log10(theirs / std::max(own, 1e-20));
    }
    return arrivals;
}

}  // namespace orthochron
