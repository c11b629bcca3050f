#pragma once

#include "core/joins/Crossfade.h"
#include "core/time/Units.h"

#include <array>
#include <span>

// What a crossfade makes by itself and neither of its sides has.
//
// Between two places of a loud low ring it bends faster than the ring itself does. That is a short
// high sound, heard as a tick or as a stroke too many. And sides that are each other's opposite
// leave a dip between them.
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

struct FadeLevel {
    double heard = 0.0;     // RMS
    double expected = 0.0;  // of what both sides have there, each counted as far as it is faded in
};

// Over the crossfade, and at least over the 10 ms an ear takes to hear a level.
[[nodiscard]] FadeLevel levelIn(const Joined& joined, Hertz rate);
constexpr double kDip = 0.7079;  // 3 dB less is a dip

// Mean square of the high sounds, those an attack is heard by (from some 250 Hz on).
[[nodiscard]] double highPower(std::span<const float> sound, Hertz rate);

// What comes after a join, against which it is heard: mean squares.
struct Next {
    double power = 0.0;
    double high = 0.0;
};

// Has to be given of both sides before and after what is crossfaded.
constexpr Seconds kBlemishMargin = milliseconds(6.0);

// How far a crossfade of these two sides, all but the margins long, would tick, as a rise in power;
// 0 where that is too soft to be heard before what comes next. One that would dip is no way out:
// infinite.
[[nodiscard]] double tickOf(
    std::span<const float> before,
    std::span<const float> after,
    FadeShape shape,
    const Next& next,
    Hertz rate
);

// One that would tick is made longer, by these, until it does so no more than this.
inline constexpr std::array kLongerThanTicks{1.5, 2.0, 3.0};
constexpr double kMostTick = 1.5;

}  // namespace orthochron
