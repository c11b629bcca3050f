#include "core/fit/Groove.h"

#include <gtest/gtest.h>

#include "core/demo/KitRecording.h"
#include "core/files/GrooveFile.h"
#include "core/files/MidiFile.h"
#include "core/fit/Moves.h"
#include "testkit/Folder.h"
#include "testkit/Rate.h"

#include <cmath>
#include <fstream>

namespace orthochron {
namespace {

Performance played(const demo::DrummerSettings& settings)
{
    const demo::KitPerformance performance = demo::performKit(settings);
    std::vector<PlayedHit> hits;
    for (const demo::DemoHit& hit : performance.hits) {
        if (hit.drum == demo::Drum::Kick || hit.drum == demo::Drum::Snare) {
            const Frames at = toFrames(hit.played, kRate);
            hits.push_back(
                {hit.drum == demo::Drum::Kick ? 0 : 1, at, at, hit.velocity, std::nullopt}
            );
        }
    }
    return judge(std::move(hits), Grid(performance.map, {}), kRate);
}

Groove taken(const demo::DrummerSettings& settings)
{
    const Performance performance = played(settings);
    return grooveOf(performance, Grid(performance.tempo, {}), "from the kit");
}

TEST(Groove, MakesAnotherPerformanceDeviateAsTheOneItWasTakenFrom)
{
    const Groove groove = taken(
        {.seed = 3, .snareBehind = milliseconds(16.0), .swing = 58.0, .wanderOff = Seconds(0.0)}
    );
    const Performance other = played(
        {.seed = 11,
         .bpm = 120.0,
         .snareBehind = milliseconds(-4.0),
         .swing = 50.0,
         .wanderOff = Seconds(0.0)}
    );

    const Moves moves =
        planMoves(other, {.drift = 1.0, .feel = 1.0, .stray = 1.0, .groove = groove});

    double ab = 0.0;
    double aa = 0.0;
    double bb = 0.0;
    for (std::size_t i = 0; i < other.hits.size(); ++i) {
        if (other.hits[i].role == HitRole::Main) {
            const double wanted =
                groove.offsetAt(other.step * other.hits[i].line.step).count() * 60.0 / 120.0;
            const double left = moves.hits[i].left.count();
            ab += wanted * left;
            aa += wanted * wanted;
            bb += left * left;
        }
    }
    EXPECT_GT(ab / std::sqrt(aa * bb), 0.999);
    // The snare behind it was taken from: 16 ms at 92 bpm, as beats.
    EXPECT_NEAR(groove.offsetAt(Beats(1.0)).count(), 0.016 * 92.0 / 60.0, 0.003);
}

TEST(Groove, IsAppliedByItsAmount)
{
    const Groove groove = taken({.wanderOff = Seconds(0.0)});
    const Performance other = played({.seed = 11, .wanderOff = Seconds(0.0)});

    const Moves whole = planMoves(
        other, {1.0, 1.0, 1.0, Seconds(0.0), Seconds(0.12), Seconds(0.0), 1, groove, 1.0}
    );
    const Moves half = planMoves(
        other, {1.0, 1.0, 1.0, Seconds(0.0), Seconds(0.12), Seconds(0.0), 1, groove, 0.5}
    );

    for (std::size_t i = 0; i < other.hits.size(); ++i) {
        if (other.hits[i].role == HitRole::Main) {
            EXPECT_NEAR(half.hits[i].left.count(), 0.5 * whole.hits[i].left.count(), 0.00003);
        }
    }
}

TEST(GrooveFile, ReadsBackJsonAndMidi)
{
    const testkit::Folder folder;
    const Groove groove = taken({.wanderOff = Seconds(0.0)});
    ASSERT_TRUE(writeGroove(groove, folder / "g.json"));
    ASSERT_TRUE(writeGroove(groove, folder / "g.mid"));

    EXPECT_EQ(*readGroove(folder / "g.json", {}, {}), groove);
    const auto midi = readGroove(folder / "g.mid", {}, {});
    ASSERT_TRUE(midi);
    ASSERT_EQ(midi->steps.size(), groove.steps.size());
    for (std::size_t i = 0; i < groove.steps.size(); ++i) {
        EXPECT_EQ(midi->steps[i].position, groove.steps[i].position);
        EXPECT_NEAR(midi->steps[i].offset.count(), groove.steps[i].offset.count(), 0.5 / 960.0);
        EXPECT_NEAR(midi->steps[i].weight, groove.steps[i].weight, 0.01);
    }
    EXPECT_FALSE(writeGroove(groove, folder / "g.txt"));
}

TEST(GrooveFile, SurvivesHostileFiles)
{
    const testkit::Folder folder;
    const Groove groove = taken({.wanderOff = Seconds(0.0)});
    for (const char* name : {"g.json", "g.mid"}) {
        ASSERT_TRUE(writeGroove(groove, folder / name));
        std::ifstream file(folder / name, std::ios::binary);
        const std::string whole((std::istreambuf_iterator<char>(file)), {});
        for (std::size_t size = 0; size < whole.size(); ++size) {
            std::ofstream(folder / (std::string("cut-") + name), std::ios::binary)
                << whole.substr(0, size);
            const auto read = readGroove(folder / (std::string("cut-") + name), {}, {});
            if (!read) {
                EXPECT_EQ(read.error().kind, ErrorKind::BadInput);
            }
        }
    }
    EXPECT_FALSE(readGroove(folder / "none.mid", {}, {}));
}

TEST(Groove, TwoHitsOnAStepMakeAStepAndOneMakesNone)
{
    Performance performance;
    const Grid grid(*TempoMap::steady(120.0, {}, Seconds(0.0)), {});
    const auto add = [&](std::int64_t line, double offMs) {
        JudgedHit hit;
        hit.main = performance.hits.size();
        hit.role = HitRole::Main;
        hit.line = grid.line(line);
        hit.stray = milliseconds(offMs);
        hit.played.strength = 0.5;
        performance.hits.push_back(hit);
    };
    add(0, 10.0);
    add(16, 20.0);
    add(4, 30.0);
    const Groove groove = grooveOf(performance, grid, "two");
    ASSERT_EQ(groove.steps.size(), 1U);
    EXPECT_EQ(groove.steps[0].position, Beats(0.0));
    // Their mean and spread, in quarter notes of half a second.
    EXPECT_NEAR(groove.steps[0].offset.count(), 0.030, 1e-9);
    EXPECT_NEAR(groove.steps[0].spread.count(), 0.010, 1e-9);
    EXPECT_NEAR(groove.steps[0].weight, 0.5, 1e-9);
}

TEST(Groove, KeepsItsSpreadInItsFileAndRefusesOneBeyondReason)
{
    Groove groove;
    groove.name = "wide";
    groove.steps = {{Beats(0.5), Beats(-0.01), 0.75, Beats(0.125)}};
    const testkit::Folder folder;
    ASSERT_TRUE(writeGroove(groove, folder / "wide.json"));
    const auto read = readGroove(folder / "wide.json", {}, {});
    ASSERT_TRUE(read) << read.error().message;
    EXPECT_EQ(read->steps, groove.steps);
    for (const auto& [spread, isFine] : {std::pair{2.0, true}, {2.1, false}, {-0.1, false}}) {
        groove.steps[0].spread = Beats(spread);
        ASSERT_TRUE(writeGroove(groove, folder / "wide.json"));
        EXPECT_EQ(readGroove(folder / "wide.json", {}, {}).has_value(), isFine) << spread;
    }
}

}  // namespace
}  // namespace orthochron
