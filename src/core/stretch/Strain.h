#pragma once

#include "core/stretch/TimeMap.h"

#include <vector>

namespace orthochron {

// A stretch of sound in which time runs evenly, and how many times as long it is as it was.
struct StrainSpan {
    Frames from;  // sound time
    Frames to;
    double ratio = 1.0;

    bool operator==(const StrainSpan&) const = default;
};

// The spans between a map's pins, ascending. What lies between two pins less than 20 ms apart, as
// between the strokes of a flam, is counted to what follows.
[[nodiscard]] std::vector<StrainSpan> strainOf(const TimeMap& time, Hertz rate);

}  // namespace orthochron
