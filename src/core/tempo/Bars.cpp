#include "core/tempo/Bars.h"

#include <algorithm>
#include <array>
#include <cmath>
#include <limits>

namespace orthochron {

namespace {

constexpr double kNever = -1e9;
constexpr double kChange = 6.0;  // what another number of beats in a bar costs, once
constexpr double kMiddle = 0.3;  // what speaks for the first beat, beside the low sounds' 1
constexpr double kChord = 0.5;
constexpr double kAnswer = 0.25;  // of high sounds on the second and fourth
constexpr double kMost = 2.5;     // times the spread; what stands out more counts no more
constexpr double kCaution = 0.5;  // beats resemble each other: their evidence counts half

// Each feature in units of its spread around its mean.
template<class Get>
std::vector<double> standing(std::span<const BeatSound> beats, Get get)
{
    double sum = 0.0;
    double squares = 0.0;
    for (const BeatSound& beat : beats) {
        sum += get(beat);
        squares += get(beat) * get(beat);
    }
    const auto count = static_cast<double>(std::max<std::size_t>(beats.size(), 1));
    const double mean = sum / count;
    const double spread = std::sqrt(std::max(0.0, squares / count - mean * mean));
    std::vector<double> values;
    for (const BeatSound& beat : beats) {
        values.push_back(
            spread > 0.0 ? std::clamp((get(beat) - mean) / spread, -kMost, kMost) : 0.0
        );
    }
    return values;
}

struct State {
    int beatsInBar = 4;
    int beat = 0;
};

class Counting {
public:
    Counting(
        std::span<const BeatSound> beats, int beatsInBar, std::optional<std::size_t> firstDownbeat
    )
        : count_(beats.size()), wanted_(beatsInBar), first_(firstDownbeat)
    {
        const auto low = standing(beats, [](const BeatSound& beat) { return beat.low; });
        const auto middle = standing(beats, [](const BeatSound& beat) { return beat.middle; });
        const auto chord = standing(beats, [](const BeatSound& beat) { return beat.chord; });
        high_ = standing(beats, [](const BeatSound& beat) { return beat.high; });
        for (std::size_t k = 0; k < count_; ++k) {
            begins_.push_back(low[k] + kMiddle * middle[k] + kChord * chord[k]);
        }
        std::vector<int> bars{beatsInBar};
        for (const int other : {4, 3}) {
            if (other != beatsInBar) {
                bars.push_back(other);
            }
        }
        for (const int length : bars) {
            for (int beat = 0; beat < length; ++beat) {
                states_.push_back({length, beat});
            }
        }
    }

    [[nodiscard]] const std::vector<State>& states() const { return states_; }

    [[nodiscard]] double seen(std::size_t k, std::size_t state) const
    {
        const auto [length, beat] = states_[state];
        if (first_ == k && beat != 0) {
            return kNever;
        }
        double value = beat == 0 ? begins_[k] : -begins_[k] / std::max(1, length - 1);
        if (length == 4) {
            value += beat % 2 == 1 ? kAnswer * high_[k] : -kAnswer * high_[k];
        }
        return kCaution * value;
    }
    // Of the first beat.
    [[nodiscard]] double beginning(std::size_t state) const
    {
        return states_[state].beatsInBar == wanted_ ? 0.0 : -kChange * kCaution;
    }
    [[nodiscard]] double change(std::size_t from, std::size_t to) const
    {
        const State& a = states_[from];
        const State& b = states_[to];
        if (b.beat > 0) {
            return a.beatsInBar == b.beatsInBar && a.beat + 1 == b.beat ? 0.0 : kNever;
        }
        if (a.beat + 1 != a.beatsInBar) {
            return kNever;
        }
        return a.beatsInBar == b.beatsInBar ? 0.0 : -kChange * kCaution;
    }

