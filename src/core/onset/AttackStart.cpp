#include "core/onset/AttackStart.h"

#include "core/base/RunningMax.h"
#include "core/onset/LinearPrediction.h"

#include <algorithm>
#include <cmath>
#include <vector>

namespace orthochron {

namespace {

constexpr Seconds kLearn = milliseconds(20.0);
constexpr Seconds kAfter = milliseconds(8.0);
constexpr Seconds kHold = milliseconds(0.4);  // over which a level is read
// A rise this steep over a millisecond is an attack of its own, not the attack going on: bleed
// of the next drum lies about 18 dB down.
constexpr double kSteepRise = 3.5;  // linear, 11 dB
constexpr double kFoot = 0.05;      // of the peak: what is still below it has not begun

// The split of values[from, to) that makes both sides most likely: Akaike's criterion.
std::size_t bestSplit(const std::vector<double>& values, std::size_t from, std::size_t to)
{
    double right = 0.0;
    for (std::size_t n = from; n < to; ++n) {
        right += values[n] * values[n];
    }
    double left = 0.0;
    double best = 1e300;
    std::size_t split = from;
    const std::size_t count = to - from;
    for (std::size_t k = 1; k + 1 < count; ++k) {
        const double power = values[from + k - 1] * values[from + k - 1];
        left += power;
        right -= power;
        const auto nLeft = static_cast<double>(k);
        const auto nRight = static_cast<double>(count - k);
        const double score = nLeft * std::log(left / nLeft + 1e-16) +
                             nRight * std::log(std::max(right, 0.0) / nRight + 1e-16);
        if (k >= 8 && score < best) {
            best = score;
            split = from + k;
        }
    }
    return split;
}

std::size_t framesOf(Seconds time, Hertz rate)
{
    return static_cast<std::size_t>(std::max<std::int64_t>(1, toFrames(time, rate).count()));
}

// What is left of some samples once what rang before them is predicted and taken away.
struct Fresh {
    std::vector<double> left;
    std::vector<double> held;  // its largest magnitude lately
};

Fresh freshOf(std::span<const float> samples, std::size_t from, std::size_t to, Hertz rate)
{
    const std::size_t learn = std::min(from, framesOf(kLearn, rate));
    LinearPrediction ringing;
    if (learn > 4 * LinearPrediction::kOrder) {
        ringing = LinearPrediction::of(samples.subspan(from - learn, learn));
    }
    Fresh fresh;
    fresh.left = ringing.leftOf(samples, from, to);
    std::vector<double> magnitudes(fresh.left.size());
    std::ranges::transform(fresh.left, magnitudes.begin(), [](double v) { return std::abs(v); });
    fresh.held = runningMax<double>(magnitudes, framesOf(kHold, rate));
    return fresh;
}

// Where the rise begins that has risen at `risen`.
std::size_t footOf(const Fresh& fresh, std::size_t risen, double floor, std::size_t millisecond)
{
    const auto& left = fresh.left;
    const std::size_t first = risen > 3 * millisecond ? risen - 3 * millisecond : 0;
    const std::size_t last = std::min(left.size(), risen + millisecond / 2 + 1);
    std::size_t start = last > first + 16 ? bestSplit(left, first, last) : risen;
    // The split errs late when the attack swells: go back to where it leaves the floor.
    const std::size_t limit = start > millisecond ? start - millisecond : 0;
    double quiet = 0.0;
    std::size_t counted = 0;
    for (std::size_t n = first; n + millisecond / 4 < start; ++n, ++counted) {
        quiet += left[n] * left[n];
    }
    const double noise = counted > 0 ? 3.0 * std::sqrt(quiet / static_cast<double>(counted)) : 0.0;
    const double foot = std::max(std::min(floor, fresh.held[risen] * kFoot), noise);
    while (start > limit && std::abs(left[start - 1]) > foot) {
        --start;
    }
    return start;
}

}  // namespace

Frames
attackStart(std::span<const float> samples, Hertz rate, Frames guess, Seconds reach, Seconds own)
{
    const auto size = static_cast<std::int64_t>(samples.size());
    const auto from = static_cast<std::size_t>(
        std::clamp<std::int64_t>((guess - toFrames(reach, rate)).count(), 0, size)
    );
    const auto to = static_cast<std::size_t>(
        std::clamp<std::int64_t>((guess + toFrames(kAfter, rate)).count(), 0, size)
    );
    if (to < from + 16) {
        return guess;
    }
    const Fresh fresh = freshOf(samples, from, to, rate);
    const std::vector<double>& held = fresh.held;
    const std::size_t millisecond = framesOf(milliseconds(1.0), rate);
    const auto peak = static_cast<std::size_t>(std::ranges::max_element(held) - held.begin());
    const double floor = held[peak] * kFoot;

    // The latest place before the peak where the level has risen steeply within a millisecond
    // and stands at a fair part of the peak; in what rings on, where it has risen the most.
    // What is held stays equal for a while: its first counts, however the last digit is rounded.
    constexpr double kAsMuch = 1.0 - 1e-9;
    std::size_t risen = peak;
    double most = 0.0;
    const std::int64_t first =
        (guess - toFrames(own, rate)).count() - static_cast<std::int64_t>(from);
    const std::size_t earliest =
        std::min(static_cast<std::size_t>(std::max<std::int64_t>(first, 0)), peak);
    for (std::size_t n = peak + 1; n-- > std::max(millisecond, earliest);) {
        const double before = std::max(held[n - millisecond], 0.02 * held[peak]);
        if (held[n] >= 0.25 * held[peak] && held[n] >= kAsMuch * most * before) {
            risen = n;
            most = held[n] / before;
        }
        if (most >= kSteepRise) {
            break;
        }
    }
    return Frames(static_cast<std::int64_t>(from + footOf(fresh, risen, floor, millisecond)));
}

double noveltyOf(std::span<const float> samples, Hertz rate, Frames start)
{
    constexpr Seconds kTaught = milliseconds(25.0);
    constexpr Seconds kEarlier = milliseconds(24.0);  // what it was taught by ends this long before
    constexpr Seconds kFirst = milliseconds(-12.0);   // where it is looked for, from the start
    constexpr Seconds kLast = milliseconds(2.0);
    constexpr Seconds kStep = milliseconds(0.5);
    constexpr Seconds kNow = milliseconds(4.0);
    constexpr Seconds kPast = milliseconds(8.0);
    constexpr double kInaudible = 1e-14;  // power
    const auto at = static_cast<std::int64_t>(start.count());
    const auto frames = [rate](Seconds time) { return toFrames(time, rate).count(); };
    const std::int64_t from = at - frames(kEarlier) - frames(kTaught);
    const std::int64_t end =
        std::min(static_cast<std::int64_t>(samples.size()), at + frames(kLast) + frames(kNow));
    if (from < static_cast<std::int64_t>(LinearPrediction::kOrder) || end <= at) {
        return 60.0;  // the recording begins with it
    }
    const auto ringing = LinearPrediction::of(
        samples.subspan(static_cast<std::size_t>(from), static_cast<std::size_t>(frames(kTaught)))
    );
    const std::int64_t first = at + frames(kFirst) - frames(kPast) - frames(kStep);
    const std::vector<double> left =
        ringing.leftOf(samples, static_cast<std::size_t>(first), static_cast<std::size_t>(end));
    std::vector<double> sums(left.size() + 1, 0.0);
    for (std::size_t n = 0; n < left.size(); ++n) {
        sums[n + 1] = sums[n] + left[n] * left[n];
    }
    const auto power = [&](std::int64_t begin, std::int64_t length) {
        const std::int64_t last = std::min(begin + length, end);
        const double sum = sums[static_cast<std::size_t>(last - first)] -
                           sums[static_cast<std::size_t>(begin - first)];
        return (sum + kInaudible) / static_cast<double>(length);
    };
    double most = 0.0;
    const std::int64_t step = std::max<std::int64_t>(1, frames(kStep));
    for (std::int64_t t = at + frames(kFirst); t <= std::min(at + frames(kLast), end - step);
         t += step) {
        const double past = power(t - frames(kStep) - frames(kPast), frames(kPast));
        most = std::max(most, power(t, frames(kNow)) / past);
    }
    return 0.5 * toDecibels(most);
}

std::vector<EarlierRise>
risesBefore(std::span<const float> samples, Hertz rate, Frames start, Seconds reach)
{
    constexpr double kLeast = 0.02;     // of the peak: what is softer says nothing
    constexpr double kSilence = 0.004;  // likewise before it
    const auto size = static_cast<std::int64_t>(samples.size());
    const auto from = static_cast<std::size_t>(
        std::clamp<std::int64_t>((start - toFrames(reach, rate)).count(), 0, size)
    );
    const auto to = static_cast<std::size_t>(
        std::clamp<std::int64_t>((start + toFrames(kAfter, rate)).count(), 0, size)
    );
    const std::size_t millisecond = framesOf(milliseconds(1.0), rate);
    const auto begin = static_cast<std::size_t>(start.count()) - from;  // of the attack
    std::vector<EarlierRise> rises;
    if (begin < 2 * millisecond || to < from + begin + millisecond) {
        return rises;
    }
    const Fresh fresh = freshOf(samples, from, to, rate);
    const auto& held = fresh.held;
    const double peak =
        *std::max_element(held.begin() + static_cast<std::ptrdiff_t>(begin), held.end());
    // What is held says the truth only a little after the samples begin.
    for (std::size_t n = 2 * millisecond; n + millisecond / 3 < begin; ++n) {
        const double before = std::max(held[n - millisecond], kSilence * peak);
        if (held[n] < kLeast * peak || held[n] < kSteepRise * before) {
            continue;
        }
        const std::size_t foot = footOf(fresh, n, held[n] * kFoot, millisecond);
        const double most = *std::max_element(
            held.begin() + static_cast<std::ptrdiff_t>(n),
            held.begin() + static_cast<std::ptrdiff_t>(std::min(n + millisecond, begin))
        );
        rises.push_back(
            {Frames(static_cast<std::int64_t>(from + std::min(foot, n))), toDecibels(most / peak)}
        );
        n += millisecond;
    }
    return rises;
}

}  // namespace orthochron
