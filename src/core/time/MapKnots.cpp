#include "core/time/MapKnots.h"

#include <fmt/format.h>

#include <algorithm>
#include <cmath>
#include <limits>

namespace orthochron {

MapKnots knotsOf(const TempoMap& map)
{
    MapKnots all;
    for (const TempoPoint& point : map.tempi()) {
        all.knots.push_back(
            {point.at,
             map.timeAt(point.at),
             point.isPinned,
             point.sureness,
             point.isRamp ? std::optional(point.bpm) : std::nullopt}
        );
    }
    all.lastBpm = map.tempi().back().bpm;
    return all;
}

Result<TempoMap> mapThrough(const MapKnots& all, std::vector<MeterChange> meters)
{
    const auto barOne = std::ranges::find(all.knots, Beats(0.0), &MapKnot::place);
    if (barOne == all.knots.end()) {
        return badArgument("a tempo map needs a tempo at bar 1");
    }
    std::vector<TempoPoint> tempi;
    for (std::size_t i = 0; i < all.knots.size(); ++i) {
        const MapKnot& knot = all.knots[i];
        double bpm = all.lastBpm;
        const bool isRamp = knot.rampFrom && i + 1 < all.knots.size();
        if (i + 1 < all.knots.size()) {
            const double seconds = (all.knots[i + 1].time - knot.time).count();
            if (!(seconds > 0.0)) {
                return badArgument("bar lines must follow one another in time");
            }
            bpm = isRamp ? *knot.rampFrom
                         : (all.knots[i + 1].place - knot.place).count() * 60.0 / seconds;
        }
        tempi.push_back({knot.place, bpm, isRamp, knot.isPinned, knot.sureness});
    }
    return TempoMap::create(barOne->time, std::move(tempi), std::move(meters));
}

MapKnots simplified(const MapKnots& all, Seconds within)
{
    const auto& knots = all.knots;
    MapKnots few;
    few.lastBpm = all.lastBpm;
    std::size_t from = 0;
    while (from < knots.size()) {
        few.knots.push_back(knots[from]);
        // Seconds a quarter note that a line from here may have to pass near all it has passed.
        double least = 0.0;
        double most = std::numeric_limits<double>::infinity();
        std::size_t to = from;
        const auto mayLeaveOut = [&](std::size_t k) {
            return !knots[k].rampFrom && (k == from || knots[k].place != Beats(0.0));
        };
        while (to + 1 < knots.size() && mayLeaveOut(to)) {
            const double beats = (knots[to + 1].place - knots[from].place).count();
            const double time = (knots[to + 1].time - knots[from].time).count();
            if (time / beats < least || time / beats > most) {
                break;
            }
            least = std::max(least, (time - within.count()) / beats);
            most = std::min(most, (time + within.count()) / beats);
            ++to;
        }
        from = std::max(to, from + 1);
    }
    return few;
}

Seconds furthestApart(const MapKnots& knots, const TempoMap& map)
{
    Seconds furthest{0.0};
    for (const MapKnot& knot : knots.knots) {
        furthest =
            std::max(furthest, Seconds(std::abs((map.timeAt(knot.place) - knot.time).count())));
    }
    return furthest;
}

}  // namespace orthochron
