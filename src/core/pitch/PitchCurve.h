#pragma once

#include "core/audio/Channel.h"
#include "core/base/Work.h"

namespace orthochron {

// The pitch of one voice at a moment.
struct PitchFrame {
    Hertz pitch{0.0};         // 0 where there is none
    double confidence = 0.0;  // 0..1: how alike one period is to the next
    double power = 0.0;       // mean square of 20 ms around it

    bool operator==(const PitchFrame&) const = default;
    [[nodiscard]] bool isVoiced() const { return pitch.count() > 0.0; }
};

struct PitchSettings {
    Hertz low{50.0};
    Hertz high{1200.0};

    bool operator==(const PitchSettings&) const = default;
};

constexpr Seconds kPitchHop = milliseconds(5.0);
constexpr Hertz kConcertPitch{440.0};  // of A4: pitches in semitones count from it, and 69 is A4

// A pitch in semitones; the frame must have one.
[[nodiscard]] double semitonesOf(const PitchFrame& frame);

// Frame n of a curve is about the moment n hops after the first frame given.
[[nodiscard]] Frames placeOfPitch(std::size_t frame, Hertz rate);

// The pitch of one voice or instrument that sounds one note at a time, every 5 ms.
//
// Candidates are the dips of the cumulative mean normalised difference function (de Cheveigne and
// Kawahara 2002) at about 8 kHz; the path through them is the cheapest (Viterbi 1967), where leaping
// and beginning cost something and rough sounds are no pitch; each is then placed to a fraction of a
// sample in the recording itself, on about two periods around the moment. What speaks at a
// harmonic of its note at first is taken in (StrayHarmonics).
//
// `rate` is 8000..192000 Hz. Errors: the channel's; BadArgument for a rate or range that cannot be,
// Cancelled. Reads in passes of half a minute: what stays of an hour is 12 MB.
[[nodiscard]] Result<std::vector<PitchFrame>> pitchOf(
    const Channel& channel, Hertz rate, const PitchSettings& settings = {}, const Work& work = {}
);
// The same where it is asked for, frame by frame of the curve, and beyond the last that is named; elsewhere
// there is no pitch.
[[nodiscard]] Result<std::vector<PitchFrame>> pitchWhere(
    const std::vector<bool>& asked,
    const Channel& channel,
    Hertz rate,
    const PitchSettings& settings = {},
    const Work& work = {}
);

}  // namespace orthochron
