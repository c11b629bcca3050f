#include "core/onset/BlowStarts.h"

#include <gtest/gtest.h>

#include "testkit/Rate.h"

#include <cmath>
#include <numbers>
#include <random>

namespace orthochron {
namespace {

constexpr Frames kCentre(4800);

// A blow found at its body, at the centre, and what there is of it so much earlier; under what rings on all the time.
struct Heard {
    Seconds ahead = milliseconds(6.0);
    double touch = 0.3;  // to which the body adds 0.4
    double ring = 0.002;
    std::vector<Frames> othersBlows;
};

Frames startOf(const Heard& heard)
{
    std::mt19937 random(3);
    std::normal_distribution<double> noise(0.0, 1.0);
    std::vector<float> samples(9600);
    const Frames touched = kCentre - toFrames(heard.ahead, kRate);
    for (std::size_t n = 0; n < samples.size(); ++n) {
        const auto at = static_cast<std::int64_t>(n);
        double level = heard.ring;
        level += at >= touched.count() ? heard.touch : 0.0;
        level += at >= kCentre.count() ? 0.4 : 0.0;
        samples[n] = static_cast<float>(level * noise(random));
    }
    OnsetAnalysis analysis;
    analysis.envelope.hopFrames = toFrames(milliseconds(1.0), kRate);
    OnsetCandidate blow;
    blow.onset.at = kCentre;
    blow.body = kCentre;
    blow.ahead = {{touched, toDecibels(heard.touch / 0.4)}};
    blow.othersBlows = heard.othersBlows;
    blow.trace = std::make_shared<const AttackTrace>(traceOf(samples, kRate, kCentre));
    analysis.candidates = {blow};
    beginInTheClear(analysis);
    return analysis.candidates.front().onset.at;
}

TEST(BlowStarts, ABlowThatRisesOutOfTheQuietBeginsThere)
{
    EXPECT_EQ(startOf({}), kCentre - toFrames(milliseconds(6.0), kRate));
    EXPECT_EQ(startOf({.ahead = milliseconds(2.0)}), kCentre - toFrames(milliseconds(2.0), kRate));
}

TEST(BlowStarts, WhatRisesWhenAnotherDrumIsStruckMayBeThatDrum)
{
    const Frames struck = kCentre - toFrames(milliseconds(8.0), kRate);  // 2 ms of way to here
    EXPECT_EQ(startOf({.othersBlows = {struck}}), kCentre);
    // One that is struck before or after is not what rises.
    const std::vector<Frames> elsewhere{
        kCentre - toFrames(milliseconds(12.0), kRate),
        kCentre - toFrames(milliseconds(3.0), kRate)};
    EXPECT_LT(startOf({.othersBlows = elsewhere}), kCentre);
}

TEST(BlowStarts, WhatHardlyStandsOutOfARingIsNoStart)
{
    EXPECT_EQ(startOf({.ring = 0.3}), kCentre);
}

TEST(BlowStarts, WhatIsMuchSofterThanTheBlowIsNotItsStart)
{
    EXPECT_EQ(startOf({.touch = 0.06}), kCentre);
}

TEST(BlowStarts, WhatLiesTooFarAheadIsSomethingElse)
{
    EXPECT_EQ(startOf({.ahead = milliseconds(11.0)}), kCentre);
}

}  // namespace
}  // namespace orthochron
