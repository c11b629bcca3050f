#pragma once

#include "core/time/Units.h"

#include <span>

namespace orthochron {

// The frame at which an attack begins to rise, to the sample, given that it does so near `guess`
// (within `reach` ahead of it to 8 ms after).
//
// What rings already is predicted from the samples before (linear prediction, Burg 1975) and taken
// away; in what is left the latest steep rise leading to the peak is sought, and within it the
// frame that best splits quiet from loud (Akaike's criterion as Maeda 1985 uses it). Taking the
// latest steep rise, not the earliest, keeps bleed that arrives just before from being the start.
[[nodiscard]] Frames attackStart(
    std::span<const float> samples, Hertz rate, Frames guess, Seconds reach = milliseconds(12.0)
);

}  // namespace orthochron
