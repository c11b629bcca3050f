#include "core/tune/PlainTones.h"

#include <algorithm>
#include <cmath>
#include <numbers>

namespace orthochron {

namespace {

constexpr double kLevel = 0.1;     // of the first partial: -20 dB
constexpr double kOvertone = 0.3;  // of the second, against the first
constexpr Seconds kFade = milliseconds(15.0);

}  // namespace

AudioBuffer plainTones(std::span<const TonesAt> tones, Frames at, Frames length, Hertz rate)
{
    AudioBuffer sound(2, length);
    const auto fade = static_cast<double>(toFrames(kFade, rate).count());
    for (const TonesAt& each : tones) {
        const std::int64_t first = std::max(each.from - at, Frames(0)).count();
        const std::int64_t last = std::min(each.to - at, length).count();
        const double level =
            kLevel / std::sqrt(std::max(1.0, static_cast<double>(each.pitches.size())));
        for (const double pitch : each.pitches) {
            const double step = 2.0 * std::numbers::pi * kConcertPitch.count() *
                                std::exp2((pitch - 69.0) / 12.0) / rate.count();
            for (std::int64_t i = first; i < last; ++i) {
                const auto since = static_cast<double>(i - (each.from - at).count());
                const auto left = static_cast<double>((each.to - at).count() - i);
                const double gain = level * std::clamp(std::min(since, left) / fade, 0.0, 1.0);
                const double value =
                    gain * (std::sin(step * since) + kOvertone * std::sin(2.0 * step * since));
                for (int c = 0; c < 2; ++c) {
                    sound.channel(c)[static_cast<std::size_t>(i)] += static_cast<float>(value);
                }
            }
        }
    }
    return sound;
}

std::vector<double> tonicChord(const Rungs& rungs, double pitch)
{
    const int tonic = rungs.key.tonic;
    const int near = static_cast<int>(std::floor(pitch + 0.5));
    const int root = near - ((near - tonic) % 12 + 12) % 12;
    const int third = rungs.key.has(root + 4) || !rungs.key.has(root + 3) ? 4 : 3;
    const int fifth = rungs.key.has(root + 7) || !rungs.key.has(root + 6) ? 7 : 6;
    std::vector<double> chord;
    for (const int above : {0, third, fifth}) {
        chord.push_back(rungs.temperament.heightOf(root + above));
    }
    return chord;
}

}  // namespace orthochron
