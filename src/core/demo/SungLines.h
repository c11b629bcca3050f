#pragma once

#include "core/audio/AudioBuffer.h"
#include "core/time/TempoMap.h"

#include <string>
#include <vector>

namespace orthochron::demo {

// A note of a made-up line, and the truth about it.
struct LineNote {
    Seconds start;  // as it is sung
    Seconds end;
    Seconds meant;         // where it belongs on the grid
    int rung = 69;         // the semitone it is meant for
    double cents = 0.0;    // above it
    double vibrato = 0.0;  // semitones either way, at 5.4 Hz
    double scoop = 0.0;    // semitones it begins below and comes up from
    bool slides = false;   // goes on from the note before without a gap

    bool operator==(const LineNote&) const = default;
};

struct SungLine {
    std::string name;  // of its take
    std::vector<LineNote> notes;
    AudioBuffer sound;
};

// An alto who sings two verses, some notes off, some scooped, some slid into; and a bowed double bass,
// late in places. One octave of formants and a little breath make the one, a slow bow the other.
[[nodiscard]] SungLine singAlto(const TempoMap& map, Frames length, Hertz rate);
[[nodiscard]] SungLine bowBass(const TempoMap& map, Frames length, Hertz rate);

}  // namespace orthochron::demo
