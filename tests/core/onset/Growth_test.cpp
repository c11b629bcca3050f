#include "core/onset/Growth.h"

#include <gtest/gtest.h>

#include <algorithm>

// Drums that grow after they were struck, and those that only look like it.
namespace orthochron {
namespace {

constexpr std::int64_t kMillisecond = 48;

class Growth : public testing::Test {
protected:
    struct Candidate {
        double at = 0.0;  // ms
        double rise = 0.0;
        double novelty = 0.0;
        double strength = 0.0;
    };
    // One after another half a second apart, each with what follows it.
    void play(const std::vector<Candidate>& blow, int times)
    {
        for (int i = 0; i < times; ++i, now_ += 500.0) {
            for (const Candidate& each : blow) {
                OnsetCandidate candidate;
                candidate.onset.at =
                    Frames(static_cast<std::int64_t>((now_ + each.at) * kMillisecond));
                candidate.onset.strength = each.strength;
                candidate.onset.confidence = 0.95;
                candidate.body = candidate.onset.at;
                candidate.riseDecibels = each.rise;
                candidate.noveltyDecibels = each.novelty;
                analysis_.candidates.push_back(candidate);
            }
        }
    }
    [[nodiscard]] std::size_t blows()
    {
        tellGrowth(analysis_);
        return static_cast<std::size_t>(std::ranges::count_if(
            analysis_.candidates,
            [](const OnsetCandidate& candidate) { return candidate.onset.confidence > 0.5; }
        ));
    }

    OnsetAnalysis analysis_;
    double now_ = 300.0;
};

TEST_F(Growth, WhatADrumGrowsToIsNoOtherBlow)
{
    play({{0.0, 18.0, 20.0, 0.5}, {12.0, 5.0, 8.0, 0.8}, {24.0, 4.0, 4.0, 1.0}}, 6);
    EXPECT_EQ(blows(), 6U);
    for (std::size_t i = 0; i < analysis_.candidates.size(); i += 3) {
        EXPECT_EQ(analysis_.candidates[i].onset.strength, 1.0);  // as strong as it becomes
    }
}

TEST_F(Growth, WhatItGrowsToIsOftenHalfBelieved)
{
    play({{0.0, 18.0, 20.0, 0.5}, {20.0, 5.0, 22.0, 1.0}}, 6);
    for (std::size_t i = 1; i < analysis_.candidates.size(); i += 4) {
        analysis_.candidates[i].onset.confidence = 0.3;
    }
    EXPECT_EQ(blows(), 6U);
    EXPECT_EQ(analysis_.candidates[1].onset.confidence, 0.0);
}

TEST_F(Growth, WhatFollowsMoreSoftlyIsNoGrowth)
{
    play({{0.0, 18.0, 20.0, 1.0}, {24.0, 5.0, 6.0, 0.8}}, 10);
    EXPECT_EQ(blows(), 20U);
}

TEST_F(Growth, AMainStrokeAfterItsGraceStrokeIsABlow)
{
    play({{0.0, 30.0, 24.0, 0.3}, {22.0, 13.0, 12.0, 0.9}}, 10);
    EXPECT_EQ(blows(), 20U);
}

// Either of what tells it is enough: how much it rises, or how soft the grace stroke is against it.
TEST_F(Growth, AMainStrokeIsToldByItsRise)
{
    play({{0.0, 30.0, 24.0, 0.5}, {22.0, 13.0, 12.0, 0.9}}, 10);
    EXPECT_EQ(blows(), 20U);
}

TEST_F(Growth, AMainStrokeIsToldByItsLoudness)
{
    play({{0.0, 30.0, 24.0, 0.3}, {22.0, 8.0, 12.0, 0.9}}, 10);
    EXPECT_EQ(blows(), 20U);
}

TEST_F(Growth, WhatFollowsLaterIsAnotherBlow)
{
    play({{0.0, 18.0, 20.0, 0.5}, {35.0, 5.0, 8.0, 0.8}}, 10);
    EXPECT_EQ(blows(), 20U);
}

TEST_F(Growth, StrokesThatFollowEachOtherSoftlyAreBlows)
{
    play({{0.0, 20.0, 14.0, 0.3}, {28.0, 4.0, 3.0, 0.3}, {55.0, 12.0, 12.0, 0.9}}, 10);
    EXPECT_EQ(blows(), 30U);
}

TEST_F(Growth, ADrumOfWhichFewBlowsDoSoDoesNotGrow)
{
    play({{0.0, 18.0, 20.0, 0.9}}, 20);
    play({{0.0, 18.0, 20.0, 0.5}, {20.0, 5.0, 6.0, 0.8}}, 6);
    EXPECT_EQ(blows(), 32U);
}

TEST_F(Growth, ThreeAreTooFewToTell)
{
    play({{0.0, 18.0, 20.0, 0.5}, {20.0, 5.0, 6.0, 0.8}}, 3);
    EXPECT_EQ(blows(), 6U);
}

}  // namespace
}  // namespace orthochron
