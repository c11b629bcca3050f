#pragma once

#include "core/pitch/PitchCurve.h"

#include <vector>

namespace orthochron::cli {

constexpr double kConcertPitch = 440.0;  // Hz, of A4

// Errors: BadArgument for an A4 outside 220 to 880 Hz.
[[nodiscard]] Result<void> checkConcertPitch(double a4);

// A pitch curve as it is read by instruments whose A4 is another: so that their semitones are ours.
[[nodiscard]] std::vector<PitchFrame> tunedTo(double a4, std::vector<PitchFrame> curve);

}  // namespace orthochron::cli
