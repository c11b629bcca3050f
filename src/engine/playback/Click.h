#pragma once

#include "core/time/TempoMap.h"

#include <span>
#include <vector>

namespace orthochron::engine {

enum class ClickSound { Wood, Bell, Tick };

struct ClickSettings {
    bool isOn = true;
    ClickSound sound = ClickSound::Wood;
    double decibels = -12.0;

    bool operator==(const ClickSettings&) const = default;
};

// The click of a tempo map at a rate: one sound on each beat, a higher one on each bar.
class Click {
public:
    Click(TempoMap map, Hertz rate, ClickSound sound);

    // Adds the click from song time `from` on.
    void addTo(std::span<float> into, Frames from) const;

private:
    TempoMap map_;
    Hertz rate_;
    std::vector<float> bar_;
    std::vector<float> beat_;
};

}  // namespace orthochron::engine
