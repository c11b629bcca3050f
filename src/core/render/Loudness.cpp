#include "core/render/Loudness.h"

#include <ebur128.h>

#include "core/render/Render.h"

#include <algorithm>
#include <cmath>
#include <memory>

namespace orthochron {

Result<std::optional<double>>
loudnessOf(const Song& song, const Sources& sources, Frames from, Frames to, const Work& work)
{
    constexpr Frames kBlock(32768);
    if (to <= from) {
        return badArgument("nothing to measure loudness on");
    }
    const auto free = [](ebur128_state* state) { ebur128_destroy(&state); };
    const std::unique_ptr<ebur128_state, decltype(free)> meter(
        ebur128_init(2, static_cast<unsigned long>(song.rate.count()), EBUR128_MODE_I), free
    );
    std::vector<float> interleaved;
    for (Frames at = from; at < to; at += kBlock) {
        if (work.stopped()) {
            return cancelled();
        }
        AudioBuffer mix(2, std::min(kBlock, to - at));
        if (auto rendered = renderMix(song, sources, at, mix); !rendered) {
            return tl::unexpected(rendered.error());
        }
        const auto frames = static_cast<std::size_t>(mix.frames().count());
        interleaved.resize(2 * frames);
        for (std::size_t i = 0; i < frames; ++i) {
            interleaved[2 * i] = mix.channel(0)[i];
            interleaved[2 * i + 1] = mix.channel(1)[i];
        }
        ebur128_add_frames_float(meter.get(), interleaved.data(), frames);
        work.report((at - from) / (to - from));
    }
    double value = 0.0;
    ebur128_loudness_global(meter.get(), &value);
    constexpr double kGate = -70.0;
    return std::isfinite(value) && value > kGate ? std::optional(value) : std::nullopt;
}

}  // namespace orthochron
