#pragma once

#include "core/audio/AudioBuffer.h"

#include <vector>

namespace orthochron::testkit {

struct VoiceSettings {
    double middle = 220.0;  // Hz; the notes lie a few steps around it
    double seconds = 8.0;
    double formant = 0.0;  // Hz, of one strong resonance; 0 for a plain falling spectrum
    double vibrato = 0.3;  // semitones either way
    Hertz rate{48000.0};
};

// Notes of summed harmonics with vibrato and glides, a breath of noise between them, and its truth.
struct Voice {
    AudioBuffer sound;
    std::vector<double> hertz;  // of each frame; 0 where there is no pitch or it is just beginning
};
[[nodiscard]] Voice sing(const VoiceSettings& settings);

// One of a melody. It slides into the next over 60 ms.
struct VoiceNote {
    double seconds = 0.5;
    double midi = 69.0;    // with its fraction; 0 for a rest
    double vibrato = 0.0;  // semitones either way
    double wander = 0.0;   // likewise, once up and down within the note
};
// A melody sung as written.
[[nodiscard]] Voice singMelody(const std::vector<VoiceNote>& notes, Hertz rate = Hertz(48000.0));

}  // namespace orthochron::testkit
