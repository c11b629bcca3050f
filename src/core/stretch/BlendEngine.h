#pragma once

#include "core/audio/AudioBuffer.h"
#include "core/stretch/TimeMap.h"

#include <vector>

namespace orthochron {

// Rubber Band's two engines.
enum class BlendEngine { Finer, Faster };

// What one of them is asked for.
struct BlendPass {
    BlendEngine engine = BlendEngine::Finer;
    Frames from;   // take time at which the passage begins
    Frames first;  // sound time that is made, to `last`
    Frames last;
    std::vector<Pin> pins;  // that it goes through; what lies outside of them runs evenly
    double pitch = 1.0;     // as a ratio
    bool keepsFormants = false;
    Hertz rate;
};

// A passage of a take, all its channels in one instance so that they keep their phases, made offline.
[[nodiscard]] AudioBuffer stretchedOffline(const AudioBuffer& take, const BlendPass& pass);

}  // namespace orthochron
