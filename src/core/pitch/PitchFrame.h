#pragma once

#include "core/time/Units.h"

#include <cstddef>

namespace orthochron {

// The pitch of one voice at a moment.
struct PitchFrame {
    Hertz pitch{0.0};         // 0 where there is none
    double confidence = 0.0;  // 0..1: how alike one period is to the next
    double power = 0.0;       // mean square of 20 ms around it

    bool operator==(const PitchFrame&) const = default;
    [[nodiscard]] bool isVoiced() const { return pitch.count() > 0.0; }
};

constexpr Seconds kPitchHop = milliseconds(5.0);
constexpr Hertz kConcertPitch{440.0};  // of A4: pitches in semitones count from it, and 69 is A4

// A pitch in semitones; the frame must have one.
[[nodiscard]] double semitonesOf(const PitchFrame& frame);

// Frame n of a curve is about the moment n hops after the first frame given.
[[nodiscard]] Frames placeOfPitch(std::size_t frame, Hertz rate);

}  // namespace orthochron
