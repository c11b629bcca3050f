#include "core/stretch/StretchPlan.h"

#include <fmt/format.h>

#include "core/stretch/Splices.h"
#include "core/stretch/Tape.h"

#include <algorithm>
#include <cmath>

namespace orthochron {

namespace {

// The same for what is then played `factor` times as fast, all of a take `length` long.
Treatment drawnOut(const Treatment& treatment, double factor, Frames length)
{
    std::vector<Pin> pins = treatment.time.pins();
    for (const Frames end : {Frames(0), length}) {
        const Pin pin{end, treatment.time.soundTimeOf(end)};
        if (pins.empty() || pin.take < pins.front().take) {
            pins.insert(pins.begin(), pin);
        } else if (pin.take > pins.back().take) {
            pins.push_back(pin);
        }
    }
    for (Pin& pin : pins) {
        pin.sound = Frames(std::llround(static_cast<double>(pin.sound.count()) * factor));
    }
    Treatment drawn = treatment;
    if (auto time = TimeMap::through(std::move(pins))) {
        drawn.time = std::move(*time);
    }
    drawn.semitones = 0.0;
    return drawn;
}

}  // namespace

Result<std::shared_ptr<StretchPlan>>
planStretch(const Treatment& treatment, std::vector<Channel> witnesses, Hertz rate)
{
    if (!(std::abs(treatment.semitones) <= kMostSemitones)) {
        return badArgument(fmt::format(
            "a sound is moved by at most {:g} semitones up or down, not by {:g}",
            kMostSemitones,
            treatment.semitones
        ));
    }
    const double factor = std::exp2(treatment.semitones / 12.0);
    switch (treatment.material) {
    case Material::Hits: {
        if (treatment.semitones == 0.0) {
            return planHits(treatment, std::move(witnesses), rate);
        }
        const Frames length = std::ranges::max(witnesses, {}, &Channel::frames).frames;
        return playedFaster(
            planHits(drawnOut(treatment, factor, length), std::move(witnesses), rate), factor
        );
    }
    case Material::Tape:
        if (treatment.semitones != 0.0) {
            return badArgument("with tape the pitch follows the speed; choose another material");
        }
        return planTape(treatment);
    case Material::Line:
    case Material::Blend: break;
    }
    return failed(fmt::format("there is no engine for {}", materialWord(treatment.material)));
}

}  // namespace orthochron
