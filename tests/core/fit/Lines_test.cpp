#include "core/fit/Lines.h"

#include <gtest/gtest.h>

#include "testkit/Rate.h"

#include <cmath>
#include <numbers>
#include <random>

// Which line a blow was played for.
namespace orthochron {
namespace {

constexpr Seconds kFirst{1.7};

Grid gridAt(double bpm, GridSettings settings = {}, Meter meter = {})
{
    return {*TempoMap::steady(bpm, meter, kFirst), settings};
}

// A blow meant for a line of the grid and as many milliseconds late.
struct Blow {
    std::int64_t line;
    double late;
    int lead = 0;
};

std::vector<JudgedHit> withLines(const std::vector<Blow>& blows, const Grid& grid)
{
    std::vector<JudgedHit> hits;
    for (const Blow& blow : blows) {
        JudgedHit hit;
        hit.played.lead = blow.lead;
        hit.played.start = toFrames(grid.line(blow.line).time + milliseconds(blow.late), kRate);
        hit.played.beatPoint = hit.played.start;
        hit.main = hits.size();
        hits.push_back(hit);
    }
    assignLines(hits, grid, kRate);
    return hits;
}

void expectFound(const std::vector<Blow>& blows, const Grid& grid)
{
    const std::vector<JudgedHit> hits = withLines(blows, grid);
    for (std::size_t i = 0; i < hits.size(); ++i) {
        EXPECT_EQ(hits[i].line.index, blows[i].line) << "blow " << i << " of " << hits.size();
    }
}

TEST(Lines, TwoMistakesDoNotCarryAwayWhatLiesBetween)
{
    // Early by almost half a step after a run of late ones: a step too late would be the shorter way to it.
    expectFound(
        {{0, -1},
         {12, 32},
         {16, 2},
         {17, 6},
         {20, 14},
         {21, 8},
         {24, 8},
         {28, 18},
         {30, -42},
         {32, -3},
         {36, 0},
         {38, 1},
         {40, -9},
         {44, -7}},
        gridAt(152.9)
    );
}

TEST(Lines, WhatIsMostlyPlayedBetweenTheBeatsIsNotReadAnEighthLater)
{
    // Swung: on the beats of a grid begun an eighth earlier there would be more.
    expectFound(
        {{0, 10},
         {4, 22},
         {8, 28},
         {11, 20},
         {15, 12},
         {19, 17},
         {21, 19},
         {24, 8},
         {27, 15},
         {31, 14},
         {35, 10},
         {37, 35},
         {40, -11},
         {45, 4},
         {51, 3}},
        gridAt(135.9, {8, false, 58.0})
    );
}

TEST(Lines, InSixEightTwoBeatsOfThreeEighthsAreStruckMost)
{
    // A player who runs ahead by most of an eighth, slowly: what is struck most tells from where.
    std::vector<Blow> blows;
    for (std::int64_t bar = 0; bar < 24; ++bar) {
        const double ahead = -5.0 * static_cast<double>(bar);
        blows.push_back({12 * bar, ahead});
        blows.push_back({12 * bar + 6, ahead});
        blows.push_back({12 * bar + 10, ahead});
    }
    expectFound(blows, gridAt(144.0, {}, Meter{6, 8}));
}

TEST(Lines, APlayerIsFollowedHalfABeatAwayAndBack)
{
    std::mt19937 random(5);
    std::normal_distribution<double> stray(0.0, 5.0);
    const double bpm = 118.0;
    std::vector<Blow> blows;
    for (std::int64_t line = 0; line < 16 * 48; line += line % 8 == 0 ? 4 : 2) {
        const double way = static_cast<double>(line) / (16 * 48);
        const double drift = 0.5 * 60e3 / bpm * std::sin(std::numbers::pi * way);
        blows.push_back({line, drift + stray(random)});
    }
    expectFound(blows, gridAt(bpm));
}

TEST(Lines, WhatLiesHalfwayBelongsToTheLineThatIsStruckInOtherBars)
{
    // Once a blow lies 46 ms after one line and 52 before the next: of a song that strikes the one, or the other, bar after bar.
    for (const std::int64_t usual : {13, 14}) {
        std::vector<Blow> blows;
        for (std::int64_t bar = 0; bar < 8; ++bar) {
            for (const std::int64_t step :
                 {std::int64_t{0}, std::int64_t{4}, std::int64_t{8}, usual}) {
                const double late = bar != 5 || step != usual ? 0.0 : usual == 13 ? 46.0 : -52.0;
                blows.push_back({16 * bar + step, late});
            }
        }
        expectFound(blows, gridAt(152.9));
    }
}

// Bars that are struck on three beats and at one step more; in one of them that is struck elsewhere and late.
std::vector<Blow> withOneOther(std::int64_t bars, std::int64_t usual, Blow other)
{
    std::vector<Blow> blows;
    for (std::int64_t bar = 0; bar < bars; ++bar) {
        for (const std::int64_t step : {0, 4, 8}) {
            blows.push_back({16 * bar + step, 0.0});
        }
        const bool isOther = bar == bars / 2;
        blows.push_back(
            isOther ? Blow{16 * bar + other.line, other.late} : Blow{16 * bar + usual, 0.0}
        );
    }
    return blows;
}

TEST(Lines, WhatIsPlayedOnceStaysWhereItIsPlayed)
{
    const Grid grid = gridAt(152.9);
    expectFound(withOneOther(64, 14, {13, 25.0}), grid);
    // Of two bars the other says little.
    expectFound(withOneOther(2, 14, {13, 27.0}), grid);
}

TEST(Lines, ABarSaysNothingForItself)
{
    expectFound(withOneOther(4, 14, {14, -57.0}), gridAt(152.9));
}

TEST(Lines, TwoDrumsThatGoTogetherElsewhereDoSoWhereOneIsLate)
{
    std::vector<Blow> blows;
    for (std::int64_t bar = 0; bar < 8; ++bar) {
        for (std::int64_t step = 0; step < 16; step += 4) {
            blows.push_back({16 * bar + step, 0.0});
            if (step % 8 == 4) {
                blows.push_back({16 * bar + step, bar == 5 && step == 4 ? 47.0 : 25.0, 1});
            }
        }
    }
    expectFound(blows, gridAt(152.9));
}

TEST(Lines, OfTwoBlowsOnOneLineTheOneThatLiesClearlyNearerIsMain)
{
    // The snare's grace strokes are heard as a blow, and the blow itself under the kick is not.
    const auto mainOf = [](double snare, double kick) {
        std::vector<Blow> blows;
        for (std::int64_t beat = 0; beat < 16; ++beat) {
            blows.push_back({4 * beat, 10.0, 1});
        }
        blows.push_back({64, snare});
        blows.push_back({64, kick, 1});
        for (std::int64_t beat = 17; beat < 32; ++beat) {
            blows.push_back({4 * beat, 10.0, 1});
        }
        const auto hits = withLines(blows, gridAt(120.0));
        EXPECT_NE(hits[16].role, hits[17].role);
        EXPECT_EQ(hits[16].main, hits[17].main);
        return hits[16].main;
    };
    EXPECT_EQ(mainOf(-25.0, 10.0), 17U);
    EXPECT_EQ(mainOf(-5.0, 20.0), 16U);
    EXPECT_EQ(mainOf(10.0, 35.0), 16U);
}

TEST(Lines, ATakeThatBeginsFarOffIsLeftThereWhileItStays)
{
    // Nothing tells such a player from one who is early, but that each way the distances are kept.
    std::vector<Blow> blows;
    for (std::int64_t line = 0; line < 160; line += 4) {
        blows.push_back({line, 60.0});
    }
    expectFound(blows, gridAt(92.0));
}

}  // namespace
}  // namespace orthochron
