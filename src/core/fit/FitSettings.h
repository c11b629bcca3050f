#pragma once

#include "core/base/Id.h"
#include "core/fit/Groove.h"
#include "core/time/BarRange.h"

#include <cstdint>
#include <vector>

namespace orthochron {

// The drift at a place in the song, drawn by hand.
struct DriftPoint {
    Beats at;
    Seconds drift;

    bool operator==(const DriftPoint&) const = default;
};

// Amounts for one lead, one section, or one lead in one section; the most particular rule.
struct OwnAmounts {
    SectionId section;  // none for all
    TrackId lead;       // none for all
    double drift = 1.0;
    double feel = 0.0;
    double stray = 0.8;

    bool operator==(const OwnAmounts&) const = default;
};

// The feel wanted at one step of the bar, in place of what is left of the player's own.
struct Tooth {
    SectionId section;
    TrackId lead;
    int step = 0;
    Seconds feel;

    bool operator==(const Tooth&) const = default;
};

// What moves as one. By beats and bars only drift is taken out, and the inside stays as played.
enum class FitPieces { ByHit, ByBeat, ByBar };

// How much of each part of the deviation is taken out, and what is left alone.
struct FitSettings {
    double drift = 1.0;  // 0 leaves it, 1 takes it out
    double feel = 0.0;
    double stray = 0.8;
    Seconds leaveWithin{0.0};              // strays no larger than this are left alone
    Seconds furthest = milliseconds(120);  // feel and strays move a hit no further than this from
                                           // where taking out the drift puts it
    Seconds humanise{0.0};                 // standard deviation of a random move
    std::uint64_t seed = 1;
    Groove groove;  // a hit's goal is its line plus what is left of its own feel plus this
    double grooveAmount = 1.0;  // 0..1
    FitPieces pieces = FitPieces::ByHit;
    std::vector<OwnAmounts> own;
    std::vector<Tooth> teeth;
    std::vector<DriftPoint> driftLine;  // drawn by hand, ascending; empty for the measured one

    bool operator==(const FitSettings&) const = default;
};

// Errors: BadArgument for an amount outside 0..1 or a time below zero.
[[nodiscard]] Result<void> validate(const FitSettings& settings);

}  // namespace orthochron
