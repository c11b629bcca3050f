#include <gtest/gtest.h>

#include "core/demo/KitRecording.h"
#include "core/fit/Moves.h"
#include "testkit/Rate.h"

#include <cmath>
#include <map>
#include <random>

namespace orthochron {

namespace demo {

// How a drummer is named in the tests' output.
void PrintTo(const DrummerSettings& settings, std::ostream* out)
{
    *out << settings.bpm << " bpm, seed " << settings.seed << ", " << settings.bars << " bars";
}

}  // namespace demo

namespace {

// Hits as a perfect detector would find them on the kick and snare microphones.
struct Played {
    std::vector<PlayedHit> hits;
    std::vector<demo::DemoHit> truths;  // beside the hits
    TempoMap map;
};

Played playedBy(const demo::DrummerSettings& settings)
{
    const demo::KitPerformance performance = demo::performKit(settings);
    std::vector<std::pair<PlayedHit, demo::DemoHit>> all;
    for (const demo::DemoHit& hit : performance.hits) {
        if (hit.drum == demo::Drum::Kick || hit.drum == demo::Drum::Snare) {
            const int lead = hit.drum == demo::Drum::Kick ? 0 : 1;
            const auto& microphone = demo::boathouseMicrophones()[lead == 0 ? 0 : 2];
            const Frames at = toFrames(demo::heardAt(microphone, hit.drum, hit.played), kRate);
            all.push_back({{lead, at, at, hit.velocity, std::nullopt}, hit});
        }
    }
    std::ranges::stable_sort(all, {}, [](const auto& pair) { return pair.first.start; });
    Played played;
    played.map = performance.map;
    for (const auto& [hit, truth] : all) {
        played.hits.push_back(hit);
        played.truths.push_back(truth);
    }
    return played;
}

double correlation(const std::vector<double>& a, const std::vector<double>& b)
{
    double sa = 0, sb = 0, saa = 0, sbb = 0, sab = 0;
    for (std::size_t i = 0; i < a.size(); ++i) {
        sa += a[i];
        sb += b[i];
        saa += a[i] * a[i];
        sbb += b[i] * b[i];
        sab += a[i] * b[i];
    }
    const auto n = static_cast<double>(a.size());
    return (sab - sa * sb / n) / std::sqrt((saa - sa * sa / n) * (sbb - sb * sb / n));
}

class AnyDrummer : public testing::TestWithParam<demo::DrummerSettings> {};

TEST_P(AnyDrummer, HasEveryMainHitPutOnTheLineItWasPlayedFor)
{
    const Played played = playedBy(GetParam());

    const Performance performance = judge(played.hits, Grid(played.map, {}), kRate);

    for (std::size_t i = 0; i < performance.hits.size(); ++i) {
        const JudgedHit& hit = performance.hits[i];
        if (hit.role == HitRole::Main && played.truths[i].stroke == demo::Stroke::Main) {
            EXPECT_NEAR(hit.line.time.count(), played.truths[i].grid.count(), 1e-6)
                << "bar " << played.truths[i].bar << " step " << played.truths[i].step;
        }
    }
}

TEST_P(AnyDrummer, KeepsFeelAndStraysWhenOnlyDriftIsTakenOut)
{
    const Played played = playedBy(GetParam());
    const Performance performance = judge(played.hits, Grid(played.map, {}), kRate);

    const Moves moves = planMoves(performance, {.drift = 1.0, .feel = 0.0, .stray = 0.0});

    std::vector<double> left;
    std::vector<double> wanted;
    for (std::size_t i = 0; i < performance.hits.size(); ++i) {
        if (performance.hits[i].role == HitRole::Main &&
            played.truths[i].stroke == demo::Stroke::Main) {
            left.push_back(moves.hits[i].left.count());
            wanted.push_back((played.truths[i].feel + played.truths[i].stray).count());
        }
    }
    EXPECT_GE(correlation(left, wanted), 0.95);
}

INSTANTIATE_TEST_SUITE_P(
    Drummers,
    AnyDrummer,
    testing::Values(
        demo::DrummerSettings{},
        demo::DrummerSettings{.seed = 4, .wanderOff = Seconds(0.0)},
        demo::DrummerSettings{.seed = 4, .looseness = 3.0, .wanderOff = Seconds(0.0)},
        demo::DrummerSettings{.seed = 8, .bpm = 180.0, .wanderOff = Seconds(0.12)},
        demo::DrummerSettings{.seed = 8, .bpm = 66.0, .wanderOff = Seconds(-0.3)},
        demo::DrummerSettings{.seed = 8, .bpm = 110.0, .bars = 12, .wanderOff = Seconds(0.0)}
    ),
    [](const auto& of) {
        return std::to_string(static_cast<int>(of.param.bpm)) + "bpm" + std::to_string(of.index);
    }
);

TEST(Performance, AttachesFlamsRollsAndGhostsAndKeepsTheirDistance)
{
    const Played played = playedBy({});
    const Performance performance = judge(played.hits, Grid(played.map, {}), kRate);
    const Moves moves = planMoves(performance, {1.0, 1.0, 1.0});

    for (std::size_t i = 0; i < performance.hits.size(); ++i) {
        const JudgedHit& hit = performance.hits[i];
        if (played.truths[i].stroke != demo::Stroke::Main) {
            EXPECT_EQ(hit.role, HitRole::Attached) << "bar " << played.truths[i].bar;
        }
        EXPECT_EQ(moves.hits[i].move, moves.hits[hit.main].move);
        if (hit.role == HitRole::Main) {
            EXPECT_LE(std::abs(moves.hits[i].left.count()), 0.00002);
        }
    }
}

// The blows alone, without strokes that go with them; one in 25 is struck up to 0.48 of a sixteenth early or late.
Played erring(const Played& played, std::uint64_t seed, Seconds step)
{
    std::mt19937_64 random(seed);
    std::uniform_int_distribution<int> dice(1, 25);
    std::uniform_real_distribution<double> far(-0.48, 0.48);
    Played blows{.map = played.map};
    for (std::size_t i = 0; i < played.hits.size(); ++i) {
        if (played.truths[i].stroke != demo::Stroke::Main) {
            continue;
        }
        PlayedHit hit = played.hits[i];
        if (dice(random) == 1) {
            hit.start += toFrames(step * far(random), kRate);
            hit.beatPoint = hit.start;
        }
        blows.hits.push_back(hit);
        blows.truths.push_back(played.truths[i]);
    }
    return blows;
}

TEST(Performance, FastPlayersWhoErrByHalfAStepAreFollowed)
{
    int full = 0;
    int wrong = 0;
    for (std::uint64_t seed = 1; seed <= 40; ++seed) {
        const double bpm = 140.0 + static_cast<double>(seed);
        const Played played = erring(
            playedBy({.seed = seed, .bpm = bpm, .wanderOff = Seconds(0.0), .isInventing = true}),
            seed,
            Seconds(15.0 / bpm)
        );
        std::map<std::pair<int, Frames>, Seconds> meant;
        for (std::size_t i = 0; i < played.hits.size(); ++i) {
            if (played.hits[i].strength >= 0.6) {
                meant[{played.hits[i].lead, played.hits[i].start}] = played.truths[i].grid;
            }
        }
        for (const JudgedHit& hit : judge(played.hits, Grid(played.map, {}), kRate).hits) {
            const auto found = meant.find({hit.played.lead, hit.played.start});
            if (found != meant.end()) {
                ++full;
                wrong += std::abs((hit.line.time - found->second).count()) > 1e-6 ? 1 : 0;
            }
        }
    }
    EXPECT_GT(full, 8000);
    EXPECT_LE(
        wrong, 12
    );  // 64 if two strokes half a step apart are a roll and no bar tells of another
}

TEST(Performance, MeasuresTheSnareBehindAsFeel)
{
    const Played played = playedBy({.wanderOff = Seconds(0.0)});

    const Performance performance = judge(played.hits, Grid(played.map, {}), kRate);

    for (const FeelStep& step : performance.feel) {
        if (step.lead == 1 && (step.step == 4 || step.step == 12)) {
            EXPECT_NEAR(inMilliseconds(step.feel), 9.0, 1.5) << "step " << step.step;
        }
        if (step.lead == 0 && step.step == 0) {
            EXPECT_NEAR(inMilliseconds(step.feel), 0.0, 0.01);
        }
    }
}

TEST(Performance, OfNoHitsIsEmptyAndOfOneHitIsThatHit)
{
    const Grid grid(*TempoMap::steady(120.0, {}, Seconds(0.0)), {});

    EXPECT_TRUE(judge({}, grid, kRate).hits.empty());
    const Performance one =
        judge({{0, Frames(24480), Frames(24480), 1.0, std::nullopt}}, grid, kRate);
    ASSERT_EQ(one.hits.size(), 1U);
    EXPECT_NEAR(inMilliseconds(one.hits[0].deviation()), 10.0, 1e-6);
}

TEST(Performance, KeepsItsPlaceWhenHitsLieBetweenTheLines)
{
    // Sixteenths held against a grid of eighths: what lies between must not push the rest along.
    for (const std::uint64_t seed : {8U, 78U}) {
        const Played played = playedBy(
            {.seed = seed,
             .bpm = 171.0,
             .bars = 40,
             .swing = 50.0,
             .wanderOff = Seconds(-0.03),
             .wanderBar = 20}
        );

        const Performance performance =
            judge(played.hits, Grid(played.map, {8, false, 50.0}), kRate);

        for (std::size_t i = 0; i < performance.hits.size(); ++i) {
            const bool isOnEighth = played.truths[i].step % 2 == 0;
            if (performance.hits[i].role == HitRole::Main &&
                played.truths[i].stroke == demo::Stroke::Main && isOnEighth) {
                EXPECT_NEAR(
                    performance.hits[i].line.time.count(), played.truths[i].grid.count(), 1e-6
                ) << "bar "
                  << played.truths[i].bar << " step " << played.truths[i].step;
            }
        }
    }
}

TEST(Performance, ADrummerWhoFallsBeatsBehindIsFollowed)
{
    // Two beats behind or ahead at the end, farther than any line that is looked at from where the first was.
    for (const double slower : {1.0133, 0.9867}) {
        const Grid grid(*TempoMap::steady(120.0, {}, Seconds(2.0)), {4, false, 50.0});
        std::vector<PlayedHit> hits;
        for (std::int64_t line = 0; line < 150; ++line) {
            const Frames at =
                toFrames(Seconds(2.0 + 0.5 * slower * static_cast<double>(line)), kRate);
            hits.push_back({0, at, at, 1.0, std::nullopt});
        }

        const Performance performance = judge(hits, grid, kRate);

        for (std::size_t i = 0; i < performance.hits.size(); ++i) {
            EXPECT_EQ(performance.hits[i].line.index, static_cast<std::int64_t>(i)) << slower;
        }
    }
}

// How far the drift found is from that of a player who wanders within so many seconds (ms, of the mean of some): on
// every beat of 32 bars one hit, on other sixteenths ghosts where there are any.
double driftOff(double within, bool hasGhosts)
{
    const Grid grid(*TempoMap::steady(112.0, {}, Seconds(1.0)), {});
    double sum = 0.0;
    constexpr int kPlayers = 12;
    for (unsigned player = 0; player < kPlayers; ++player) {
        std::mt19937 random(player);
        std::normal_distribution<double> normal;
        std::vector<double> bumps(200);
        std::ranges::generate(bumps, [&] { return 0.010 * normal(random); });
        const auto driftAt = [&](double time) {
            double drift = 0.0;
            for (std::size_t k = 0; k < bumps.size(); ++k) {
                const double away = (time - 0.5 * static_cast<double>(k)) / within;
                drift += bumps[k] * std::exp(-0.5 * away * away) / std::sqrt(within);
            }
            return drift;
        };
        std::vector<PlayedHit> hits;
        std::vector<double> drifts;
        for (std::int64_t line = 0; line < 512; ++line) {
            const bool isGhost = line % 4 != 0;
            if (isGhost && (!hasGhosts || line % 16 == 7)) {
                continue;
            }
            const double time = grid.line(line).time.count();
            drifts.push_back(driftAt(time));
            const Frames at =
                toFrames(Seconds(time + drifts.back() + 0.005 * normal(random)), kRate);
            hits.push_back({0, at, at, isGhost ? 0.12 : 0.9, std::nullopt});
        }
        const Performance performance = judge(hits, grid, kRate);
        double off = 0.0;
        double mean = 0.0;
        int count = 0;
        for (std::size_t i = 0; i < performance.hits.size(); ++i) {
            if (performance.hits[i].role == HitRole::Main) {
                const double here = performance.hits[i].drift.count() - drifts[i];
                off += here * here;
                mean += here;
                ++count;
            }
        }
        // What is early or late throughout may be feel as well.
        mean /= count;
        sum += std::sqrt(off / count - mean * mean) / kPlayers;
    }
    return 1000.0 * sum;
}

TEST(Performance, LearnsFromAPlayerHowQuicklyTheyDrift)
{
    EXPECT_LT(driftOff(1.5, false), 3.0);
    EXPECT_LT(driftOff(6.0, false), 1.45);
}

TEST(Performance, GhostsSayAsWellWhereThePlayerIs)
{
    EXPECT_LT(driftOff(1.5, true), 0.6 * driftOff(1.5, false));
}

TEST(Performance, KeepsItsPlaceOnSwungEighths)
{
    // At 63 % the second eighth lies between straight sixteenths; the player is not pushed on by a line.
    const TempoMap map = *TempoMap::steady(132.0, {}, Seconds(2.1));
    const Grid grid(map, {8, false, 63.0});
    std::vector<PlayedHit> hits;
    std::vector<std::int64_t> lines;
    for (std::int64_t line = 0; line < 160; ++line) {
        if (line % 7 == 3 || line % 5 == 1) {
            continue;  // not on every line
        }
        const double off = 0.012 + 0.006 * std::sin(0.3 * static_cast<double>(line)) +
                           0.004 * static_cast<double>(line * 37 % 5 - 2);
        const Frames at = toFrames(grid.line(line).time + Seconds(off), kRate);
        hits.push_back({0, at, at, 1.0, std::nullopt});
        lines.push_back(line);
    }

    const Performance performance = judge(hits, grid, kRate);

    for (std::size_t i = 0; i < performance.hits.size(); ++i) {
        EXPECT_EQ(performance.hits[i].line.index, lines[i]) << i;
    }
}

TEST(Performance, ObeysALineGivenByHand)
{
    const Grid grid(*TempoMap::steady(120.0, {}, Seconds(0.0)), {});
    std::vector<PlayedHit> hits;
    for (int i = 0; i < 8; ++i) {
        const Frames at(24000 * i + 100);
        hits.push_back({0, at, at, 1.0, std::nullopt});
    }
    hits[3].line = 13;

    const Performance performance = judge(hits, grid, kRate);

    EXPECT_EQ(performance.hits[3].line.index, 13);
    EXPECT_EQ(performance.hits[4].line.index, 16);
}

TEST(Moves, LeaveStraysWithinTheToleranceAndHumaniseTheSameWithTheSameSeed)
{
    const Played played = playedBy({.bars = 16, .wanderOff = Seconds(0.0)});
    const Performance performance = judge(played.hits, Grid(played.map, {}), kRate);

    const Moves moves = planMoves(performance, {1.0, 0.0, 1.0, milliseconds(5.0)});

    for (std::size_t i = 0; i < performance.hits.size(); ++i) {
        const JudgedHit& hit = performance.hits[i];
        if (hit.role == HitRole::Main && std::abs(hit.stray.count()) <= 0.005) {
            EXPECT_NEAR(moves.hits[i].left.count(), (hit.feel + hit.stray).count(), 0.00002);
        }
    }
    const FitSettings human{.humanise = milliseconds(4.0), .seed = 7};
    EXPECT_EQ(
        planMoves(performance, human).hits[5].move, planMoves(performance, human).hits[5].move
    );
    EXPECT_NE(planMoves(performance, human).hits[5].move, moves.hits[5].move);
}

}  // namespace
}  // namespace orthochron
