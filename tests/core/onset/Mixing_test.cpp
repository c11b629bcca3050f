#include "core/onset/Mixing.h"

#include <gtest/gtest.h>

#include "core/demo/Random.h"

#include <cmath>
#include <limits>

namespace orthochron {
namespace {

// Three microphones, the third of which hears the first drum almost as loud as its own.
const Mixing kMixing{{1.0, 0.05, 0.01}, {0.02, 0.5, 0.01}, {0.3, 0.08, 0.4}};

std::vector<double> heardOf(const Mixing& mixing, const std::vector<double>& gains)
{
    std::vector<double> heard;
    for (const auto& row : mixing) {
        double sum = 0.0;
        for (std::size_t d = 0; d < row.size(); ++d) {
            sum += row[d] * gains[d];
        }
        heard.push_back(sum);
    }
    return heard;
}

TEST(Unmixing, FindsHowMuchOfEachDrumThereIs)
{
    const Unmixing unmixing(kMixing);
    const std::vector<std::vector<double>> struck{
        {1.0, 0.0, 0.0}, {0.0, 0.003, 1.0}, {0.6, 0.2, 0.01}, {1.0, 1.0, 1.0}, {0.0, 0.0, 0.0}};
    for (const auto& gains : struck) {
        const auto found = unmixing.gainsOf(heardOf(kMixing, gains));
        ASSERT_EQ(found.size(), gains.size());
        for (std::size_t d = 0; d < gains.size(); ++d) {
            EXPECT_NEAR(found[d], gains[d], 0.03 * gains[d] + 0.02) << d;
            EXPECT_GE(found[d], 0.0);
        }
    }
}

// The fourth drum has no microphone. What is heard of it could be a little of each of the others.
TEST(Unmixing, OneDrumThatAllHearIsLikelierThanSomeOfEachOther)
{
    const Mixing mixing{{1.0, 0.05, 0.01, 0.2}, {0.02, 0.5, 0.01, 0.1}, {0.03, 0.08, 0.4, 0.15}};
    const Unmixing unmixing(mixing);
    const auto ride = unmixing.gainsOf(heardOf(mixing, {0.0, 0.0, 0.0, 0.1}));
    ASSERT_EQ(ride.size(), 4U);
    EXPECT_GT(ride[3], 0.07);
    const auto snare = unmixing.gainsOf(heardOf(mixing, {0.0, 0.1, 0.0, 0.1}));
    EXPECT_NEAR(snare[1], 0.1, 0.03);
    EXPECT_GT(snare[3], 0.07);
    const auto first = unmixing.gainsOf(heardOf(mixing, {0.1, 0.0, 0.0, 0.0}));
    EXPECT_NEAR(first[0], 0.1, 0.01);
    EXPECT_LT(first[3], 0.02);
}

TEST(Unmixing, AnswersNoneThatIsNegativeWhateverIsHeard)
{
    demo::Random random(9);
    const Unmixing unmixing(kMixing);
    for (int n = 0; n < 200; ++n) {
        // What no sum of the drums can be.
        const std::vector<double> heard{
            std::pow(random.even(), 6.0),
            std::pow(random.even(), 6.0),
            std::pow(random.even(), 6.0)};
        for (const double gain : unmixing.gainsOf(heard)) {
            EXPECT_GE(gain, 0.0);
            EXPECT_TRUE(std::isfinite(gain));
        }
    }
}

TEST(Mixing, BleedGrowsWithTheBlowsThatBleedAndCompanyDoesNot)
{
    demo::Random random(3);
    std::vector<double> blows;
    std::vector<double> bleed;
    std::vector<double> company;
    for (int n = 0; n < 60; ++n) {
        blows.push_back(random.between(0.2, 1.0));
        bleed.push_back(0.3 * blows.back() + 0.002 * random.bell());
        company.push_back(
            0.3 + 0.05 * random.bell()
        );  // struck with it each time, as loud as it likes
    }
    EXPECT_NEAR(growthOf(blows, bleed), 0.3, 0.01);
    EXPECT_LT(growthOf(blows, company), 0.1);
    // Of few it says nothing.
    EXPECT_TRUE(std::isinf(growthOf(std::span(blows).first(11), std::span(bleed).first(11))));
    EXPECT_FALSE(std::isinf(growthOf(std::span(blows).first(12), std::span(bleed).first(12))));
}

TEST(Mixing, OnlyWhatIsAlmostAsLoudAsTheOwnDrumIsTakenForCompany)
{
    const double none = std::numeric_limits<double>::infinity();
    Mixing mixing = kMixing;
    leaveOutCompany(mixing, {{0.0, 0.0, 0.0}, {0.0, 0.0, 0.0}, {0.04, 0.0, 0.0}});
    EXPECT_EQ(mixing[2][0], 0.04);  // was 0.3 beside 0.4
    EXPECT_EQ(mixing[2][1], 0.08);  // a fifth of the own drum's: believed
    EXPECT_EQ(mixing[0], kMixing[0]);
    EXPECT_EQ(mixing[2][2], 0.4);
    mixing = kMixing;
    leaveOutCompany(mixing, {{none, none, none}, {none, none, none}, {none, none, none}});
    EXPECT_EQ(mixing, kMixing);
}

}  // namespace
}  // namespace orthochron
