#include "core/stretch/PlainSpans.h"

#include <algorithm>

namespace orthochron {

namespace {

constexpr Seconds kBeforeAttack = milliseconds(12.0);
// Of them; what is left is before what the engine softens.
constexpr Seconds kAttackFade = milliseconds(5.0);
constexpr Seconds kAfterAttack = milliseconds(50.0);
constexpr Seconds kLeastAttack = milliseconds(35.0);

// Where time runs at 1:1.
std::vector<PlainSpan> evenSpans(const TimeMap& time, Hertz rate)
{
    const Frames fade = toFrames(kBlendFade, rate);
    const auto& pins = time.pins();
    const Frames far(std::int64_t{1} << 60);
    std::vector<PlainSpan> spans;
    const auto add = [&](Frames from, Frames to, Frames shift) {
        if (!spans.empty() && spans.back().to == from && spans.back().shift == shift) {
            spans.back().to = to;
        } else {
            spans.push_back({from, to, shift, fade, fade});
        }
    };
    if (pins.empty()) {
        add(-far, far, Frames(0));
    } else {
        add(-far, pins.front().sound, pins.front().sound - pins.front().take);
    }
    for (std::size_t i = 0; i < pins.size(); ++i) {
        const Frames shift = pins[i].sound - pins[i].take;
        const bool isLast = i + 1 == pins.size();
        if (isLast || pins[i + 1].sound - pins[i + 1].take == shift) {
            add(pins[i].sound, isLast ? far : pins[i + 1].sound, shift);
        }
    }
    // What is too short to go over to and back is not worth it.
    std::erase_if(spans, [fade](const PlainSpan& one) { return one.to - one.from < fade * 3; });
    return spans;
}

}  // namespace

// Attacks are the take's own where the map puts them: the engine has them some milliseconds off, and softer.
std::vector<PlainSpan> plainSpans(const TimeMap& time, std::span<const Frames> attacks, Hertz rate)
{
    const auto frames = [rate](Seconds length) { return toFrames(length, rate); };
    const std::vector<PlainSpan> even = evenSpans(time, rate);
    std::vector<PlainSpan> spans;
    auto next = even.begin();
    for (const Frames attack : attacks) {
        const Frames at = time.soundTimeOf(attack);
        PlainSpan span{
            at - frames(kBeforeAttack),
            at + frames(kAfterAttack),
            at - attack,
            frames(kAttackFade),
            frames(kBlendFade)};
        for (; next != even.end() && next->from < span.from; ++next) {
            spans.push_back(*next);
        }
        if (!spans.empty() && spans.back().to > span.from) {
            continue;  // its attack has begun, or it is heard as it is
        }
        span.to = std::min(span.to, next == even.end() ? span.to : next->from);
        if (span.to - span.from >= frames(kLeastAttack)) {
            spans.push_back(span);
        }
    }
    spans.insert(spans.end(), next, even.end());
    return spans;
}

}  // namespace orthochron
