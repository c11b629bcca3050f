#pragma once

#include "core/time/TempoMap.h"

#include <optional>
#include <vector>

namespace orthochron {

// A musical place tied to a time: what a tempo map is when it is taken hold of. Between two knots the tempo is
// steady, or a ramp where the map has one.
struct MapKnot {
    Beats place;
    Seconds time;  // song time
    bool isPinned = false;
    double sureness = 1.0;
    std::optional<double> rampFrom;  // bpm at this knot, where a ramp leads to the next

    bool operator==(const MapKnot&) const = default;
};

struct MapKnots {
    std::vector<MapKnot> knots;  // ascending; one is bar 1, at place 0
    double lastBpm = 120.0;      // from the last one on

    bool operator==(const MapKnots&) const = default;
};

// One knot for each point of the map.
[[nodiscard]] MapKnots knotsOf(const TempoMap& map);
// The map through knots. Errors: those of TempoMap::create; BadArgument when a knot is not after the one before.
[[nodiscard]] Result<TempoMap> mapThrough(const MapKnots& knots, std::vector<MeterChange> meters);

// As few knots as possible so that none that is left out moves by more than `within`. The first one and bar 1
// stay, the last tempo too.
[[nodiscard]] MapKnots simplified(const MapKnots& knots, Seconds within);
// How far the knots of one map are from where another has them, at most.
[[nodiscard]] Seconds furthestApart(const MapKnots& knots, const TempoMap& map);

}  // namespace orthochron
