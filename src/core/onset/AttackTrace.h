#pragma once

#include "core/time/Units.h"

#include <array>
#include <cstdint>
#include <span>

namespace orthochron {

// How the level goes around an attack, in steps of a quarter of a millisecond from 36 ms before to 28 ms
// after the frame it is centred on. Three times: with the sound brightened by one slope of 6 dB an octave and
// by two, so that what a stroke brings is seen over what rings below it, and as it is, so that a low drum's
// is seen beside a cymbal.
struct AttackTrace {
    static constexpr std::size_t kListenings = 3;
    static constexpr std::size_t kBefore = 144;
    static constexpr std::size_t kSteps = 256;
    static constexpr Seconds kStep = milliseconds(0.25);

    std::array<std::array<std::uint8_t, kSteps>, kListenings> levels{};  // half dB above -127.5 dB

    [[nodiscard]] float decibels(std::size_t listening, std::size_t step) const
    {
        return kLowest + kHalf * static_cast<float>(levels[listening][step]);
    }

    static constexpr float kLowest = -127.5F;  // dB
    static constexpr float kHalf = 0.5F;
};

// Of what lies outside the samples the trace says silence.
[[nodiscard]] AttackTrace traceOf(std::span<const float> samples, Hertz rate, Frames centre);

}  // namespace orthochron
