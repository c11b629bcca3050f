#pragma once

#include "core/base/Result.h"
#include "core/base/Work.h"
#include "core/onset/AttackLevels.h"

#include <vector>

namespace orthochron {

// A moment at which the level leaves what rang before: where an attack may be.
struct Rise {
    std::int64_t hop = 0;
    double decibels = 0.0;
    std::size_t band = 0;  // where it is greatest
    bool isBroad = false;  // clear in a band above the lowest, which is slow to tell
};

// All rises of 3 dB and more, 8 ms apart at least, ascending. Below 3 dB lies the beating of cymbals.
// Errors: Cancelled.
[[nodiscard]] Result<std::vector<Rise>>
risesOf(const BandEnvelope& envelope, const Work& work = {});

// The hops of those that rise by so many dB.
[[nodiscard]] std::vector<std::int64_t> clearRises(const BandEnvelope& envelope, double decibels);

}  // namespace orthochron
