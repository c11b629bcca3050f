#pragma once

#include "core/base/Id.h"
#include "core/shape/SpeedLine.h"
#include "core/stretch/Material.h"
#include "core/stretch/TimeMap.h"

#include <cmath>
#include <vector>

namespace orthochron {

// How far the pitch is moved at a moment of the take; even between two of them, and before the first
// and after the last as it is there.
struct PitchPoint {
    Frames at;
    double semitones = 0.0;
    bool movesFormants = false;  // with the pitch, from here to the next point

    bool operator==(const PitchPoint&) const = default;
};

// A channel that is heard when it is decided where sounds recorded together are spliced: all of
// them are then spliced there.
struct Witness {
    TakeId take;
    int channel = 0;
    Frames offset;  // its take time less that of the treated take, at one moment

    bool operator==(const Witness&) const = default;
};

// Pitch moves no further than this either way.
constexpr double kMostSemitones = 24.0;

// How a sound differs from its take. Microphones of a set share one, by pointer where they were laid
// alike, and so stay together to the sample.
struct Treatment {
    TimeMap time;
    Material material = Material::Hits;
    double semitones = 0.0;          // cents are its fraction; with tape always 0
    bool movesFormants = false;      // with the pitch; hits and tape always move them
    std::vector<Frames> attacks;     // take time, ascending; with hits they pass untouched
    std::vector<Witness> witnesses;  // none: the treated channels themselves
    std::vector<PitchPoint> pitch;   // ascending; beside `semitones`, of a line only
    SpeedLine speed;                 // at which all that is played at last
    bool keepsTime = false;          // it moves the pitch alone, for `time` is drawn out by as much

    bool operator==(const Treatment&) const = default;
    [[nodiscard]] Frames soundTimeOf(Frames takeTime) const
    {
        const Frames even = time.soundTimeOf(takeTime);
        return speed.isEmpty()
                   ? even
                   : Frames(std::llround(speed.heardAt(static_cast<double>(even.count()))));
    }
    [[nodiscard]] Frames takeTimeOf(Frames soundTime) const
    {
        return time.takeTimeOf(
            speed.isEmpty()
                ? soundTime
                : Frames(std::llround(speed.placeOf(static_cast<double>(soundTime.count()))))
        );
    }
};

}  // namespace orthochron
