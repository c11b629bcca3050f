#pragma once

#include "core/audio/AudioBuffer.h"
#include "core/song/MidiGuide.h"
#include "core/time/TempoMap.h"

#include <string>
#include <vector>

namespace orthochron::demo {

// Something played to no click, and the truth about it.
struct FreePlaying {
    std::string name;                // of its take
    TempoMap map;                    // its bars, each downbeat where it was struck
    std::vector<TimedNote> strokes;  // ascending
    AudioBuffer sound;
};

// A hammered dulcimer whose tempo comes and goes: 24 bars, the 13th of 7/8, the last four slowing down.
[[nodiscard]] FreePlaying playDulcimer(Hertz rate);

// Four bars of a frame drum, cut to length, at a tempo nobody wrote down: 103.7 bpm.
[[nodiscard]] FreePlaying playFrameDrum(Hertz rate);

}  // namespace orthochron::demo
