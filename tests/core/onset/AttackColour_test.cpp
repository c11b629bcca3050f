#include "core/onset/AttackColour.h"

#include <gtest/gtest.h>

#include "testkit/Rate.h"

#include <cmath>
#include <numbers>
#include <random>

namespace orthochron {
namespace {

constexpr std::size_t kAt = 4800;

// A struck tone with a little noise: a drum of its own colour, at a level, over what rings of another.
std::vector<float> struck(double hertz, double level, double ringHertz = 0.0, double ring = 0.0)
{
    std::mt19937 random(7);
    std::normal_distribution<double> noise(0.0, 0.02);
    std::vector<float> samples(9600, 0.0F);
    for (std::size_t n = 0; n < samples.size(); ++n) {
        const double t = static_cast<double>(n) / kRate.count();
        double value = ring * std::sin(2.0 * std::numbers::pi * ringHertz * t);
        if (n >= kAt) {
            const double since = static_cast<double>(n - kAt) / kRate.count();
            value += level * std::exp(-since / 0.03) *
                     (std::sin(2.0 * std::numbers::pi * hertz * since) +
                      0.5 * std::sin(2.0 * std::numbers::pi * 1.6 * hertz * since) + noise(random));
        }
        samples[n] = static_cast<float>(value);
    }
    return samples;
}

AttackColour colourOf(const std::vector<float>& samples)
{
    return ColourEar(kRate).hear(samples, Frames(static_cast<std::int64_t>(kAt)));
}

UsualColour usual(double hertz)
{
    std::vector<AttackColour> loud;
    for (const double level : {0.8, 0.7, 0.9, 0.75, 0.85}) {
        loud.push_back(colourOf(struck(hertz, level)));
    }
    return UsualColour(loud);
}

TEST(AttackColour, ASoftStrokeIsLikeTheLoudOnesAndAnotherDrumIsNot)
{
    const UsualColour tom = usual(110.0);
    EXPECT_LT(tom.unlike(colourOf(struck(110.0, 0.05))), 1.0);
    EXPECT_GT(tom.unlike(colourOf(struck(260.0, 0.3))), 4.0);
    EXPECT_GT(tom.unlike(colourOf(struck(1800.0, 0.3))), 4.0);
}

TEST(AttackColour, TellsLowDrumsFromBrightOnes)
{
    // Two modes at 1 and 1.6 times the pitch: their power lies a tenth of an octave above the first.
    for (const double hertz : {80.0, 200.0, 700.0, 4000.0}) {
        EXPECT_NEAR(usual(hertz).centre(), std::log2(hertz / 60.0) + 0.1, 0.4) << hertz;
    }
}

TEST(AttackColour, WhatRingsOnSaysNothing)
{
    const UsualColour tom = usual(110.0);
    EXPECT_LT(tom.unlike(colourOf(struck(110.0, 0.2, 700.0, 0.1))), 2.5);
    // Drowned altogether it cannot be said.
    EXPECT_LT(tom.unlike(colourOf(struck(110.0, 0.0, 110.0, 0.3))), 0.0);
}

TEST(AttackColour, IsNotKnownFromTooFewBlowsOrSilence)
{
    const std::vector<AttackColour> few(3, colourOf(struck(110.0, 0.8)));
    EXPECT_EQ(UsualColour(few).unlike(colourOf(struck(900.0, 0.8))), -5.0);
    EXPECT_EQ(UsualColour({}).unlike(AttackColour()), -5.0);
    EXPECT_EQ(UsualColour(few).centre(), -1.0);
    const auto beyond = ColourEar(kRate).hear({}, Frames(100));
    for (std::size_t band = 0; band < AttackColour::kCount; ++band) {
        EXPECT_FALSE(beyond.isKnown(band) && beyond.decibels(band) > -100.0);
    }
}

}  // namespace
}  // namespace orthochron
