#pragma once

#include "core/time/Units.h"

#include <optional>

namespace orthochron {

// What a hit sounds like when it begins.
enum class OnsetWay {
    Struck,  // a steep rise: drums, picking
    Weak,    // level and pitch change together: bowed, plucked bass, voice
};

struct FrequencyBand {
    Hertz low{20.0};
    Hertz high{20000.0};

    bool operator==(const FrequencyBand&) const = default;
};

struct OnsetSettings {
    double sensitivity = 50.0;            // 0..100; higher reports quieter and less sure hits
    Seconds minGap = milliseconds(20.0);  // of two onsets closer than this, the stronger stays
    std::optional<double> threshold;      // least strength; otherwise from the sensitivity
    OnsetWay way = OnsetWay::Struck;
    std::optional<FrequencyBand> band;  // listen to this alone; none for all there is

    bool operator==(const OnsetSettings&) const = default;
};

// The least strength that a sensitivity lets through: -6 dB at 0, -30 dB at 50, -54 dB at 100.
[[nodiscard]] double thresholdOf(const OnsetSettings& settings);

// How sure a candidate must be of being a hit to be picked: 0.98 at sensitivity 0, an even chance at
// 50, 0.02 at 100.
[[nodiscard]] double leastConfidence(const OnsetSettings& settings);

}  // namespace orthochron
