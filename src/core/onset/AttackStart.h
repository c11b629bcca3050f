#pragma once

#include "core/time/Units.h"

#include <span>
#include <vector>

namespace orthochron {

// The frame at which an attack begins to rise, to the sample, given that it does so near `guess`
// (within `reach` ahead of it to 8 ms after). What rises more than `own` ahead of it belongs to another.
//
// What rings already is predicted from the samples before (linear prediction, Burg 1975) and taken
// away; in what is left the latest steep rise leading to the peak is sought, and within it the
// frame that best splits quiet from loud (Akaike's criterion as Maeda 1985 uses it). Taking the
// latest steep rise, not the earliest, keeps bleed that arrives just before from being the start.
[[nodiscard]] Frames attackStart(
    std::span<const float> samples,
    Hertz rate,
    Frames guess,
    Seconds reach = milliseconds(12.0),
    Seconds own = milliseconds(12.0)
);

// By how many dB an attack that begins near `start` stands out, at most, over the 8 ms before it, once
// each sample is predicted from those just before it as an earlier 25 ms teach. A blow is new; a ring,
// however it swells and beats, follows from itself and stands out by nothing.
[[nodiscard]] double noveltyOf(std::span<const float> samples, Hertz rate, Frames start);

struct EarlierRise {
    Frames at;
    double decibels = 0.0;  // of the attack it comes ahead of
};

// Steep rises ahead of an attack that begins at `start`, within `reach` of it, ascending: the beater's
// click before the body of its drum, or another drum's blow arriving. Which of them it is one attack
// does not say.
[[nodiscard]] std::vector<EarlierRise> risesBefore(
    std::span<const float> samples, Hertz rate, Frames start, Seconds reach = milliseconds(14.0)
);

}  // namespace orthochron
