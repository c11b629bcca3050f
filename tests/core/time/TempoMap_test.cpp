#include <gtest/gtest.h>

#include "core/time/Grid.h"

#include <cmath>

namespace orthochron {
namespace {

TEST(TempoMap, GoesFromBeatsToTimeAndBackAcrossTempiAndBeforeTheFirstBar)
{
    const auto map = TempoMap::create(
        Seconds(1.5),
        {{Beats(0.0), 120.0}, {Beats(16.0), 60.0}, {Beats(24.0), 180.0}},
        {{1, {4, 4}}, {5, {3, 4}}, {7, {7, 8}}}
    );
    ASSERT_TRUE(map);

    for (double beat = -9.0; beat < 60.0; beat += 0.37) {
        EXPECT_NEAR(map->beatsAt(map->timeAt(Beats(beat))).count(), beat, 1e-9);
    }
    EXPECT_DOUBLE_EQ(map->timeAt(Beats(0.0)).count(), 1.5);
    EXPECT_DOUBLE_EQ(map->timeAt(Beats(20.0)).count(), 1.5 + 8.0 + 4.0);
    EXPECT_DOUBLE_EQ(map->timeAt(Beats(-2.0)).count(), 0.5);
}

TEST(TempoMap, HasTempiBeforeBarOne)
{
    const auto map = TempoMap::create(
        Seconds(4.0),
        {{.at = Beats(-6.0), .bpm = 60.0},
         {.at = Beats(-4.0), .bpm = 80.0, .isRamp = true},
         {.at = Beats(0.0), .bpm = 120.0},
         {.at = Beats(8.0), .bpm = 60.0}},
        {{1, {4, 4}}}
    );
    ASSERT_TRUE(map);
    const double ramp = 60.0 * 4.0 * std::log(120.0 / 80.0) / 40.0;
    EXPECT_DOUBLE_EQ(map->timeAt(Beats(0.0)).count(), 4.0);
    EXPECT_NEAR(map->timeAt(Beats(-4.0)).count(), 4.0 - ramp, 1e-9);
    EXPECT_NEAR(map->timeAt(Beats(-8.0)).count(), 0.0 - ramp, 1e-9);
    EXPECT_NEAR(map->timeAt(Beats(9.0)).count(), 9.0, 1e-9);
    EXPECT_NEAR(map->bpmAt(Beats(-2.0)), 100.0, 1e-9);
    for (double beat = -9.0; beat < 12.0; beat += 0.37) {
        EXPECT_NEAR(map->beatsAt(map->timeAt(Beats(beat))).count(), beat, 1e-9);
    }
    // Bar 1 must have a point.
    EXPECT_FALSE(TempoMap::create(Seconds(0.0), {{Beats(-4.0), 90.0}}, {{1, {}}}));
    EXPECT_FALSE(TempoMap::create(Seconds(0.0), {{Beats(4.0), 90.0}}, {{1, {}}}));
}

TEST(TempoMap, GoesFromOneTempoToTheNextInARamp)
{
    const auto map = TempoMap::create(
        Seconds(1.0),
        {{.at = Beats(0.0), .bpm = 120.0, .isRamp = true},
         {.at = Beats(8.0), .bpm = 60.0},
         {.at = Beats(12.0), .bpm = 60.0, .isRamp = true},
         {.at = Beats(16.0), .bpm = 90.0, .isRamp = true}},
        {{1, {4, 4}}}
    );
    ASSERT_TRUE(map);

    // Minutes are the integral of 1 / tempo over the quarter notes.
    double time = 1.0;
    constexpr double kStep = 1e-4;
    for (int k = 0; k < 80000; ++k) {
        time += kStep * 60.0 / (120.0 - 7.5 * (k + 0.5) * kStep);
    }
    EXPECT_NEAR(map->timeAt(Beats(8.0)).count(), time, 1e-6);
    EXPECT_DOUBLE_EQ(map->bpmAt(Beats(4.0)), 90.0);
    EXPECT_DOUBLE_EQ(map->bpmAt(Beats(10.0)), 60.0);
    EXPECT_DOUBLE_EQ(map->bpmAt(Beats(14.0)), 75.0);
    EXPECT_DOUBLE_EQ(map->bpmAt(Beats(99.0)), 90.0);  // the last point is steady
    EXPECT_DOUBLE_EQ(map->bpmAt(Beats(-3.0)), 120.0);
    for (double beat = -9.0; beat < 30.0; beat += 0.37) {
        EXPECT_NEAR(map->beatsAt(map->timeAt(Beats(beat))).count(), beat, 1e-9);
    }
}

TEST(Meter, IsReadFromWords)
{
    EXPECT_EQ(*parseMeter("4/4"), (Meter{4, 4}));
    EXPECT_EQ(*parseMeter("12/8"), (Meter{12, 8}));
    for (const std::string_view wrong :
         {"", "4", "4/", "/4", "4/4x", "a/b", " 4/4", "99999999999/4"}) {
        EXPECT_FALSE(parseMeter(wrong)) << wrong;
    }
}

TEST(TempoMap, NamesPlacesAcrossMeters)
{
    const auto map = TempoMap::create(
        Seconds(0.0), {{Beats(0.0), 100.0}}, {{1, {4, 4}}, {3, {3, 4}}, {5, {7, 8}}}
    );

    EXPECT_EQ(map->startOfBar(3), Beats(8.0));
    EXPECT_EQ(map->startOfBar(5), Beats(14.0));
    EXPECT_EQ(map->startOfBar(6), Beats(17.5));
    EXPECT_EQ(map->startOfBar(0), Beats(-4.0));
    EXPECT_EQ(map->barAt(Beats(13.99)), 4);
    EXPECT_EQ(map->barAt(Beats(-0.5)), 0);
    const BarBeat place = map->placeAt(Beats(15.0));
    EXPECT_EQ(place.bar, 5);
    EXPECT_EQ(place.beat, 3);
    EXPECT_NEAR(place.rest.count(), 0.0, 1e-9);
}

TEST(TempoMap, RefusesWhatCannotBe)
{
    EXPECT_FALSE(TempoMap::steady(0.0, {}, Seconds(0.0)));
    EXPECT_FALSE(TempoMap::steady(1000.0, {}, Seconds(0.0)));
    EXPECT_FALSE(TempoMap::steady(120.0, {0, 4}, Seconds(0.0)));
    EXPECT_FALSE(TempoMap::steady(120.0, {4, 3}, Seconds(0.0)));
    EXPECT_FALSE(TempoMap::create(Seconds(0.0), {{Beats(0.0), 90.0}, {Beats(0.0), 91.0}}, {{1, {}}})
    );
    EXPECT_FALSE(TempoMap::create(Seconds(0.0), {}, {{1, {}}}));
}

TEST(Grid, CountsItsLinesThroughMetersAndFindsTheNearest)
{
    const auto map = TempoMap::create(
        Seconds(0.25), {{Beats(0.0), 90.0}}, {{1, {4, 4}}, {3, {7, 8}}, {6, {3, 4}}}
    );
    for (const GridSettings settings :
         {GridSettings{16, false, 50.0},
          GridSettings{8, true, 50.0},
          GridSettings{4, false, 50.0},
          GridSettings{16, false, 58.0}}) {
        const Grid grid(*map, settings);
        GridLine last = grid.line(-20);
        for (std::int64_t index = -19; index < 120; ++index) {
            const GridLine line = grid.line(index);
            EXPECT_GT(line.time, last.time) << index;
            EXPECT_EQ(grid.nearest(line.time + milliseconds(2.0)).index, index);
            EXPECT_EQ(grid.nearest(line.time - milliseconds(2.0)).index, index);
            last = line;
        }
        EXPECT_EQ(grid.line(0).bar, 1);
        EXPECT_EQ(grid.line(0).step, 0);
    }
}

TEST(Grid, HoldsEverySecondStepBackBySwing)
{
    const Grid grid(*TempoMap::steady(120.0, {}, Seconds(0.0)), {16, false, 60.0});

    EXPECT_NEAR(grid.line(1).time.count(), 0.125 * 1.2, 1e-12);
    EXPECT_NEAR(grid.line(2).time.count(), 0.25, 1e-12);
}

TEST(Grid, ReadsItsNamesAndRefusesOthers)
{
    EXPECT_EQ(parseGrid("1/16")->division, 16);
    EXPECT_TRUE(parseGrid("1/8t")->triplet);
    EXPECT_EQ(gridName(*parseGrid("1/32t")), "1/32t");
    for (const char* word : {"", "1/5", "16", "t", "1/16x"}) {
        EXPECT_FALSE(parseGrid(word)) << word;
    }
}

TEST(TempoMap, AnHourMappedBeatByBeatAgreesWithItselfEverywhere)
{
    std::vector<TempoPoint> tempi;
    std::vector<MeterChange> meters;
    for (int beat = 0; beat < 8000; ++beat) {
        tempi.push_back({Beats(static_cast<double>(beat)), 100.0 + 20.0 * std::sin(0.01 * beat)});
        if (beat % 200 == 0) {
            meters.push_back({1 + beat / 10, beat % 400 == 0 ? Meter{4, 4} : Meter{7, 8}});
        }
    }
    const auto map = TempoMap::create(Seconds(1.25), tempi, meters);
    ASSERT_TRUE(map);
    Seconds before = map->timeAt(Beats(-8.0));
    for (double place = -7.5; place < 8100.0; place += 0.37) {
        const Seconds time = map->timeAt(Beats(place));
        EXPECT_GT(time, before);
        EXPECT_NEAR(map->beatsAt(time).count(), place, 1e-7);
        before = time;
    }
    for (int bar = -3; bar < 900; ++bar) {
        EXPECT_EQ(map->barAt(map->startOfBar(bar)), bar);
        EXPECT_LT(map->startOfBar(bar), map->startOfBar(bar + 1));
    }
}

}  // namespace
}  // namespace orthochron
