#include "engine/playback/Stream.h"

#include <algorithm>

namespace orthochron::engine {

namespace {

constexpr std::int64_t kMask = Stream::kCapacity - 1;
constexpr Seconds kLoopFade = milliseconds(3.0);  // into the loop's beginning, before its end
constexpr Seconds kLeap = milliseconds(5.0);      // of a level, where it is edited

}  // namespace

Stream::Stream(StreamPlan plan)
    : plan_(std::move(plan)),
      click_(plan_.clickOn.value_or(plan_.song->tempo), plan_.song->rate, plan_.click)
{
    for (std::size_t t = 0; t < plan_.song->tracks.size(); ++t) {
        Lane lane;
        lane.slot = plan_.slots[t];
        lane.channels = std::min(2, channelsOf(*plan_.song->tracks[t], *plan_.sources));
        for (int c = 0; c < lane.channels; ++c) {
            lane.sound[static_cast<std::size_t>(c)].assign(kCapacity, 0.0F);
        }
        lanes_.push_back(std::move(lane));
    }
    Lane click;
    click.sound[0].assign(kCapacity, 0.0F);
    lanes_.push_back(std::move(click));
    leapFrames_ = toFrames(kLeap, plan_.song->rate).count();
}

Frames Stream::positionOf(std::int64_t frame) const noexcept
{
    const Frames at = plan_.start + Frames(frame);
    if (!plan_.loop || plan_.start >= plan_.loop->to || at < plan_.loop->to) {
        return at;
    }
    const std::int64_t length = (plan_.loop->to - plan_.loop->from).count();
    return plan_.loop->from + Frames((at - plan_.loop->to).count() % length);
}

Frames Stream::position(std::int64_t ago) const noexcept
{
    return positionOf(std::max<std::int64_t>(read_.load(std::memory_order_relaxed) - ago, 0));
}

bool Stream::isReady(std::int64_t frames) const
{
    return written_.load(std::memory_order_relaxed) - read_.load(std::memory_order_acquire) >=
           frames;
}

bool Stream::fill()
{
    const std::int64_t at = written_.load(std::memory_order_relaxed);
    if (kCapacity - (at - read_.load(std::memory_order_acquire)) < kChunk) {
        return false;
    }
    // A chunk never spans the loop's end.
    const Frames from = positionOf(at);
    std::int64_t count = kChunk;
    if (plan_.loop && from < plan_.loop->to) {
        count = std::min(count, (plan_.loop->to - from).count());
    }
    if (at > 0 && from < positionOf(at - 1)) {
        plan_.sources->leap();
    }
    for (std::size_t t = 0; t < plan_.song->tracks.size(); ++t) {
        render(lanes_[t], *plan_.song->tracks[t], from, at, count);
    }
    std::vector<float> click(static_cast<std::size_t>(count), 0.0F);
    click_.addTo(click, from);
    store(lanes_.back().sound[0], click, at);
    written_.store(at + count, std::memory_order_release);
    return true;
}

// Fades into what lies before the loop's beginning just before its end, so that the jump is smooth.
bool Stream::crossLoop(const Track& track, Frames from, AudioBuffer& sound) const
{
    const Frames fade = toFrames(kLoopFade, plan_.song->rate);
    if (!plan_.loop || plan_.start >= plan_.loop->to ||
        from + sound.frames() <= plan_.loop->to - fade || from >= plan_.loop->to) {
        return true;
    }
    AudioBuffer before(sound.channels(), sound.frames());
    const Frames length = plan_.loop->to - plan_.loop->from;
    if (!renderClips(track.clips, *plan_.sources, from - length, before)) {
        return false;
    }
    for (std::int64_t i = 0; i < sound.frames().count(); ++i) {
        const auto left = static_cast<double>((plan_.loop->to - from).count() - i);
        const auto part =
            static_cast<float>(std::clamp(1.0 - left / static_cast<double>(fade.count()), 0.0, 1.0)
            );
        for (int c = 0; c < sound.channels(); ++c) {
            float& value = sound.channel(c)[static_cast<std::size_t>(i)];
            value += part * (before.channel(c)[static_cast<std::size_t>(i)] - value);
        }
    }
    return true;
}

void Stream::render(
    Lane& lane, const Track& track, Frames from, std::int64_t place, std::int64_t count
)
{
    const int channels = std::max(lane.channels, channelsOf(track, *plan_.sources));
    AudioBuffer sound(channels, Frames(count));
    if (!renderClips(track.clips, *plan_.sources, from, sound) || !crossLoop(track, from, sound)) {
        sound.clear();
        failed_ = true;
    }
    for (int c = 2; c < channels; ++c) {
        const auto extra = sound.channel(c);
        const auto target = sound.channel(c % 2);
        std::ranges::transform(target, extra, target.begin(), std::plus{});
    }
    for (int c = 0; c < lane.channels; ++c) {
        store(lane.sound[static_cast<std::size_t>(c)], sound.channel(c), place);
    }
}

void Stream::store(std::vector<float>& ring, std::span<const float> sound, std::int64_t place)
{
    for (std::size_t i = 0; i < sound.size(); ++i) {
        ring[static_cast<std::size_t>((place + static_cast<std::int64_t>(i)) & kMask)] = sound[i];
    }
}

void Stream::eachPiece(std::size_t count, bool leaps, const auto& see) const noexcept
{
    const std::int64_t at = read_.load(std::memory_order_relaxed);
    for (std::size_t done = 0; done < count;) {
        const Frames from = positionOf(at + static_cast<std::int64_t>(done));
        std::size_t some = std::min(kPiece, count - done);
        if (plan_.loop && from < plan_.loop->to) {
            some = std::min(some, static_cast<std::size_t>((plan_.loop->to - from).count()));
        }
        const bool isElsewhere = done > 0 && plan_.loop && from == plan_.loop->from;
        see(done, some, from, leaps || isElsewhere);
        leaps = false;
        done += some;
    }
}

std::span<const float> Stream::shaped(
    SmoothGains& smooth, std::size_t count, bool leaps, bool isKnown, bool has, const auto& fill
) noexcept
{
    const auto gains = std::span(shape_).first(count);
    if (!isKnown) {
        std::ranges::fill(gains, smooth.last());
        return gains;
    }
    if (!has) {
        std::ranges::fill(gains, 1.0F);
        if (smooth.isOne()) {
            smooth.rest();
            return {};
        }
    } else {
        fill(gains);
    }
    smooth.follow(gains, leaps, leapFrames_);
    return gains;
}

void Stream::take(
    std::span<float> left,
    std::span<float> right,
    const Gains& gains,
    float click,
    const Shaping* shaping
) noexcept
{
    const std::int64_t at = read_.load(std::memory_order_relaxed);
    const std::size_t count = left.size();
    const bool isKnown = shaping != nullptr;
    const bool leaps = (isKnown && shaping->number() != shapedBy_) || positionOf(at) != expected_;
    const float step = 1.0F / static_cast<float>(count);
    for (std::size_t k = 0; k < lanes_.size(); ++k) {
        Lane& lane = lanes_[k];
        const bool isClick = k + 1 == lanes_.size();
        if (isClick) {
            followSong(left, right, leaps, shaping);
        }
        const std::array<float, 2> goal =
            isClick ? std::array<float, 2>{click, click}
                    : std::array<float, 2>{
                          gains[lane.slot][0] * plan_.gain, gains[lane.slot][1] * plan_.gain};
        if (!lane.hasGain) {
            lane.gain = goal;
            lane.hasGain = true;
        }
        const bool isStill = lane.gain == goal;
        if (isStill && goal[0] == 0.0F && goal[1] == 0.0F) {
            lane.shape = {};
            continue;
        }
        const auto& first = lane.sound[0];
        const auto& second = lane.channels > 1 ? lane.sound[1] : lane.sound[0];
        eachPiece(
            count,
            leaps,
            [&](std::size_t begin, std::size_t some, Frames from, bool mayLeap) {
                const bool has = isKnown && !isClick && shaping->has(lane.slot);
                const auto shape =
                    isClick
                        ? std::span<const float>()
                        : shaped(
                              lane.shape,
                              some,
                              mayLeap,
                              isKnown,
                              has,
                              [&](std::span<float> into) { shaping->gains(lane.slot, from, into); }
                          );
                for (std::size_t i = begin; i < begin + some; ++i) {
                    const auto place =
                        static_cast<std::size_t>((at + static_cast<std::int64_t>(i)) & kMask);
                    const float part = isStill ? 1.0F : static_cast<float>(i + 1) * step;
                    const float along = shape.empty() ? 1.0F : shape[i - begin];
                    left[i] += first[place] * along *
                               (isStill ? goal[0] : lane.gain[0] + part * (goal[0] - lane.gain[0]));
                    right[i] +=
                        second[place] * along *
                        (isStill ? goal[1] : lane.gain[1] + part * (goal[1] - lane.gain[1]));
                }
            }
        );
        lane.gain = goal;
    }
    shapedBy_ = isKnown ? shaping->number() : shapedBy_;
    skip(static_cast<std::int64_t>(count));
    expected_ = positionOf(at + static_cast<std::int64_t>(count) - 1) + Frames(1);
}

void Stream::followSong(
    std::span<float> left, std::span<float> right, bool leaps, const Shaping* shaping
) noexcept
{
    eachPiece(
        left.size(),
        leaps,
        [&](std::size_t begin, std::size_t some, Frames from, bool mayLeap) {
            const auto shape = shaped(
                songShape_,
                some,
                mayLeap,
                shaping != nullptr,
                shaping != nullptr && shaping->hasSong(),
                [&](std::span<float> into) { shaping->songGains(from, into); }
            );
            for (std::size_t i = 0; i < shape.size(); ++i) {
                left[begin + i] *= shape[i];
                right[begin + i] *= shape[i];
            }
        }
    );
}

}  // namespace orthochron::engine
