#pragma once

#include "core/base/Result.h"
#include "core/time/Units.h"

#include <functional>
#include <span>
#include <vector>

namespace orthochron {

// When one microphone hears the blows of another, and which way round.
struct Arrival {
    Seconds after;            // later than the reference by this; negative is earlier
    bool isInverted = false;  // it swings the other way
    double likeness = 0.0;    // 0..1: the part of the blows that agree
    double decibels = 0.0;    // louder than the reference by this
};

// Reads a microphone's take from a take time on; silence outside it.
using TakeReader = std::function<Result<void>(int microphone, Frames from, std::span<float> into)>;

// Measures, for blows that start at `starts` in the reference microphone, when each of the
// microphones hears them. The start of each attack is sought in each microphone, within 25 ms; the
// lag on which most blows agree is taken, then set to the sample, and its polarity told, by
// correlating the attacks close to it (correlation alone would slip by a period of a low drum).
// One value for each microphone, the reference's own among them (0 ms). At most 60 blows are used.
// No starts, or silence, give no agreement (likeness 0).
// Errors: the reader's.
[[nodiscard]] Result<std::vector<Arrival>> measureArrivals(
    std::span<const Frames> starts,
    int reference,
    int microphones,
    Hertz rate,
    const TakeReader& reader
);

}  // namespace orthochron
