#pragma once

#include "core/audio/Channel.h"
#include "core/base/Work.h"
#include "core/pitch/PitchCurve.h"
#include "core/stretch/Material.h"

#include <span>

namespace orthochron {

// What a sound is best stretched as, and what speaks for it.
struct MaterialGuess {
    Material material = Material::Hits;
    double pitched = 0.0;  // of what is loud, the part with the clear pitch of one note, 0..1
    double struck = 0.0;   // steep attacks a second
};

// Listens to the loudest 20 s: the clear pitch of notes for most of it is a line, steep attacks without one are
// hits, all else is a blend. Errors: the channel's, Cancelled; BadArgument for the rate.
[[nodiscard]] Result<MaterialGuess>
guessMaterial(const Channel& channel, Hertz rate, const Work& work = {});

// MaterialGuess::pitched alone, by a pitch curve of all of it that is there already. Errors: the channel's, Cancelled.
[[nodiscard]] Result<double> pitchedPartOf(
    const Channel& channel, Hertz rate, std::span<const PitchFrame> curve, const Work& work = {}
);

}  // namespace orthochron
