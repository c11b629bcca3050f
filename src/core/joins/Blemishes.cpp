#include "core/joins/Blemishes.h"

#include "core/joins/Layers.h"

#include <algorithm>
#include <cmath>
#include <limits>
#include <vector>

namespace orthochron {

namespace {

constexpr Seconds kSmooth = milliseconds(3.0);  // what is as slow as this is low
constexpr Seconds kWindow = milliseconds(2.0);
constexpr Seconds kStep = milliseconds(0.5);
constexpr Seconds kNearby = milliseconds(3.0);
constexpr Seconds kLevelTime = milliseconds(10.0);
constexpr Seconds kLevelStep = milliseconds(1.0);
// In power, against what comes next: softer, it is not heard before that.
constexpr double kTickHeard = 1e-5;
constexpr double kDipHeard = 1e-4;
constexpr double kStepHeard = 1e-4;
constexpr double kStepForATick = 4.0;  // a rise by so much (6 dB) is as bad as a tick of 0 dB
constexpr double kNearlyADip = 0.75;
constexpr double kNothing = 1e-14;

std::size_t count(Seconds time, Hertz rate)
{
    return static_cast<std::size_t>(std::max<std::int64_t>(1, toFrames(time, rate).count()));
}

std::vector<double> runningSum(std::span<const double> values)
{
    std::vector<double> sums(values.size() + 1, 0.0);
    for (std::size_t i = 0; i < values.size(); ++i) {
        sums[i + 1] = sums[i] + values[i];
    }
    return sums;
}

// Less its own mean over 3 ms, twice: 80 Hz are 41 dB down, 170 Hz 17 dB. Nothing is delayed.
std::vector<double> highSounds(std::span<const float> sound, Hertz rate)
{
    std::vector<double> high(sound.begin(), sound.end());
    const std::size_t half = count(kSmooth, rate) / 2;
    for (int pass = 0; pass < 2; ++pass) {
        const std::vector<double> sums = runningSum(high);
        for (std::size_t i = 0; i < high.size(); ++i) {
            const std::size_t from = i > half ? i - half : 0;
            const std::size_t to = std::min(high.size(), i + half + 1);
            high[i] -= (sums[to] - sums[from]) / static_cast<double>(to - from);
        }
    }
    return high;
}

// As running sums.
std::vector<double> highPowers(std::span<const float> sound, Hertz rate)
{
    std::vector<double> high = highSounds(sound, rate);
    for (double& value : high) {
        value *= value;
    }
    return runningSum(high);
}

// Of what is heard and of both sides, as running sums.
struct Powers {
    std::vector<double> heard;
    std::vector<double> before;
    std::vector<double> after;
};

Powers highPowersOf(const Joined& joined, Hertz rate)
{
    return {
        highPowers(joined.edited, rate),
        highPowers(joined.before, rate),
        highPowers(joined.after, rate)};
}

// Around a frame, of running sums.
double powerAt(const std::vector<double>& sums, std::size_t frame, std::size_t window)
{
    const std::size_t last = sums.size() - 1;
    const std::size_t from = frame > window / 2 ? std::min(frame - window / 2, last - 1) : 0;
    const std::size_t to = std::min(from + window, last);
    return (sums[to] - sums[from]) / static_cast<double>(to - from);
}

// The two sides as a crossfade of `length` frames from `begin` on joins them.
std::vector<float> crossfaded(
    std::span<const float> before,
    std::span<const float> after,
    std::size_t begin,
    std::size_t length,
    FadeShape shape
)
{
    std::vector<float> edited(before.begin(), before.end());
    std::ranges::copy(
        after.subspan(begin + length), edited.begin() + static_cast<std::ptrdiff_t>(begin + length)
    );
    const double alike = correlationOf(before.subspan(begin, length), after.subspan(begin, length));
    for (std::size_t i = 0; i < length; ++i) {
        const FadeGains gains =
            fadeGains(shape, alike, (static_cast<double>(i) + 0.5) / static_cast<double>(length));
        const std::size_t n = begin + i;
        edited[n] = static_cast<float>(
            gains.out * static_cast<double>(before[n]) + gains.in * static_cast<double>(after[n])
        );
    }
    return edited;
}

struct Tick {
    double rise = 0.0;   // in power of the high sounds, against what either side has nearby
    double power = 0.0;  // mean square of the high sounds there
};

// The greatest rise over the crossfade; `tickAt` tells that of each frame.
template<class TickAt>
Tick greatest(const Joined& joined, std::size_t step, const TickAt& tickAt)
{
    Tick most;
    for (std::size_t at = joined.begin; at <= joined.begin + joined.length; at += step) {
        if (const Tick here = tickAt(at); here.rise > most.rise) {
            most = here;
        }
    }
    return most;
}

// Where the high sounds rise most over what either side has nearby, as long as it is heard.
Tick tickIn(const Powers& high, const Joined& joined, Hertz rate)
{
    const std::size_t window = count(kWindow, rate);
    const std::size_t step = count(kStep, rate);
    const std::size_t nearby = count(kNearby, rate);
    return greatest(joined, step, [&](std::size_t at) {
        double usual = kNothing;
        for (std::size_t k = at > nearby ? at - nearby : 0; k <= at + nearby; k += step) {
            if (k <= joined.begin + joined.length) {
                usual = std::max(usual, powerAt(high.before, k, window));
            }
            if (k >= joined.begin) {
                usual = std::max(usual, powerAt(high.after, k, window));
            }
        }
        const double power = powerAt(high.heard, at, window);
        return Tick{power / usual, power};
    });
}

// How much more power what comes just after a frame has than what was just before.
double riseAt(const std::vector<double>& sums, std::size_t frame, std::size_t window)
{
    return (powerAt(sums, frame + window / 2, window) + kNothing) /
           (powerAt(sums, frame - std::min(frame, 3 * window / 2), window) + kNothing);
}

// Where the high sounds rise most by going over to a louder side, against what either side rises by itself nearby.
Tick stepIn(const Powers& high, const Joined& joined, Hertz rate)
{
    const std::size_t window = count(kWindow, rate);
    const std::size_t step = count(kStep, rate);
    const std::size_t nearby = count(kNearby, rate);
    return greatest(joined, step, [&](std::size_t at) {
        double usual = 1.0;
        for (std::size_t k = at - std::min(at, nearby); k <= at + nearby; k += step) {
            usual =
                std::max({usual, riseAt(high.before, k, window), riseAt(high.after, k, window)});
        }
        return Tick{
            riseAt(high.heard, at, window) / usual, powerAt(high.heard, at + window / 2, window)};
    });
}

// A level, mean square, and what it would be without a dip.
struct Level {
    double heard = 0.0;
    double expected = 0.0;
};

double partLeft(const Level& level, double audible)
{
    return level.expected > std::max(audible, kNothing) ? level.heard / level.expected : 1.0;
}

Level asAWhole(const Joined& joined, Hertz rate)
{
    const std::size_t least = count(kLevelTime, rate);
    const std::size_t wider = joined.length < least ? (least - joined.length) / 2 : 0;
    const std::size_t from = joined.begin - std::min(joined.begin, wider);
    const std::size_t to = std::min(joined.begin + joined.length + wider, joined.edited.size());
    const auto square = [](float value) {
        return static_cast<double>(value) * static_cast<double>(value);
    };
    Level level;
    for (std::size_t n = from; n < to; ++n) {
        const double along = static_cast<double>(n) + 0.5 - static_cast<double>(joined.begin);
        const double part =
            std::clamp(along / std::max<double>(1.0, static_cast<double>(joined.length)), 0.0, 1.0);
        level.expected += (1.0 - part) * square(joined.before[n]) + part * square(joined.after[n]);
        level.heard += square(joined.edited[n]);
    }
    const auto size = static_cast<double>(to - from);
    return {level.heard / size, level.expected / size};
}

// Of the windows that touch the crossfade.
Level whereItDips(const Powers& powers, const Joined& joined, Hertz rate)
{
    const std::size_t window = count(kLevelTime, rate);
    const std::size_t step = count(kLevelStep, rate);
    const std::size_t first = window / 2;
    const std::size_t last = joined.edited.size() - std::min(joined.edited.size(), window - first);
    Level worst{1.0, 1.0};
    for (std::size_t at = std::max(joined.begin, first);
         at <= std::min(joined.begin + joined.length, last);
         at += step) {
        double least = std::numeric_limits<double>::infinity();
        const std::size_t nearest = at > window ? at - window : 0;
        for (std::size_t k = std::max(nearest, first); k <= std::min(at + window, last);
             k += step) {
            least = std::min(
                {least, powerAt(powers.before, k, window), powerAt(powers.after, k, window)}
            );
        }
        const double heard = powerAt(powers.heard, at, window);
        if (heard * worst.expected < worst.heard * least) {
            worst = {heard, least};
        }
    }
    return worst;
}

// See above; `high`: of its high sounds.
double levelLeft(const Powers& high, const Joined& joined, const SoundPower& audible, Hertz rate)
{
    const Level whole = asAWhole(joined, rate);
    const Level worst = whereItDips(high, joined, rate);
    return std::sqrt(std::min(partLeft(whole, audible.all), partLeft(worst, audible.high)));
}

}  // namespace

SoundPower soundPowerOf(std::span<const float> sound, Hertz rate)
{
    if (sound.empty()) {
        return {};
    }
    const auto size = static_cast<double>(sound.size());
    return {meanPower(sound), highPowers(sound, rate).back() / size};
}

double levelLeft(const Joined& joined, const SoundPower& audible, Hertz rate)
{
    return levelLeft(highPowersOf(joined, rate), joined, audible, rate);
}

double tickOf(
    std::span<const float> before,
    std::span<const float> after,
    FadeShape shape,
    const SoundPower& next,
    Hertz rate
)
{
    const auto begin = static_cast<std::size_t>(toFrames(kBlemishMargin, rate).count());
    const std::size_t length = before.size() - 2 * begin;
    const auto edited = crossfaded(before, after, begin, length, shape);
    const Joined joined{edited, before, after, begin, length};
    const SoundPower audible{kDipHeard * next.all, kDipHeard * next.high};
    const Powers high = highPowersOf(joined, rate);
    if (levelLeft(high, joined, audible, rate) < kNearlyADip) {
        return std::numeric_limits<double>::infinity();
    }
    const Tick tick = tickIn(high, joined, rate);
    const Tick step = stepIn(high, joined, rate);
    return std::max(
        tick.power > kTickHeard * next.high ? tick.rise : 0.0,
        step.power > kStepHeard * next.high ? step.rise / kStepForATick : 0.0
    );
}

}  // namespace orthochron
