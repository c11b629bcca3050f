#include "engine/playback/Click.h"

#include <cmath>
#include <numbers>

namespace orthochron::engine {

namespace {

constexpr double kLength = 0.06;  // s

std::vector<float> soundOf(ClickSound sound, bool isBar, Hertz rate)
{
    std::vector<float> samples(static_cast<std::size_t>(kLength * rate.count()));
    const double lift = isBar ? 1.5 : 1.0;
    for (std::size_t i = 0; i < samples.size(); ++i) {
        const double t = static_cast<double>(i) / rate.count();
        const double turn = 2.0 * std::numbers::pi * t;
        double value = 0.0;
        switch (sound) {
        case ClickSound::Wood:
            value = std::sin(turn * 820.0 * lift) * std::exp(-t / 0.009) +
                    0.5 * std::sin(turn * 1970.0 * lift) * std::exp(-t / 0.004);
            break;
        case ClickSound::Bell:
            value = 0.6 * std::sin(turn * 1760.0 * lift) * std::exp(-t / 0.025) +
                    0.4 * std::sin(turn * 4710.0 * lift) * std::exp(-t / 0.012);
            break;
        case ClickSound::Tick:
            value = std::sin(turn * 3200.0 * lift) * std::exp(-t / 0.0015);
            break;
        }
        samples[i] = static_cast<float>(0.9 * value);
    }
    return samples;
}

}  // namespace

Click::Click(TempoMap map, Hertz rate, ClickSound sound)
    : map_(std::move(map)),
      rate_(rate),
      bar_(soundOf(sound, true, rate)),
      beat_(soundOf(sound, false, rate))
{}

void Click::addTo(std::span<float> into, Frames from) const
{
    const Frames to = from + Frames(static_cast<std::int64_t>(into.size()));
    const Frames earliest = from - Frames(static_cast<std::int64_t>(bar_.size()));
    int bar = map_.barAt(map_.beatsAt(toSeconds(earliest, rate_)));
    for (;; ++bar) {
        const Meter meter = map_.meterOfBar(bar);
        const Beats start = map_.startOfBar(bar);
        if (toFrames(map_.timeAt(start), rate_) >= to) {
            return;
        }
        for (int beat = 0; beat < meter.numerator; ++beat) {
            const Frames at = toFrames(map_.timeAt(start + meter.beatLength() * beat), rate_);
            const auto& sound = beat == 0 ? bar_ : beat_;
            for (std::size_t i = 0; i < sound.size(); ++i) {
                const std::int64_t place = (at - from).count() + static_cast<std::int64_t>(i);
                if (place >= 0 && place < static_cast<std::int64_t>(into.size())) {
                    into[static_cast<std::size_t>(place)] += sound[i];
                }
            }
        }
    }
}

}  // namespace orthochron::engine
