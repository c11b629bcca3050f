#pragma once

#include "core/onset/OnsetDetector.h"

#include <array>
#include <span>
#include <string_view>
#include <vector>

namespace orthochron {

// Bands with a name: where a kick, a snare's body, and its wires and cymbals are loudest.
struct NamedBand {
    std::string_view name;
    FrequencyBand band;
};
inline constexpr std::array<NamedBand, 3> kNamedBands{{
    {"low", {Hertz(20.0), Hertz(150.0)}},
    {"mid", {Hertz(150.0), Hertz(2000.0)}},
    {"high", {Hertz(2000.0), Hertz(16000.0)}},
}};

// What is heard of a channel in a band: fourth-order Butterworth slopes at both of its ends, run
// forward only, so that nothing sounds before its time. A band as wide as the channel returns it
// as it is. Errors: BadArgument for a band that is empty or upside down.
[[nodiscard]] Result<std::vector<float>>
bandPassed(std::span<const float> samples, Hertz rate, const FrequencyBand& band);
// The same of a channel, filtered where it is read: each read lets the filters settle on the second
// before it, so that any order of reading gives one answer within -100 dB.
[[nodiscard]] Result<Channel> bandPassed(Channel channel, Hertz rate, const FrequencyBand& band);

// Finds every attack of a channel in the way and the band its settings ask for. In a band the
// starts are placed in the whole sound where an attack stands within 6 ms there, else in the band.
// Errors: those of analyseOnsets and bandPassed.
[[nodiscard]] Result<OnsetAnalysis> analyseAsAsked(
    const Channel& channel, Hertz rate, const OnsetSettings& settings, const Work& work = {}
);

}  // namespace orthochron
