#pragma once

#include "core/audio/Channel.h"
#include "core/time/Units.h"

namespace orthochron {

// How the end of a loop runs into its beginning.
struct LoopSeam {
    Frames to;  // where the loop ends
    double likeness =
        0.0;  // correlation of what is around its end with what is around its beginning; -1..1
};

// How alike what is around both edges is, 40 ms to either side; 0 where either is silent.
// Errors: BadArgument for an end that does not lie behind the beginning; the channel's.
[[nodiscard]] Result<LoopSeam> seamOf(const Channel& channel, Hertz rate, Frames from, Frames to);

// The end within `reach` (up to 100 ms) of the one given where the beginning comes round again: of ends equally
// alike the nearest; the one given where all is silent. Errors: as seamOf.
[[nodiscard]] Result<LoopSeam>
nearestSeam(const Channel& channel, Hertz rate, Frames from, Frames to, Seconds reach);

}  // namespace orthochron
