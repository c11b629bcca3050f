#pragma once

#include "core/pitch/PitchFrame.h"
#include "core/tune/Scale.h"

#include <array>
#include <string_view>
#include <utility>

namespace orthochron {

// How high the semitones lie.
struct Temperament {
    Hertz a4 = kConcertPitch;
    std::array<double, 12> cents{};  // of C, C#, to B, above those of the equal temperament

    bool operator==(const Temperament&) const = default;
    // Where a rung lies, in semitones; A4 lies where it is tuned to.
    [[nodiscard]] double heightOf(int rung) const;
};

// Errors: BadArgument for an A4 outside 220 to 880 Hz, or a semitone more than a whole one off.
[[nodiscard]] Result<void> checkTemperament(const Temperament& temperament);

// The cents of C to B in a temperament of a key: "equal", "just" (5-limit, of the major scale and its
// chromatic semitones), "pythagorean" (pure fifths from Eb to G# above a tonic C) or "meantone" (quarter
// comma, likewise). Errors: BadArgument, naming what was read.
[[nodiscard]] Result<std::array<double, 12>> parseTemperament(std::string_view name, int tonic);

// What notes hang off.
struct Rungs {
    Scale key;
    Temperament temperament;

    Rungs() = default;
    Rungs(
        const Scale& ofKey, const Temperament& tempered = {}
    )  // NOLINT(google-explicit-constructor)
        : key(ofKey), temperament(tempered)
    {}
    bool operator==(const Rungs&) const = default;
    // The rung of the key nearest to a pitch in semitones; of two as near the lower.
    [[nodiscard]] int nearest(double pitch) const;
};

}  // namespace orthochron
