#pragma once

#include "core/stretch/TimeMap.h"

#include <span>
#include <vector>

namespace orthochron {

// A span of sound time in which a take's own samples are heard, so much later than in the take.
struct PlainSpan {
    Frames from;
    Frames to;
    Frames shift;
    Frames fadeIn;  // within it
    Frames fadeOut;
};

constexpr Seconds kBlendFade = milliseconds(20.0);

// Where a blend whose pitch stays is the take itself: where time runs at 1:1, and from 7 ms before each attack to at
// least 30 ms after it, where the map puts it. Ascending, none over another. `attacks`: take time, ascending.
[[nodiscard]] std::vector<PlainSpan>
plainSpans(const TimeMap& time, std::span<const Frames> attacks, Hertz rate);

}  // namespace orthochron
