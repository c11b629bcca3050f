#include "core/onset/Mixing.h"

#include <algorithm>
#include <cmath>
#include <iterator>
#include <limits>
#include <numeric>

namespace orthochron {

namespace {

constexpr double kNothing = 1e-14;  // power

}  // namespace

double growthOf(std::span<const double> blows, std::span<const double> there)
{
    constexpr std::size_t kFewest = 12;
    if (blows.size() < kFewest) {
        return std::numeric_limits<double>::infinity();
    }
    const auto count = static_cast<double>(blows.size());
    const double blow = std::accumulate(blows.begin(), blows.end(), 0.0) / count;
    const double level = std::accumulate(there.begin(), there.end(), 0.0) / count;
    double spread = 1e-30;
    double common = 0.0;
    double rest = 0.0;
    for (std::size_t i = 0; i < blows.size(); ++i) {
        const double x = blows[i] - blow;
        const double y = there[i] - level;
        spread += x * x;
        common += x * y;
        rest += y * y;
    }
    const double growth = common / spread;
    const double left = std::max(0.0, rest - growth * common) / (count - 2.0);
    return std::max(0.0, growth) + std::sqrt(left / spread);
}

void leaveOutCompany(Mixing& mixing, const Mixing& growth)
{
    constexpr double kAlmostAsLoud = 0.25;  // -6 dB
    for (std::size_t m = 0; m < mixing.size(); ++m) {
        for (std::size_t d = 0; d < mixing.size(); ++d) {
            if (m != d && mixing[m][d] > kAlmostAsLoud * mixing[m][m]) {
                mixing[m][d] = std::min(mixing[m][d], growth[m][d]);
            }
        }
    }
}

Unmixing::Unmixing(const Mixing& mixing)
{
    // Of nothing at all something could be any number of times.
    for (const auto& row : mixing) {
        std::ranges::transform(row, std::back_inserter(parts_), [](double v) {
            return v + kNothing;
        });
    }
}

std::vector<double> Unmixing::gainsOf(std::span<const double> heard) const
{
    constexpr int kRounds = 200;
    const std::size_t microphones = heard.size();
    const std::size_t count = parts_.size() / microphones;  // of drums
    std::vector<double> weights(microphones);
    const double most = *std::ranges::max_element(heard);
    for (std::size_t m = 0; m < microphones; ++m) {
        weights[m] = 1.0 / (heard[m] + 1e-3 * most + 1e-13);
    }
    std::vector<double> gains(count, 1e300);
    std::vector<double> sums(count, 0.0);
    for (std::size_t m = 0; m < microphones; ++m) {
        for (std::size_t d = 0; d < count; ++d) {
            const double part = parts_[m * count + d];
            gains[d] = std::min(gains[d], heard[m] / part + 1e-9);
            sums[d] += weights[m] * part;
        }
    }
    // A drum that all hear can be had from a little of each other one as well. One drum is likelier, so as much as may be
    // is begun with of those without a microphone.
    constexpr double kOfOthers = 0.1;
    for (std::size_t d = 0; d < count; ++d) {
        gains[d] = gains[d] * (count > microphones && d < microphones ? kOfOthers : 1.0) + 1e-9;
    }
    std::vector<double> pulls(count);
    for (int round = 0; round < kRounds; ++round) {
        std::ranges::fill(pulls, 0.0);
        for (std::size_t m = 0; m < microphones; ++m) {
            const auto row = std::span(parts_).subspan(m * count, count);
            const double explained =
                std::inner_product(row.begin(), row.end(), gains.begin(), kNothing);
            const double missing = heard[m] * weights[m] / explained;
            for (std::size_t d = 0; d < count; ++d) {
                pulls[d] += missing * row[d];
            }
        }
        double change = 0.0;
        for (std::size_t d = 0; d < count; ++d) {
            const double factor = pulls[d] / sums[d];
            change = std::max(change, std::abs(factor - 1.0) * std::min(1.0, gains[d] * 1e4));
            gains[d] *= factor;
        }
        if (change < 1e-4) {
            break;
        }
    }
    return gains;
}

}  // namespace orthochron
