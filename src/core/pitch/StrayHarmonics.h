#pragma once

#include "core/pitch/PitchCurve.h"

#include <span>

namespace orthochron {

// No voice leaps by an octave or a twelfth without beginning anew: a reed speaks an octave low at first, a bow
// takes a moment to grip. Up to 180 ms of that ahead of what goes on for as long get its pitch: they are
// multiplied by 2, 3, 1/2 or 1/3.
void takeInStrayHarmonics(std::span<PitchFrame> curve);

}  // namespace orthochron
