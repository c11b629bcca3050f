#include "core/fit/Moves.h"

#include <gtest/gtest.h>

#include "testkit/Rate.h"

namespace orthochron {
namespace {

const TrackId kKick{1};
const TrackId kSnare{2};

// Sixteen bars at 120 bpm: kick on 1 and 3, snare on 2 and 4, the snare late by `feelMs`, all of
// it drifting by a millisecond a bar; from bar 9 on the snare is early by as much instead.
std::vector<PlayedHit> played(double feelMs)
{
    std::vector<PlayedHit> hits;
    for (int beat = 0; beat < 64; ++beat) {
        const int bar = beat / 4;
        const bool isSnare = beat % 2 == 1;
        const double feel = isSnare ? (bar < 8 ? feelMs : -feelMs) : 0.0;
        const double time = 0.5 * beat + 0.001 * (bar + 0.25 * (beat % 4)) + 0.001 * feel;
        const Frames at = toFrames(Seconds(time), kRate);
        hits.push_back({isSnare ? 1 : 0, at, at, 0.8, std::nullopt, std::nullopt});
    }
    return hits;
}

class MovesByPart : public testing::Test {
protected:
    MovesByPart()
    {
        performance_ = judge(played(8.0), grid_, kRate, sections_);
        performance_.leads = {kKick, kSnare};
        performance_.sections = {SectionId{11}, SectionId{12}};
    }
    [[nodiscard]] double leftMs(const Moves& moves, std::size_t hit) const
    {
        return inMilliseconds(moves.hits[hit].left);
    }

    Grid grid_{*TempoMap::steady(120.0, {}, Seconds(0.0)), {}};
    std::vector<BarRange> sections_{{1, 8}, {9, 16}};
    Performance performance_;
};

TEST_F(MovesByPart, MeasureTheFeelOfEachSectionForItself)
{
    double early = 0.0;
    double late = 0.0;
    for (const FeelStep& step : performance_.feel) {
        if (step.lead == 1 && step.step == 4) {
            (step.section == 0 ? late : early) = inMilliseconds(step.feel);
        }
    }
    EXPECT_NEAR(late, 8.0, 1.5);
    EXPECT_NEAR(early, -8.0, 1.5);
}

TEST_F(MovesByPart, TakeOutFeelOfOneLeadInOneSectionAlone)
{
    FitSettings settings{.drift = 1.0, .feel = 0.0, .stray = 1.0};
    settings.own = {
        {SectionId{11}, kSnare, 1.0, 1.0, 1.0},
        {{}, kSnare, 1.0, 0.5, 1.0},
    };

    const Moves moves = planMoves(performance_, settings);

    EXPECT_NEAR(leftMs(moves, 13), 0.0, 0.05);  // section one, snare: all of it out
    EXPECT_NEAR(leftMs(moves, 45), -4.0, 0.8);  // section two, snare: half
    EXPECT_NEAR(leftMs(moves, 44), 0.0, 0.8);   // the kick keeps its own, which is none
}

TEST_F(MovesByPart, PutASingleStepWhereItsToothSays)
{
    FitSettings settings{.drift = 1.0, .feel = 0.0, .stray = 1.0};
    settings.teeth = {{{}, kKick, 8, milliseconds(12.0)}};

    const Moves moves = planMoves(performance_, settings);

    EXPECT_NEAR(leftMs(moves, 2), 12.0, 0.05);
    EXPECT_NEAR(leftMs(moves, 34), 12.0, 0.05);
    EXPECT_NEAR(leftMs(moves, 0), 0.0, 0.8);
}

TEST_F(MovesByPart, FollowADriftLineDrawnByHand)
{
    const std::vector<DriftPoint> line{
        {Beats(0.0), milliseconds(20.0)}, {Beats(64.0), milliseconds(20.0)}};
    const double before = inMilliseconds(performance_.hits[20].deviation());

    redrawDrift(performance_, line);

    EXPECT_NEAR(inMilliseconds(performance_.hits[20].drift), 20.0, 1e-9);
    EXPECT_NEAR(inMilliseconds(performance_.hits[20].deviation()), before, 1e-9);
    const Moves moves = planMoves(performance_, {.drift = 1.0, .feel = 0.0, .stray = 0.0});
    EXPECT_NEAR(leftMs(moves, 20), before - 20.0, 0.02);
}

TEST_F(MovesByPart, MoveWholeBarsSoThatTheirInsideStaysAsPlayed)
{
    const Moves moves = planMoves(
        performance_, {.drift = 1.0, .feel = 1.0, .stray = 1.0, .pieces = FitPieces::ByBar}
    );

    for (std::size_t bar = 0; bar < 16; ++bar) {
        for (std::size_t k = 1; k < 4; ++k) {
            EXPECT_EQ(moves.hits[bar * 4 + k].move, moves.hits[bar * 4].move) << bar;
        }
    }
    EXPECT_NE(moves.hits[0].move, moves.hits[60].move);
    EXPECT_LT(std::abs(leftMs(moves, 60)), 2.0);
}

TEST_F(MovesByPart, KeepAHitWhereItWasAskedForByHand)
{
    auto hits = played(8.0);
    hits[30].wanted = milliseconds(-25.0);
    performance_ = judge(hits, grid_, kRate);

    const Moves moves = planMoves(performance_, {.drift = 1.0, .feel = 1.0, .stray = 1.0});

    EXPECT_NEAR(leftMs(moves, 30), -25.0, 0.02);
    EXPECT_NEAR(leftMs(moves, 31), 0.0, 0.02);
}

TEST_F(MovesByPart, RefuseAmountsThatCannotBe)
{
    FitSettings settings;
    settings.own = {{{}, kSnare, 1.0, 1.5, 0.0}};
    EXPECT_FALSE(validate(settings));
    settings.own.front().feel = 0.5;
    EXPECT_TRUE(validate(settings));
}

}  // namespace
}  // namespace orthochron
