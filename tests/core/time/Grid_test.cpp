#include "core/time/Grid.h"

#include <gtest/gtest.h>

// The raster hits are held against.
namespace orthochron {
namespace {

TempoMap steady(double bpm, Meter meter = {})
{
    return *TempoMap::steady(bpm, meter, Seconds(0.5));
}

TEST(Grid, ReadsItsNameAndSaysItAgain)
{
    for (const std::string_view name : {"1/4", "1/8", "1/16", "1/32", "1/4t", "1/8t", "1/16t"}) {
        const auto settings = parseGrid(name);
        ASSERT_TRUE(settings) << name;
        EXPECT_EQ(gridName(*settings), name);
    }
    for (const std::string_view wrong :
         {"", "1", "1/", "1/0", "1/7", "2/4", "1/16x", "1/-8", "t"}) {
        EXPECT_FALSE(parseGrid(wrong)) << wrong;
    }
}

TEST(Grid, CountsLinesThroughBarsAndBeforeTheFirstDownbeat)
{
    const Grid grid(steady(120.0), {16, false, 50.0});

    EXPECT_EQ(grid.line(0).bar, 1);
    EXPECT_DOUBLE_EQ(grid.line(0).time.count(), 0.5);
    EXPECT_EQ(grid.line(16).bar, 2);
    EXPECT_EQ(grid.line(16).step, 0);
    EXPECT_DOUBLE_EQ(grid.line(17).time.count(), 2.625);
    EXPECT_EQ(grid.line(-1).bar, 0);
    EXPECT_EQ(grid.line(-1).step, 15);
    EXPECT_DOUBLE_EQ(grid.line(-1).time.count(), 0.375);
}

TEST(Grid, FindsTheNearestLineFromAnyMomentBetweenTwo)
{
    const Grid grid(steady(92.0), {8, false, 50.0});
    const double step = 30.0 / 92.0;
    for (std::int64_t index = -20; index < 200; ++index) {
        const double line = 0.5 + static_cast<double>(index) * step;
        for (const double part : {-0.49, -0.2, 0.0, 0.2, 0.49}) {
            EXPECT_EQ(grid.nearest(Seconds(line + part * step)).index, index) << part;
        }
    }
}

TEST(Grid, SwingHoldsEverySecondStepBackAndLeavesTriplets)
{
    const Grid straight(steady(120.0), {16, false, 50.0});
    const Grid swung(steady(120.0), {16, false, 200.0 / 3.0});
    const Grid triplets(steady(120.0), {8, true, 66.0});
    for (std::int64_t index = 0; index < 64; ++index) {
        const double late = swung.line(index).time.count() - straight.line(index).time.count();
        // Two sixteenths are 250 ms: the second goes from half to two thirds of it.
        EXPECT_NEAR(late, index % 2 == 0 ? 0.0 : 0.25 * (2.0 / 3.0 - 0.5), 1e-9);
    }
    EXPECT_NEAR(triplets.line(1).time.count() - 0.5, 0.5 / 3.0, 1e-9);
}

TEST(Grid, StartsEachBarAnewWhereTheDivisionDoesNotFit)
{
    // 7/8 holds seven eighths: three quarters and a half of one.
    const Grid grid(steady(120.0, {7, 8}), {4, false, 50.0});
    EXPECT_EQ(grid.stepsInBar(1), 4);
    EXPECT_EQ(grid.line(4).bar, 2);
    EXPECT_DOUBLE_EQ(grid.line(4).at.count(), 3.5);
    EXPECT_DOUBLE_EQ((grid.line(4).at - grid.line(3).at).count(), 0.5);
}

TEST(Grid, ABarHoldsAtLeastOneStep)
{
    for (const Meter meter : {Meter{1, 4}, Meter{1, 8}}) {
        const Grid grid(steady(120.0, meter), {4, false, 50.0});
        EXPECT_EQ(grid.stepsInBar(1), 1);
        EXPECT_EQ(grid.line(5).bar, 6);
        EXPECT_EQ(grid.line(5).step, 0);
        EXPECT_DOUBLE_EQ(grid.line(5).at.count(), 5.0 * meter.barLength().count());
    }
}

TEST(Grid, FollowsChangesOfTempoAndMeter)
{
    const auto map = TempoMap::create(
        Seconds(0.0), {{Beats(0.0), 120.0}, {Beats(8.0), 60.0}}, {{1, {4, 4}}, {3, {3, 4}}}
    );
    ASSERT_TRUE(map);
    const Grid grid(*map, {4, false, 50.0});
    EXPECT_DOUBLE_EQ(grid.line(8).time.count(), 4.0);
    EXPECT_DOUBLE_EQ(grid.line(9).time.count(), 5.0);
    EXPECT_EQ(grid.line(11).bar, 4);
    EXPECT_EQ(grid.stepsInBar(2), 4);
    EXPECT_EQ(grid.stepsInBar(3), 3);
    for (std::int64_t index = 0; index < 40; ++index) {
        EXPECT_EQ(grid.nearest(grid.line(index).time).index, index);
        EXPECT_LT(grid.line(index).time, grid.line(index + 1).time);
    }
}

}  // namespace
}  // namespace orthochron
