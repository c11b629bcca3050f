#include "core/onset/Arrival.h"

#include "core/onset/AttackStart.h"

#include <algorithm>
#include <cmath>

namespace orthochron {

namespace {

constexpr Seconds kLikely = milliseconds(3.0);  // a metre: where another start is sought first
constexpr Seconds kAgree = milliseconds(0.6);
constexpr Seconds kAttack = milliseconds(4.0);
constexpr Seconds kFurthest = milliseconds(25.0);
constexpr std::size_t kMostBlows = 60;
constexpr double kNothing = 1e-12;  // summed squares of silence

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

// The lag at which most of the starts found agree, with the part of them that do.
struct Agreement {
    double lag = 0.0;  // frames
    double part = 0.0;
};

Agreement agreementOf(std::vector<double> lags, double within)
{
    std::ranges::sort(lags);
    Agreement best;
    std::size_t first = 0;
    for (std::size_t last = 0; last < lags.size(); ++last) {
        while (lags[last] - lags[first] > 2.0 * within) {
            ++first;
        }
        const double part =
            static_cast<double>(last - first + 1) / static_cast<double>(lags.size());
        if (part > best.part) {
            best = {lags[first + (last - first) / 2], part};
        }
    }
    return best;
}

// One microphone against the reference.
class Comparison {
public:
    Comparison(Hertz rate, std::int64_t reach)
        : rate_(rate),
          reach_(reach),
          attack_(toFrames(kAttack, rate).count()),
          products_(static_cast<std::size_t>(2 * reach + 1), 0.0)
    {}

    // `heard` begins `reach` before the blow in the reference, `wanted` at it.
    void add(std::span<const float> wanted, std::span<const float> heard)
    {
        const Frames start = attackStart(heard, rate_, Frames(reach_) + toFrames(kLikely, rate_));
        lags_.push_back(static_cast<double>(start.count() - reach_));
        for (std::size_t lag = 0; lag < products_.size(); ++lag) {
            for (std::size_t i = 0; i < static_cast<std::size_t>(attack_); ++i) {
                products_[lag] +=
                    static_cast<double>(wanted[i]) * static_cast<double>(heard[lag + i]);
            }
        }
        own_ += power(wanted.first(static_cast<std::size_t>(attack_)));
        theirs_ += power(heard.subspan(
            static_cast<std::size_t>(reach_), static_cast<std::size_t>(attack_ + attack_)
        ));
    }

    [[nodiscard]] Arrival arrival() const
    {
        const auto near = static_cast<double>(toFrames(kAgree, rate_).count());
        const Agreement agreed = agreementOf(lags_, near);
        Arrival arrival;
        arrival.likeness = theirs_ > kNothing && own_ > kNothing ? agreed.part : 0.0;
        arrival.decibels =
            10.0 * std::log10(std::max(theirs_, 1e-20) / std::max(own_, 1e-20)) - 3.0;
        // The starts say when; close by, the sound itself says to the sample, and which way round.
        const auto middle = static_cast<std::int64_t>(std::llround(agreed.lag));
        const auto width = static_cast<std::int64_t>(near / 2.0);
        std::int64_t best = middle;
        double most = 0.0;
        for (std::int64_t lag = middle - width; lag <= middle + width; ++lag) {
            const std::int64_t place = lag + reach_;
            if (place < 0 || place >= static_cast<std::int64_t>(products_.size())) {
                continue;
            }
            const double product = products_[static_cast<std::size_t>(place)];
            if (std::abs(product) > std::abs(most)) {
                most = product;
                best = lag;
            }
        }
        arrival.after = toSeconds(Frames(best), rate_);
        arrival.isInverted = most < 0.0;
        return arrival;
    }

private:
    Hertz rate_;
    std::int64_t reach_;
    std::int64_t attack_;
    std::vector<double> products_;  // of the attacks at each lag, from -reach on
    std::vector<double> lags_;
    double own_ = 0.0;
    double theirs_ = 0.0;
};

}  // namespace

Result<std::vector<Arrival>> measureArrivals(
    std::span<const Frames> starts,
    int reference,
    int microphones,
    Hertz rate,
    const TakeReader& reader
)
{
    const std::int64_t reach = toFrames(kFurthest, rate).count();
    const std::int64_t attack = toFrames(kAttack, rate).count();
    std::vector<Comparison> comparisons(
        static_cast<std::size_t>(microphones), Comparison(rate, reach)
    );
    const std::vector<Frames> blows = someOf(starts);
    for (const Frames start : blows) {
        std::vector<float> wanted(static_cast<std::size_t>(attack));
        if (auto read = reader(reference, start, wanted); !read) {
            return tl::unexpected(read.error());
        }
        for (int m = 0; m < microphones; ++m) {
            std::vector<float> heard(static_cast<std::size_t>(2 * (reach + attack)));
            if (auto read = reader(m, start - Frames(reach), heard); !read) {
                return tl::unexpected(read.error());
            }
            comparisons[static_cast<std::size_t>(m)].add(wanted, heard);
        }
    }
    std::vector<Arrival> arrivals(comparisons.size());
    for (std::size_t m = 0; m < arrivals.size() && !blows.empty(); ++m) {
        arrivals[m] = comparisons[m].arrival();
    }
    if (!blows.empty()) {
        arrivals[static_cast<std::size_t>(reference)].after = Seconds(0.0);
    }
    return arrivals;
}

}  // namespace orthochron
