#pragma once

#include "core/onset/BandEnvelope.h"
#include "core/time/Units.h"

#include <vector>

namespace orthochron {

// A rise of the level in one band: a drum, a plucked string, a key, alone or among others.
struct BandAttack {
    Seconds at;                 // where it rises, from the recording's start
    double riseDecibels = 0.0;  // above the highest of the 25 ms before
    int band = 0;

    bool operator==(const BandAttack&) const = default;
};

// Every rise of 6 dB or more, ascending in time. It stands where half of the rise (in decibels) is done:
// in the highest bands that is within a millisecond of the stroke whatever rings on below it, in the lowest
// up to 5 ms late.
[[nodiscard]] std::vector<BandAttack> bandAttacksOf(const BandEnvelope& envelope, Hertz rate);

}  // namespace orthochron
