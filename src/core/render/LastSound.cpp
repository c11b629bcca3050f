#include "core/render/LastSound.h"

#include "core/render/Render.h"

#include <algorithm>
#include <cmath>

namespace orthochron {

Result<Frames> lastSound(const Song& song, const Sources& sources, const Work& work)
{
    constexpr Frames kBlock{1 << 16};
    const auto least = static_cast<float>(fromDecibels(kLeastSound));
    Song plain = song;
    plain.level = {};
    for (auto& track : plain.tracks) {
        Track bare = *track;
        bare.level = {};
        bare.hushes.clear();
        track = std::make_shared<const Track>(std::move(bare));
    }
    AudioBuffer mix(2, kBlock);
    for (Frames to = song.length(); to > Frames(0); to -= kBlock) {
        if (work.stopped()) {
            return cancelled();
        }
        const Frames from = to - kBlock;
        if (auto rendered = renderMix(plain, sources, from, mix); !rendered) {
            return tl::unexpected(rendered.error());
        }
        for (std::int64_t i = kBlock.count() - 1; i >= 0; --i) {
            const auto at = static_cast<std::size_t>(i);
            if (std::abs(mix.channel(0)[at]) >= least || std::abs(mix.channel(1)[at]) >= least) {
                return from + Frames(i + 1);
            }
        }
    }
    return song.length();
}

}  // namespace orthochron
