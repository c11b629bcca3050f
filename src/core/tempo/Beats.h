#pragma once

#include "core/base/Result.h"
#include "core/base/Work.h"
#include "core/tempo/OnsetStrength.h"

#include <optional>
#include <vector>

namespace orthochron {

// Where to look for the beats of a performance that keeps no steady tempo.
struct BeatSearch {
    double perMinute =
        120.0;  // about how many beats; they may come at two thirds to one and a half of it
    std::optional<Seconds> onBeat;  // a moment known to be a beat
};

// How well what begins can be counted at so many beats a minute, wandering as players do: the mean
// logarithm of a likelihood. Compares ways to count one recording; has no meaning by itself.
[[nodiscard]] double countability(const OnsetBands& bands, double beatsPerMinute);

// What a better countability weighs beside the odds of a reading by itself: both as logarithms.
constexpr double kCountingWeighs = 15.0;
// As much of a recording as says how it is counted.
constexpr Seconds kEnoughToCount(120.0);

// The beats from the recording's beginning to its end, to about 10 ms, by the likeliest path through a
// bar pointer's states (Krebs, Böck and Widmer 2015; here a beat's): how long the beat is and how much of it
// is over. What begins at each place of a beat is learned from the recording itself, in rounds.
// Errors: Cancelled.
[[nodiscard]] Result<std::vector<Seconds>>
followBeats(const OnsetBands& bands, const BeatSearch& search, const Work& work = {});

}  // namespace orthochron
