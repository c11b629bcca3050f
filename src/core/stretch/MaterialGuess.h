#pragma once

#include "core/audio/Channel.h"
#include "core/base/Work.h"
#include "core/stretch/Material.h"

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

}  // namespace orthochron
