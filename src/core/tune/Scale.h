#pragma once

#include "core/base/Result.h"

#include <array>
#include <string_view>

namespace orthochron {

// The semitones of an octave that belong to a key.
struct Scale {
    int tonic = 0;  // 0 is C, 11 is B
    std::array<bool, 12> degrees{
        true, true, true, true, true, true, true, true, true, true, true, true};

    bool operator==(const Scale&) const = default;
    // Whether a rung (69 is a' at 440 Hz) belongs to it.
    [[nodiscard]] bool has(int midi) const;
};

// Reads a key ("C", "F#", "Bb") and the name of a scale: chromatic, major, minor (natural), harmonic,
// melodic, dorian, phrygian, lydian, mixolydian, pentatonic, minor-pentatonic, blues, whole-tone.
// Errors: BadArgument, naming what was read.
[[nodiscard]] Result<Scale> parseScale(std::string_view key, std::string_view name);

}  // namespace orthochron
