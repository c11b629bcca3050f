#include "core/shape/Hush.h"

#include "core/shape/Smooth.h"

#include <algorithm>

namespace orthochron {

namespace {

constexpr double kAbout = 0.01;  // quarter notes or seconds

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
    [[nodiscard]] Frames rises() const { return span.to - rise; }
    [[nodiscard]] double gainAt(Frames at) const
    {
        if (at < begin() || at >= span.to) {
            return 1.0;
        }
        if (at < span.from) {
            return 1.0 - smooth((at - begin()) / fall);
        }
        return at < rises() ? 0.0 : smooth((at - rises()) / rise);
    }
};

}  // namespace

FrameSpan spanOf(const Hush& hush, const TempoMap& map, Hertz rate)
{
    return {
        toFrames(timeOf(hush.from, hush.keeps, map), rate),
        toFrames(timeOf(hush.to, hush.keeps, map), rate)};
}

namespace {

// Tells `each` of the hushes that reach into [from, to), and perhaps of one that almost does.
void forThoseIn(
    std::span<const Hush> hushes,
    const TempoMap& map,
    Hertz rate,
    Frames from,
    Frames to,
    const auto& each
)
{
    if (hushes.empty()) {
        return;
    }
    // Those that are far away are told by their places, without asking the map for each.
    const auto reach = [&](Keeps keeps) {
        return std::pair{
            placeOf(toSeconds(from, rate), keeps, map),
            placeOf(toSeconds(to, rate) + kLongestHushEdge, keeps, map)};
    };
    const std::pair bars = reach(Keeps::Bars);
    const std::pair times = reach(Keeps::Time);
    for (const Hush& hush : hushes) {
        const auto& [first, last] = hush.keeps == Keeps::Bars ? bars : times;
        // A frame may be a little off the place it stands for.
        if (hush.to >= first - HeldPlace(kAbout) && hush.from <= last + HeldPlace(kAbout)) {
            each(Silence(hush, map, rate));
        }
    }
}

}  // namespace

bool isSilent(std::span<const Hush> hushes, const TempoMap& map, Hertz rate, Frames from, Frames to)
{
    bool isCovered = false;
    forThoseIn(hushes, map, rate, from, to, [&](const Silence& silence) {
        isCovered |= silence.span.from <= from && silence.rises() >= to;
    });
    return isCovered;
}

void applyHushes(
    std::span<const Hush> hushes,
    const TempoMap& map,
    Hertz rate,
    Frames from,
    std::span<float> values
)
{
    const Frames to = from + Frames(std::ssize(values));
    forThoseIn(hushes, map, rate, from, to, [&](const Silence& silence) {
        const auto gain = [&](Frames begin, Frames end, const auto& gainAt) {
            for (Frames at = std::max(begin, from); at < std::min(end, to); at += Frames(1)) {
                values[static_cast<std::size_t>((at - from).count())] *= gainAt(at);
            }
        };
        const auto edge = [&](Frames at) { return static_cast<float>(silence.gainAt(at)); };
        gain(silence.begin(), silence.span.from, edge);
        gain(silence.rises(), silence.span.to, edge);
        const Frames begin = std::max(silence.span.from, from);
        const Frames end = std::min(silence.rises(), to);
        if (begin < end) {
            std::ranges::fill(
                values.subspan(
                    static_cast<std::size_t>((begin - from).count()),
                    static_cast<std::size_t>((end - begin).count())
                ),
                0.0F
            );
        }
    });
}

}  // namespace orthochron
