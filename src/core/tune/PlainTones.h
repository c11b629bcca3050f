#pragma once

#include "core/audio/AudioBuffer.h"
#include "core/tune/Rungs.h"

#include <span>
#include <vector>

namespace orthochron {

// Tones that sound together for a while.
struct TonesAt {
    Frames from;
    Frames to;
    std::vector<double> pitches;  // semitones, 69 is a' at 440 Hz
};

// What a voice can be held against: soft tones of one overtone, faded in and out, on two channels that
// begin at `at`. What overlaps adds up.
[[nodiscard]] AudioBuffer
plainTones(std::span<const TonesAt> tones, Frames at, Frames length, Hertz rate);

// The pitches of the chord on a key's tonic, the highest tonic not above a pitch being its lowest: with the
// third and fifth that belong to the key.
[[nodiscard]] std::vector<double> tonicChord(const Rungs& rungs, double pitch);

}  // namespace orthochron
