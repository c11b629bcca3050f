#pragma once

#include "core/demo/KitPerformance.h"
#include "core/demo/Random.h"

#include <span>
#include <vector>

namespace orthochron::demo {

// What a recorded drum does beside ringing in its modes. The demo song's drums do none of it; the
// kits that detection is measured on do.
struct Liveliness {
    double swell =
        0.0;  // how high the kick's head swells again, of its blow; the others' half as much
    Seconds swellAfter{0.12};
    double beating = 0.0;  // two close modes of a head that come and go together
    double breath = 0.0;   // a breath of the kick's shell, some 40 ms after the blow
    double click = 0.0;    // the beater's, of the blow it comes ahead of
    Seconds clickAhead{0.003};
    double wires = 0.0;      // how loud the snare's wires answer kick and toms
    double softening = 0.0;  // octaves of treble that the softest stroke lacks
    Seconds slowness{0.0};   // over which the softest stroke rises
    double damping = 0.0;    // the part of what rings that a new blow stops
};

// How a kit is tuned and muffled; tests play other kits than the demo song's.
struct KitTuning {
    double kickHertz = 54.0;
    double snareHertz = 186.0;
    double tomHertz = 104.0;
    double cymbalDecay = 1.0;  // scales how long cymbals ring
    double floorTomHertz = 78.0;
    Liveliness lively;
};

// The sound of one blow close by, from the moment the stick lands: membrane modes whose pitch
// falls as the head relaxes, the stick's click, snare wires, and cymbals as many unrelated modes
// whose high ones die first. Louder blows are brighter. Peaks near `velocity` for the drums.
[[nodiscard]] std::vector<float>
soundOf(Drum drum, double velocity, Hertz rate, const KitTuning& tuning, Random& random);

// A hat that its pedal closes: no stick, and less of the highest sounds.
[[nodiscard]] std::vector<float>
closedByFoot(double velocity, Hertz rate, const KitTuning& tuning, Random& random);

// A blow that only rings in its modes, with all that the tuning says a drum does beside.
[[nodiscard]] std::vector<float> livened(
    std::vector<float> plain,
    Drum drum,
    double velocity,
    Hertz rate,
    const KitTuning& tuning,
    Random& random
);

// What the snare's wires add when a kick or tom is struck this hard.
[[nodiscard]] std::vector<float>
wiresAnswering(double velocity, Hertz rate, const KitTuning& tuning, Random& random);

}  // namespace orthochron::demo
