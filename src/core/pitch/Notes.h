#pragma once

#include "core/pitch/PitchFrame.h"

#include <span>
#include <vector>

namespace orthochron {

// A note of a line: how long it sounds, the semitone it was meant for, and how far it hangs off it.
struct Note {
    Frames start;
    Frames end;
    int midi = 0;        // 69 is a' at 440 Hz
    double cents = 0.0;  // median of it, above the semitone

    bool operator==(const Note&) const = default;
};

// The notes of a pitch curve, ascending. The likeliest row of semitones is found exactly (Viterbi 1967):
// being off one costs by its square, going to another as much as 60 ms of a semitone off, so that
// vibrato makes no notes and a slide is divided in its middle. A note ends where there is no pitch for
// 20 ms, where what had died away by 6 dB rises as much within 40 ms: it is struck again, or where it
// dips by 3 dB for a moment: it is tongued or bowed anew, unless another semitone follows within 80 ms. After a gap it begins where its sound does. A semitone
// heard for less than 110 ms on the way into a note belongs to it; less than 50 ms are no note.
// `a4` is what it was tuned to; semitones are counted from that.
[[nodiscard]] std::vector<Note>
notesOf(std::span<const PitchFrame> curve, Hertz rate, Hertz a4 = kConcertPitch);

}  // namespace orthochron
