#pragma once

#include "core/demo/KitPerformance.h"
#include "core/demo/Random.h"

#include <span>
#include <vector>

namespace orthochron::demo {

// How a kit is tuned and muffled; tests play other kits than the demo song's.
struct KitTuning {
    double kickHertz = 54.0;
    double snareHertz = 186.0;
    double tomHertz = 104.0;
    double cymbalDecay = 1.0;  // scales how long cymbals ring
};

// The sound of one blow close by, from the moment the stick lands: membrane modes whose pitch
// falls as the head relaxes, the stick's click, snare wires, and cymbals as many unrelated modes
// whose high ones die first. Louder blows are brighter. Peaks near `velocity` for the drums.
[[nodiscard]] std::vector<float>
soundOf(Drum drum, double velocity, Hertz rate, const KitTuning& tuning, Random& random);

}  // namespace orthochron::demo
