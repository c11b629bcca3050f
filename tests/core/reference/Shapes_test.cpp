#include <gtest/gtest.h>

#include "Answers.h"
#include "core/shape/Bend.h"
#include "core/shape/LevelLine.h"
#include "core/shape/SpeedLine.h"
#include "core/shape/Spin.h"
#include "testkit/Rate.h"

#include <algorithm>
#include <random>

// Lines of level and speed as they are heard and drawn, by chance.
namespace orthochron {
namespace {

using testkit::expectAsBefore;
using testkit::Json;

class Chance {
public:
    explicit Chance(unsigned seed) : random_(seed) {}
    double operator()(double from, double to)
    {
        return std::uniform_real_distribution<double>(from, to)(random_);
    }
    bool oneIn(int count) { return (*this)(0.0, count) < 1.0; }

private:
    std::mt19937 random_;
};

double orSilence(double level)
{
    return level == kSilence ? -999.0 : rounded(level);
}

LevelPoint anyPoint(Chance& chance, double at)
{
    const double level = chance.oneIn(5) ? kSilence : chance(-40.0, 12.0);
    return {HeldPlace(at), level, chance(-0.9, 0.9), chance.oneIn(5)};
}

LevelLine anyLine(Chance& chance)
{
    LevelLine line{{}, chance.oneIn(2) ? Keeps::Bars : Keeps::Time};
    double at = 0.0;
    for (int i = 0; i < 12; ++i) {
        at += chance(0.002, chance.oneIn(3) ? 0.5 : 0.05);
        line.points.push_back(anyPoint(chance, at));
    }
    return line;
}

Json pointsOf(const LevelLine& line)
{
    Json points = Json::array();
    for (const LevelPoint& point : line.points) {
        points.push_back(
            {rounded(point.at.count()), orSilence(point.level), rounded(point.bend), point.isStep}
        );
    }
    return points;
}

TEST(Reference, LevelLinesAsTheyAreHeardAndDrawn)
{
    const TempoMap map = *TempoMap::steady(133.0, {}, Seconds(0.1));
    Json json;
    for (unsigned seed = 0; seed < 12; ++seed) {
        Chance chance(seed);
        const LevelLine line = anyLine(chance);
        const HeardLine heard(line, map, kRate);
        const auto length =
            static_cast<std::size_t>(heard.timeOfPoint(line.points.size() - 1).count() + 3000);
        std::vector<float> gains(length);
        heard.gains(Frames(0), gains);
        // How far it is from exact, in millionths, is a matter of how it is taken apart.
        double sum = 0.0;
        double off = 0.0;
        int silent = 0;
        for (std::size_t n = 0; n < length; ++n) {
            const Frames at(static_cast<std::int64_t>(n));
            sum += static_cast<double>(gains[n]);
            off += std::abs(static_cast<double>(gains[n]) - heard.gainAt(at));
            silent += n % 500 == 0 && heard.isSilent(at, at + Frames(500)) ? 1 : 0;
        }
        json["heard"].push_back({length, rounded(sum), rounded(1e6 * off), silent});

        const auto index = static_cast<std::size_t>(chance(0.0, 11.0));
        const double place = line.points[index].at.count() + chance(0.0, 0.01);
        Json& drawn = json["drawn"];
        drawn.push_back(pointsOf(lines::withPoint(line, anyPoint(chance, place))));
        drawn.push_back(pointsOf(lines::withoutPoint(line, index)));
        drawn.push_back(
            pointsOf(lines::bentThrough(line, index, chance(0.0, 1.0), chance(-40.0, 10.0)))
        );
        drawn.push_back(pointsOf(
            lines::cleared(line, HeldPlace(place), HeldPlace(place + chance(0.0, 0.4)), map)
        ));
        const Keeps other = line.keeps == Keeps::Bars ? Keeps::Time : Keeps::Bars;
        drawn.push_back(pointsOf(lines::heldTo(line, other, map)));
        std::vector<LevelPoint> byHand;
        for (double at = place; at < place + 0.2; at += 0.004) {
            byHand.push_back({HeldPlace(at), -20.0 + 8.0 * std::sin(30.0 * at) + chance(-0.2, 0.2)}
            );
        }
        drawn.push_back(pointsOf(lines::drawnOver(line, byHand, map)));
    }
    expectAsBefore("level-lines", json);
}

TEST(Reference, SpeedLinesAndSpinsAsTheyArePlayed)
{
    Json json;
    for (unsigned seed = 0; seed < 30; ++seed) {
        Chance chance(seed);
        std::vector<SpeedPoint> points;
        Frames at(0);
        for (int i = 0; i < 6; ++i) {
            at += Frames(static_cast<std::int64_t>(chance(1.0, 30000.0)));
            const double speed = chance.oneIn(4) ? 0.0 : chance(0.0, 4.0);
            points.push_back({at, speed, chance(-0.9, 0.9)});
        }
        std::optional<Frames> same;
        if (chance.oneIn(2)) {
            same = chance.oneIn(2) ? points.front().at : at;
        }
        const auto line = SpeedLine::through(points, chance.oneIn(2), same);
        Json row = Json::array();
        for (int i = 0; line && i < 8; ++i) {
            const double when = chance(-1000.0, static_cast<double>(at.count()) + 1000.0);
            const double place = line->placeOf(when);
            row.push_back(
                {rounded(line->speedAt(when)),
                 rounded(place),
                 rounded(line->heardAt(place)),
                 rounded(line->gainAt(when))}
            );
        }
        json["speed"].push_back(row);

        Spins spins;
        const auto anySpin = [&] {
            return Spin{
                Frames(static_cast<std::int64_t>(chance(100.0, 30000.0))),
                chance(-0.9, 0.9),
                chance.oneIn(2) ? 0.0 : chance(0.0, 4.0)};
        };
        spins.up = chance.oneIn(2) ? std::optional(anySpin()) : std::nullopt;
        spins.down = chance.oneIn(2) ? std::optional(anySpin()) : std::nullopt;
        spins.followsLevel = chance.oneIn(2);
        const auto spun = speedOf(spins, Frames(500), Frames(50500));
        Json spin = Json::array();
        for (int i = 0; spun && i < 8; ++i) {
            const double when = chance(0.0, 51000.0);
            spin.push_back(
                {rounded(spun->speedAt(when)),
                 rounded(spun->placeOf(when)),
                 rounded(spun->gainAt(when))}
            );
        }
        json["spins"].push_back(spin);
        if (spun && !spun->isEmpty()) {
            EXPECT_EQ(spinsOf(*spun, Frames(500), Frames(50500)), spins) << seed;
        }
        const double part = chance(0.0, 1.0);
        const double bend = chance(-0.95, 0.95);
        json["bends"].push_back(
            {rounded(bentPart(part, bend)),
             rounded(bentArea(part, bend)),
             rounded(bendThrough(part, chance(0.0, 1.0)))}
        );
    }
    expectAsBefore("speed-lines", json);
}

}  // namespace
}  // namespace orthochron
