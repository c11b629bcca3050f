#include "core/shape/Hush.h"

#include "core/shape/Smooth.h"

#include <algorithm>

namespace orthochron {

namespace {

// A hush in frames, with how long its edges are.
struct Silence {
    FrameSpan span;
    Frames fall;  // before it begins
    Frames rise;  // before it ends

    Silence(const Hush& hush, const TempoMap& map, Hertz rate)
        : span(spanOf(hush, map, rate)),
          fall(std::max(toFrames(hush.edge, rate), Frames(1))),
          rise(std::min(fall, span.to - span.from))
    {}
    [[nodiscard]] Frames begin() const { return span.from - fall; }
    [[nodiscard]] double gainAt(Frames at) const
    {
        if (at < begin() || at >= span.to) {
            return 1.0;
        }
        if (at < span.from) {
            return 1.0 - smooth((at - begin()) / fall);
        }
        const Frames rises = span.to - rise;
        return at < rises ? 0.0 : smooth((at - rises) / rise);
    }
};

}  // namespace

FrameSpan spanOf(const Hush& hush, const TempoMap& map, Hertz rate)
{
    return {
        toFrames(timeOf(hush.from, hush.keeps, map), rate),
        toFrames(timeOf(hush.to, hush.keeps, map), rate)};
}

double hushedGain(std::span<const Hush> hushes, const TempoMap& map, Hertz rate, Frames songTime)
{
    double gain = 1.0;
    for (const Hush& hush : hushes) {
        gain *= Silence(hush, map, rate).gainAt(songTime);
    }
    return gain;
}

void applyHushes(
    std::span<const Hush> hushes, const TempoMap& map, Hertz rate, Frames from, AudioBuffer& sound
)
{
    const Frames to = from + sound.frames();
    for (const Hush& hush : hushes) {
        const Silence silence(hush, map, rate);
        const Frames first = std::max(silence.begin(), from);
        const Frames last = std::min(silence.span.to, to);
        for (Frames at = first; at < last; at += Frames(1)) {
            const auto gain = static_cast<float>(silence.gainAt(at));
            for (int c = 0; c < sound.channels(); ++c) {
                sound.channel(c)[static_cast<std::size_t>((at - from).count())] *= gain;
            }
        }
    }
}

}  // namespace orthochron
