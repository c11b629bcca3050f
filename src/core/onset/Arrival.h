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
    double likeness = 0.0;    // 0..1: how sure that is
    double decibels = 0.0;    // louder than the reference by this
};

// Reads a microphone's take from a take time on; silence outside it.
using TakeReader = std::function<Result<void>(int microphone, Frames from, std::span<float> into)>;

// Measures, for blows that start at `starts` in the reference microphone, when each of the
// microphones hears them: the lag at which the attacks, correlated and summed over the blows,
// agree best, within 25 ms either way. One value for each microphone, the reference's own among
// them (0 ms). At most 60 blows are used. No starts give no agreement (likeness 0).
// Errors: the reader's.
[[nodiscard]] Result<std::vector<Arrival>> measureArrivals(
    std::span<const Frames> starts,
    int reference,
    int microphones,
    Hertz rate,
    const TakeReader& reader
);

}  // namespace orthochron