    [[nodiscard]] std::vector<std::size_t> likeliest() const
    {
        const std::size_t count = states_.size();
        std::vector<std::vector<std::size_t>> came(count_, std::vector<std::size_t>(count, 0));
        std::vector<double> values = firstValues();
        for (std::size_t k = 1; k < count_; ++k) {
            std::vector<double> next(count, 2.0 * kNever);
            for (std::size_t to = 0; to < count; ++to) {
                for (std::size_t from = 0; from < count; ++from) {
                    const double value = values[from] + change(from, to);
                    if (value > next[to]) {
                        next[to] = value;
                        came[k][to] = from;
                    }
                }
                next[to] = std::max(next[to] + seen(k, to), 2.0 * kNever);
            }
            values = std::move(next);
        }
        std::vector<std::size_t> path(count_);
        auto state = static_cast<std::size_t>(std::ranges::max_element(values) - values.begin());
        for (std::size_t k = count_; k-- > 0;) {
            path[k] = state;
            state = came[k][state];
        }
        return path;
    }

    // How likely each state is at each beat, all ways to count taken together.
    [[nodiscard]] std::vector<std::vector<double>> likelihoods() const
    {
        const std::size_t count = states_.size();
        std::vector<std::vector<double>> forward{scaled(firstValues())};
        for (std::size_t k = 1; k < count_; ++k) {
            std::vector<double> values(count);
            for (std::size_t to = 0; to < count; ++to) {
                double sum = 0.0;
                for (std::size_t from = 0; from < count; ++from) {
                    sum += std::exp(change(from, to)) * forward[k - 1][from];
                }
                values[to] = std::log(sum) + seen(k, to);
            }
            forward.push_back(scaled(std::move(values)));
        }
        std::vector<double> after(count, 1.0);
        for (std::size_t k = count_; k-- > 0;) {
            std::vector<double> before(count);
            double all = 0.0;
            for (std::size_t state = 0; state < count; ++state) {
                before[state] = std::log(after[state]) + seen(k, state);
                forward[k][state] *= after[state];
                all += forward[k][state];
            }
            for (double& value : forward[k]) {
                value /= all;
            }
            before = scaled(std::move(before));
            for (std::size_t from = 0; from < count; ++from) {
                after[from] = 0.0;
                for (std::size_t to = 0; to < count; ++to) {
                    after[from] += std::exp(change(from, to)) * before[to];
                }
            }
        }
        return forward;
    }

private:
    [[nodiscard]] std::vector<double> firstValues() const
    {
        std::vector<double> values;
        for (std::size_t state = 0; state < states_.size(); ++state) {
            values.push_back(beginning(state) + seen(0, state));
        }
        return values;
    }
    // From logarithms to likelihoods whose highest is 1.
    static std::vector<double> scaled(std::vector<double> values)
    {
        const double highest = *std::ranges::max_element(values);
        for (double& value : values) {
            value = std::exp(std::max(value - highest, -700.0));
        }
        return values;
    }

    std::size_t count_;
    int wanted_;
    std::optional<std::size_t> first_;
    std::vector<double> begins_;
    std::vector<double> high_;
    std::vector<State> states_;
};

}  // namespace

std::vector<BarPlace> countBars(
    std::span<const BeatSound> beats, int beatsInBar, std::optional<std::size_t> firstDownbeat
)
{
    if (beats.empty()) {
        return {};
    }
    const Counting counting(beats, beatsInBar, firstDownbeat);
    const std::vector<std::size_t> path = counting.likeliest();
    const auto likelihoods = counting.likelihoods();
    const auto beatAt = [&](std::size_t k) { return counting.states()[path[k]].beat; };
    std::size_t first = firstDownbeat.value_or(0);
    while (first < path.size() && beatAt(first) != 0) {
        ++first;
    }
    int bar = 1;
    for (std::size_t k = 1; k <= std::min(first, path.size() - 1); ++k) {
        bar -= beatAt(k) == 0 ? 1 : 0;
    }
    std::vector<BarPlace> places;
    for (std::size_t k = 0; k < path.size(); ++k) {
        bar += k > 0 && beatAt(k) == 0 ? 1 : 0;
        double sureness = 0.0;
        for (std::size_t state = 0; state < counting.states().size(); ++state) {
            // Whether the bar is of three or four beats does not matter to where it begins.
            sureness += counting.states()[state].beat == beatAt(k) ? likelihoods[k][state] : 0.0;
        }
        places.push_back({bar, beatAt(k), counting.states()[path[k]].beatsInBar, sureness});
    }
    // What lies before the first whole bar is counted back from it.
    return places;
}

}  // namespace orthochron
