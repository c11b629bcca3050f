#include "core/stretch/Ringing.h"

#include "core/joins/Layers.h"
#include "core/time/Units.h"

#include <algorithm>
#include <cmath>

namespace orthochron {

namespace {

constexpr Seconds kLevel = milliseconds(20.0);  // a period of the lowest drum
constexpr Seconds kHop = milliseconds(2.5);
constexpr Seconds kFalls = milliseconds(120.0);  // the last of it tell how fast it dies away
constexpr Seconds kNext =
    milliseconds(15.0);  // of the next stroke, by which it covers what comes back
constexpr Seconds kEarly = milliseconds(0.5);
constexpr double kRises = 4.0;       // in power, where a microphone hears the next stroke early
constexpr double kUncovered = -3.0;  // dB that may come back with nothing struck
constexpr double kLeast = -30.0;     // dB; how it would go on is less and less known

// The power of all channels from a frame on.
double powerOf(const AudioBuffer& sound, std::int64_t from, std::int64_t length)
{
    double sum = 0.0;
    for (int c = 0; c < sound.channels(); ++c) {
        sum += meanPower(sound.channel(c).subspan(
            static_cast<std::size_t>(from), static_cast<std::size_t>(length)
        ));
    }
    return std::max(sum, 1e-14);
}

double decibelsOf(double power)
{
    return 10.0 * std::log10(power);
}

// By how much the last of these fall from each to the next: a line through them.
double fallOf(std::span<const double> levels)
{
    const double middle = 0.5 * (static_cast<double>(levels.size()) - 1.0);
    double along = 0.0;
    double spread = 1e-9;
    for (std::size_t k = 0; k < levels.size(); ++k) {
        const double place = static_cast<double>(k) - middle;
        along += place * levels[k];
        spread += place * place;
    }
    return along / spread;
}

}  // namespace

Result<std::shared_ptr<const Ringing>> Ringing::of(SampleSource& take, const Struck& stroke)
{
    const auto frames = [&](Seconds time) { return toFrames(time, take.rate()).count(); };
    const std::int64_t hop = std::max<std::int64_t>(frames(kHop), 1);
    const std::int64_t window = frames(kLevel);
    const std::int64_t leadIn = stroke.leadIn.count();
    const std::int64_t length = (stroke.next - stroke.at).count();
    AudioBuffer sound(take.channels(), Frames(window + length + leadIn + frames(kNext)));
    if (auto read = take.read(stroke.at - Frames(window), sound); !read) {
        return tl::unexpected(read.error());
    }
    auto ring = std::shared_ptr<Ringing>(new Ringing(stroke.at, Frames(hop)));
    std::vector<double>& levels = ring->decibels_;
    for (std::int64_t at = 0; at <= length; at += hop) {
        levels.push_back(decibelsOf(powerOf(sound, at, window)));
    }
    const auto last = std::min(levels.size() / 2, static_cast<std::size_t>(frames(kFalls) / hop));
    ring->fall_ = fallOf(std::span(levels).last(last));
    // What is struck next covers that the take comes back.
    const double before = powerOf(sound, length, window);
    const double rise =
        decibelsOf(powerOf(sound, window + length + leadIn, frames(kNext)) / before);
    ring->least_ = std::clamp(kUncovered - std::max(rise, 0.0), kLeast, 0.0);
    for (std::size_t k = levels.size() - 1; k-- > 0;) {
        levels[k] = std::max(levels[k], levels[k + 1]);
    }
    const std::int64_t early = std::max<std::int64_t>(frames(kEarly), 1);
    std::int64_t at = 0;
    while (at < leadIn && powerOf(sound, window + length + at, early) < kRises * before) {
        at += early;
    }
    ring->nextHeard_ = stroke.next + Frames(std::min(at, leadIn));
    return ring;
}

double Ringing::levelAt(double hops) const
{
    const auto last = static_cast<double>(decibels_.size() - 1);
    if (hops >= last) {
        return decibels_.back() + (hops - last) * fall_;
    }
    const double place = std::max(hops, 0.0);
    const auto before = static_cast<std::size_t>(place);
    return std::lerp(decibels_[before], decibels_[before + 1], place - std::floor(place));
}

double Ringing::gainAt(Frames at, Frames later) const
{
    const auto hops = [&](Frames time) {
        return static_cast<double>(time.count()) / static_cast<double>(hop_.count());
    };
    const double place = hops(at - first_);
    const double fallen = levelAt(place + hops(later)) - levelAt(place);
    return fromDecibels(std::clamp(fallen, least_, 0.0));
}

}  // namespace orthochron
