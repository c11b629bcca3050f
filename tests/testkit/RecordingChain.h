#pragma once

#include "core/demo/Random.h"
#include "core/time/Units.h"

#include <span>

namespace orthochron::testkit {

// What stands between a microphone and its take: who records through a compressor, a gate or a preamplifier that is
// driven hard gets what these do to a blow and to what bleeds. Levels in dB against the loudest sample, which stays
// as loud as it was.
struct RecordingChain {
    double threshold = 0.0;  // of the compressor; as it is, nothing is loud enough for it
    double ratio = 1.0;
    Seconds attack = milliseconds(10.0);
    Seconds release = milliseconds(120.0);
    double drive = -60.0;       // against where a tanh bends
    double gateOpens = -200.0;  // opens at once; shuts 100 ms after what was as loud
};

// Mild to heavy: a compressor in two of three; a third of all driven and another gated.
[[nodiscard]] RecordingChain madeUpChain(demo::Random& random);

// One microphone's samples, as they come out of it.
void passThrough(const RecordingChain& chain, std::span<float> samples, Hertz rate);

}  // namespace orthochron::testkit
