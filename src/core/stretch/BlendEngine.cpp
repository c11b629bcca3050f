#include "core/stretch/BlendEngine.h"

#include <rubberband/RubberBandStretcher.h>

#include <algorithm>
#include <map>

namespace orthochron {

namespace {

using RubberBand::RubberBandStretcher;

constexpr std::size_t kBlock = 8192;

std::vector<const float*> pointersAt(const AudioBuffer& sound, std::size_t frame)
{
    std::vector<const float*> pointers;
    for (int c = 0; c < sound.channels(); ++c) {
        pointers.push_back(sound.channel(c).data() + frame);
    }
    return pointers;
}

RubberBandStretcher::Options optionsOf(const BlendPass& pass)
{
    return RubberBandStretcher::OptionProcessOffline | RubberBandStretcher::OptionThreadingNever |
           (pass.engine == BlendEngine::Finer ? RubberBandStretcher::OptionEngineFiner
                                              : RubberBandStretcher::OptionEngineFaster) |
           (pass.keepsFormants ? RubberBandStretcher::OptionFormantPreserved
                               : RubberBandStretcher::OptionFormantShifted);
}

}  // namespace

AudioBuffer stretchedOffline(const AudioBuffer& take, const BlendPass& pass)
{
    AudioBuffer made(take.channels(), pass.last - pass.first);
    RubberBandStretcher engine(
        static_cast<std::size_t>(pass.rate.count()),
        static_cast<std::size_t>(take.channels()),
        optionsOf(pass),
        made.frames() / take.frames(),
        pass.pitch
    );
    std::map<std::size_t, std::size_t> places;
    for (const Pin& pin : pass.pins) {
        if (pin.take > pass.from && pin.take < pass.from + take.frames()) {
            places[static_cast<std::size_t>((pin.take - pass.from).count())] =
                static_cast<std::size_t>((pin.sound - pass.first).count());
        }
    }
    if (!places.empty()) {
        engine.setKeyFrameMap(places);
    }
    const auto frames = static_cast<std::size_t>(take.frames().count());
    engine.setExpectedInputDuration(frames);
    engine.setMaxProcessSize(kBlock);
    for (std::size_t at = 0; at < frames; at += kBlock) {
        const std::size_t count = std::min(kBlock, frames - at);
        engine.study(pointersAt(take, at).data(), count, at + count == frames);
    }
    std::size_t done = 0;
    const auto fetch = [&] {
        const auto room = static_cast<std::size_t>(made.frames().count()) - done;
        const int ready = engine.available();
        if (ready <= 0 || room == 0) {
            return;
        }
        std::vector<float*> targets;
        for (int c = 0; c < made.channels(); ++c) {
            targets.push_back(made.channel(c).data() + done);
        }
        done += engine.retrieve(targets.data(), std::min(static_cast<std::size_t>(ready), room));
    };
    for (std::size_t at = 0; at < frames; at += kBlock) {
        const std::size_t count = std::min(kBlock, frames - at);
        engine.process(pointersAt(take, at).data(), count, at + count == frames);
        fetch();
    }
    fetch();
    return made;
}

}  // namespace orthochron
