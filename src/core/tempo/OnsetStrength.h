#pragma once

#include "core/onset/BandEnvelope.h"
#include "core/time/Units.h"

#include <vector>

namespace orthochron {

// How much begins at each moment: what beats and tempi are sought in.
struct OnsetStrength {
    Seconds step;               // from one value to the next, about 5 ms
    std::vector<float> values;  // 0 where nothing begins
};

// The rises of the logarithm of the level (logarithm: a soft hat counts beside a loud kick), over the
// highest of the last 25 ms, summed over the bands. What sounds at the very beginning begins there.
[[nodiscard]] OnsetStrength onsetStrengthOf(const BandEnvelope& envelope, Hertz rate);

}  // namespace orthochron
