#pragma once

#include "core/base/Result.h"
#include "core/base/Work.h"
#include "core/time/Units.h"

#include <algorithm>
#include <functional>
#include <span>
#include <vector>

namespace orthochron {

// One channel of a recording, read where it is needed: hours of it never stand in memory.
struct Channel {
    Frames frames;
    // Fills `into` with what begins at a frame; silence outside the recording.
    std::function<Result<void>(Frames from, std::span<float> into)> read;
};

// A channel over samples in memory, which must outlive it.
[[nodiscard]] inline Channel channelOver(std::span<const float> samples)
{
    return {
        Frames(static_cast<std::int64_t>(samples.size())),
        [samples](Frames from, std::span<float> into) -> Result<void> {
            const auto size = static_cast<std::int64_t>(samples.size());
            const auto wanted = static_cast<std::int64_t>(into.size());
            const std::int64_t first = std::clamp<std::int64_t>(-from.count(), 0, wanted);
            const std::int64_t last = std::clamp<std::int64_t>(size - from.count(), first, wanted);
            std::ranges::fill(into, 0.0F);
            if (last > first) {
                std::copy_n(
                    samples.begin() + from.count() + first, last - first, into.begin() + first
                );
            }
            return {};
        }};
}

// Hands the channel over block by block, each with up to `margin` of what is around it: `see` gets
// the samples, the frame they begin at, and where the block itself begins and ends.
// Errors: the channel's; Cancelled.
template<class See>
[[nodiscard]] Result<void>
forEachBlock(const Channel& channel, Frames block, Frames margin, const Work& work, const See& see)
{
    std::vector<float> samples;
    for (Frames from{0}; from < channel.frames; from += block) {
        if (work.stopped()) {
            return cancelled();
        }
        const Frames to = std::min(from + block, channel.frames);
        const Frames first = std::max(from - margin, Frames(0));
        const Frames last = std::min(to + margin, channel.frames);
        samples.resize(static_cast<std::size_t>((last - first).count()));
        if (auto read = channel.read(first, samples); !read) {
            return read;
        }
        see(std::span<const float>(samples), first, from, to);
        work.report(static_cast<double>(to.count()) / static_cast<double>(channel.frames.count()));
    }
    return {};
}

}  // namespace orthochron
