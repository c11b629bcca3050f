#pragma once

#include "core/pitch/Notes.h"
#include "core/tune/Rungs.h"

#include <span>
#include <vector>

namespace orthochron {

// A note taken apart. Pitches are in semitones, 69 is a' at 440 Hz.
struct SungNote {
    Frames start;  // take time
    Frames end;
    int rung = 0;         // what it hangs off
    double height = 0.0;  // where that lies
    double centre = 0.0;  // of its steady part
    Frames steadyFrom;    // between these it has arrived, and has not left yet
    Frames steadyTo;
    // Of each frame of the pitch curve in the steady part: slow movement about the centre, and what is
    // left beside it, which is the vibrato.
    std::size_t firstFrame = 0;
    std::vector<double> wander;
    std::vector<double> vibrato;
    bool touchesNext = false;  // slides or steps into the next note without a gap

    [[nodiscard]] double offset() const { return centre - height; }
    [[nodiscard]] std::size_t lastFrame() const { return firstFrame + wander.size(); }
};

// Hangs a note off the rung it is nearest to.
void hangOff(SungNote& note, const Rungs& rungs);

// Notes of a pitch curve taken apart, in the order of the notes. The centre is the mean of the steady part under a window that
// lets no vibrato through; what moves more slowly than about 1.5 Hz is wandering.
[[nodiscard]] std::vector<SungNote> sungNotes(
    std::span<const PitchFrame> curve, std::span<const Note> notes, Hertz rate, const Rungs& rungs
);
// Those that are found in it.
[[nodiscard]] std::vector<SungNote>
sungNotes(std::span<const PitchFrame> curve, Hertz rate, const Rungs& rungs);

// Of what is loud, the part that must have the clear pitch of one note (MaterialGuess::pitched) for notes
// to be told: voices and bowed, blown and plucked lines have more than half, drums and chords less
// than a third.
constexpr double kLeastOneVoice = 0.4;

}  // namespace orthochron
