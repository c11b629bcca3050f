#include "core/shape/Spin.h"

namespace orthochron {

Result<SpeedLine> speedOf(const Spins& spins, Frames begin, Frames end)
{
    const Frames up = spins.up ? spins.up->length : Frames(0);
    const Frames down = spins.down ? spins.down->length : Frames(0);
    if ((spins.up && up <= Frames(0)) || (spins.down && down <= Frames(0))) {
        return badArgument("a spin must be longer than 0");
    }
    if (up + down > end - begin) {
        return badArgument("the spin is longer than its clip");
    }
    std::vector<SpeedPoint> points;
    if (spins.up) {
        points.push_back({begin, spins.up->speed, spins.up->bend});
        points.push_back({begin + up, 1.0});
    }
    if (spins.down) {
        if (points.empty() || points.back().at < end - down) {
            points.push_back({end - down, 1.0, 0.0});
        }
        points.back().bend = spins.down->bend;
        points.push_back({end, spins.down->speed});
    }
    if (points.empty()) {
        return SpeedLine();
    }
    return SpeedLine::through(
        std::move(points), spins.followsLevel, spins.up ? std::optional(begin + up) : std::nullopt
    );
}

Spins spinsOf(const SpeedLine& line, Frames begin, Frames end)
{
    Spins spins;
    spins.followsLevel = line.isEmpty() || line.followsLevel();
    const auto& points = line.points();
    if (points.size() < 2 || points.size() > 4) {
        return spins;
    }
    if (points[0].at == begin && points[1].speed == 1.0) {
        spins.up = Spin{points[1].at - begin, points[0].bend, points[0].speed};
    }
    const SpeedPoint& last = points.back();
    const SpeedPoint& before = points[points.size() - 2];
    if (last.at == end && before.speed == 1.0) {
        spins.down = Spin{end - before.at, before.bend, last.speed};
    }
    return spins;
}

}  // namespace orthochron
