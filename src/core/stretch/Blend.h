#pragma once

#include "core/stretch/StretchPlan.h"

#include <memory>
#include <vector>

namespace orthochron {

// Chords and whole mixes: Rubber Band's finer engine, all witnesses in one instance so that they keep
// their phases, offline and with a map of key frames.
//
// The sound is made in cells of 4 s, each with half a second around it for the engine to settle in; where two
// meet they go over into each other within 20 ms, matched, and that is part of what the sound is. Where
// time runs at 1:1 and the pitch stays, the take's own samples are heard, gone over to likewise; and so
// they are, while the pitch stays, from 7 ms before each attack to at least 30 ms after it, where the map puts it.
// Up to 32 MB of cells made last are kept. While it is played Rubber Band's faster engine stands in where a cell is not
// ready, in cells of 1 s.
[[nodiscard]] std::shared_ptr<StretchPlan>
planBlend(const Treatment& treatment, std::vector<Channel> witnesses, Hertz rate);

}  // namespace orthochron
