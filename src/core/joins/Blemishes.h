#pragma once

#include "core/joins/Crossfade.h"
#include "core/time/Units.h"

#include <array>
#include <span>

// What a crossfade makes by itself and neither of its sides has.
//
// Between two places of a loud low ring it bends faster than the ring itself does. That is a short
// high sound, heard as a tick or as a stroke too many; so is a step up to what had not yet died away as
// far. And sides that are each other's opposite leave a dip between them.
namespace orthochron {

// Two sides and the crossfade of `length` frames from `begin` on that joins them. All begin at the
// same moment.
struct Joined {
    std::span<const float> edited;
    std::span<const float> before;
    std::span<const float> after;
    std::size_t begin = 0;
    std::size_t length = 0;
};

// Mean squares, of all that sounds and of the high sounds in it, those an attack is heard by (from some 250 Hz on).
struct SoundPower {
    double all = 0.0;
    double high = 0.0;
};

[[nodiscard]] SoundPower soundPowerOf(std::span<const float> sound, Hertz rate);

constexpr double kDip = 0.7079;  // 3 dB less is a dip

// What is left of the level where a crossfade dips most, heard as an ear hears a level, over 10 ms: against what both sides
// have there, each counted as far as it is faded in, over the crossfade as a whole; and wherever it is heard, in all sounds
// and in the high ones, against the least that either side has within 10 ms. 1 where it dips nowhere, or where it would be
// softer than `audible`.
[[nodiscard]] double levelLeft(const Joined& joined, const SoundPower& audible, Hertz rate);

// Has to be given of both sides before and after what is crossfaded.
constexpr Seconds kBlemishMargin = milliseconds(16.0);

// How far a crossfade of these two sides, all but the margins long, would tick or step up, as a rise in
// power; 0 where that is too soft to be heard before what comes `next`. One that would dip is no way out:
// infinite.
[[nodiscard]] double tickOf(
    std::span<const float> before,
    std::span<const float> after,
    FadeShape shape,
    const SoundPower& next,
    Hertz rate
);

// One that would tick is made longer, by these, until it does so no more than this.
inline constexpr std::array kLongerThanTicks{1.5, 2.0, 3.0};
constexpr double kMostTick = 1.5;

}  // namespace orthochron
