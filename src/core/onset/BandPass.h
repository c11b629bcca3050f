#pragma once

#include "core/onset/OnsetDetector.h"

#include <vector>

namespace orthochron {

// What is heard of a channel in a band: fourth-order Butterworth slopes at both of its ends, run
// forward only, so that nothing sounds before its time. A band as wide as the channel returns it
// as it is. Errors: BadArgument for a band that is empty or upside down.
[[nodiscard]] Result<std::vector<float>>
bandPassed(std::span<const float> samples, Hertz rate, const FrequencyBand& band);

// Finds every attack of a channel in the way and the band its settings ask for. In a band the
// starts are placed in the whole sound where an attack stands within 6 ms there, else in the band.
// Errors: those of analyseOnsets and bandPassed.
[[nodiscard]] Result<OnsetAnalysis> analyseAsAsked(
    std::span<const float> samples, Hertz rate, const OnsetSettings& settings, const Work& work = {}
);

}  // namespace orthochron
