#include "core/onset/LinearPrediction.h"

#include "core/audio/ScalarProduct.h"
#include "core/base/SideBySide.h"

#include <algorithm>
#include <cstring>

namespace orthochron {

namespace {

constexpr std::size_t kOrder = LinearPrediction::kOrder;

// The sums of products of some samples with themselves, each by a lag; and those of the first and
// of the last few products, to leave them out.
class LaggedSums {
public:
    explicit LaggedSums(std::span<const float> samples)
    {
        const std::vector<double> x(samples.begin(), samples.end());
        const std::size_t common = x.size() - kOrder;  // as many as the longest lag has
        std::array<const double*, kOrder + 1> same{};
        std::array<const double*, kOrder + 1> later{};
        same.fill(x.data());
        for (std::size_t lag = 0; lag <= kOrder; ++lag) {
            later[lag] = x.data() + lag;
        }
        all_ = scalarProducts<kOrder + 1, double>(same, later, common);
        for (std::size_t lag = 0; lag <= kOrder; ++lag) {
            const std::size_t count = x.size() - lag;
            for (std::size_t n = common; n < count; ++n) {
                all_[lag] += x[n] * x[n + lag];
            }
            for (std::size_t n = 0; n < kOrder; ++n) {
                first_[lag][n + 1] = first_[lag][n] + x[n] * x[n + lag];
                const std::size_t back = count - 1 - n;
                last_[lag][n + 1] = last_[lag][n] + x[back] * x[back + lag];
            }
        }
    }

    [[nodiscard]] double power() const { return all_[0]; }

    // The sum of x[n - p] * x[n - q] over all n from `order` on.
    [[nodiscard]] double at(std::size_t order, std::size_t p, std::size_t q) const
    {
        const auto [less, more] = std::minmax(p, q);
        const std::size_t lag = more - less;
        return all_[lag] - first_[lag][order - more] - last_[lag][less];
    }

private:
    using OfFew = std::array<double, kOrder + 1>;
    std::array<double, kOrder + 1> all_{};
    std::array<OfFew, kOrder + 1> first_{};
    std::array<OfFew, kOrder + 1> last_{};
};

// `left`: the samples of `heard` from the kOrder-th on, less what is foretold by as many before each.
[[gnu::always_inline]] inline void takeAway(
    const std::array<double, kOrder>& coefficients,
    std::span<const double> heard,
    std::span<double> left
)
{
    using Lanes = SideBySide<double>::Type;
    constexpr std::size_t kLanes = sizeof(Lanes) / sizeof(double);
    std::size_t n = 0;
    for (; n + kLanes <= left.size(); n += kLanes) {
        Lanes samples;
        std::memcpy(&samples, heard.data() + n + kOrder, sizeof(samples));
        for (std::size_t k = 0; k < kOrder; ++k) {
            Lanes before;
            std::memcpy(&before, heard.data() + n + kOrder - 1 - k, sizeof(before));
            samples -= coefficients[k] * before;
        }
        std::memcpy(left.data() + n, &samples, sizeof(samples));
    }
    for (; n < left.size(); ++n) {
        left[n] = heard[n + kOrder];
        for (std::size_t k = 0; k < kOrder; ++k) {
            left[n] -= coefficients[k] * heard[n + kOrder - 1 - k];
        }
    }
}

#if defined(__x86_64__)
[[gnu::target("avx")]] void takeAwayWide(
    const std::array<double, kOrder>& coefficients,
    std::span<const double> heard,
    std::span<double> left
)
{
    takeAway(coefficients, heard, left);
}
#endif

}  // namespace

LinearPrediction LinearPrediction::of(std::span<const float> samples)
{
    // Sums are exact to about this much of their size.
    constexpr double kRounded = 1e-12;
    LinearPrediction prediction;
    if (samples.size() < 2 * kOrder) {
        return prediction;
    }
    const LaggedSums sums(samples);
    std::array<double, kOrder + 1> filter{1.0};  // the sample itself, less what was predicted
    double power = 2.0 * sums.power();           // of what it leaves, forwards and backwards
    const double least = kRounded * power;
    const std::size_t last = samples.size() - 1;
    for (std::size_t order = 1; order <= kOrder; ++order) {
        // What it leaves at the very ends meets nothing of the other direction any more.
        double forward = 0.0;
        double backward = 0.0;
        for (std::size_t k = 0; k < order; ++k) {
            forward += filter[k] * static_cast<double>(samples[order - 1 - k]);
            backward += filter[k] * static_cast<double>(samples[last - (order - 1 - k)]);
        }
        power -= forward * forward + backward * backward;
        if (!(power > least)) {
            break;
        }
        // The product of both directions, without making either.
        double product = 0.0;
        for (std::size_t j = 0; j < order; ++j) {
            double row = 0.0;
            for (std::size_t k = 0; k < order; ++k) {
                row += filter[k] * sums.at(order, j, order - k);
            }
            product += filter[j] * row;
        }
        const double reflection = 2.0 * product / power;
        power *= 1.0 - reflection * reflection;
        const auto before = filter;
        for (std::size_t k = 1; k <= order; ++k) {
            filter[k] = before[k] - reflection * before[order - k];
        }
    }
    for (std::size_t k = 0; k < kOrder; ++k) {
        prediction.coefficients[k] = -filter[k + 1];
    }
    return prediction;
}

std::vector<double>
LinearPrediction::leftOf(std::span<const float> samples, std::size_t from, std::size_t to) const
{
    const std::size_t before = std::min(from, kOrder);
    // What came before the first sample was silence.
    std::vector<double> heard(kOrder - before, 0.0);
    heard.insert(
        heard.end(),
        samples.begin() + static_cast<std::ptrdiff_t>(from - before),
        samples.begin() + static_cast<std::ptrdiff_t>(to)
    );
    std::vector<double> left(to - from);
#if defined(__x86_64__)
    if (kHasWide) {
        takeAwayWide(coefficients, heard, left);
        return left;
    }
#endif
    takeAway(coefficients, heard, left);
    return left;
}

}  // namespace orthochron
