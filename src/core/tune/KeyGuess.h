#pragma once

#include "core/tune/SungNotes.h"

#include <span>
#include <string>
#include <vector>

namespace orthochron {

struct KeyReading {
    int tonic = 0;
    bool isMinor = false;
    double score = 0.0;  // 0..1, of all 24 together 1
};

// The likeliest keys of a melody, best first, by how long each semitone of the octave is sung (Krumhansl
// and Kessler 1982). None without notes.
// `a4` is what the song is tuned to.
[[nodiscard]] std::vector<KeyReading>
keysOf(std::span<const SungNote> notes, Hertz a4 = kConcertPitch);

// "A minor".
[[nodiscard]] std::string keyName(const KeyReading& key);
[[nodiscard]] std::string semitoneName(int semitone);  // of 0..11: "C", "F#"

}  // namespace orthochron
