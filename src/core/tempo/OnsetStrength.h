#pragma once

#include "core/onset/BandEnvelope.h"
#include "core/time/Units.h"

#include <array>
#include <vector>

namespace orthochron {

// How much begins at each moment: what beats and tempi are sought in.
struct OnsetStrength {
    Seconds step;               // from one value to the next, about 5 ms
    std::vector<float> values;  // 0 where nothing begins
};

// The same for each band by itself.
struct OnsetBands {
    Seconds step;
    std::array<std::vector<float>, kBands> values;  // all of one length

    [[nodiscard]] std::size_t size() const { return values[0].size(); }
};

// What lies in [from, from + length), clamped to what there is.
[[nodiscard]] OnsetBands excerpt(const OnsetBands& bands, Seconds from, Seconds length);

// The rises of the logarithm of the level (logarithm: a soft hat counts beside a loud kick), over the
// highest of the last 25 ms. What sounds at the very beginning begins there.
[[nodiscard]] OnsetBands onsetBandsOf(const BandEnvelope& envelope, Hertz rate);

// The sum over the bands.
[[nodiscard]] OnsetStrength onsetStrengthOf(const OnsetBands& bands);
[[nodiscard]] OnsetStrength onsetStrengthOf(const BandEnvelope& envelope, Hertz rate);

}  // namespace orthochron
