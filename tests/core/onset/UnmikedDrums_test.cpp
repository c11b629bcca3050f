#include "core/onset/UnmikedDrums.h"

#include <gtest/gtest.h>

#include <array>
#include <cmath>
#include <random>

// Four microphones at four drums, and what else is struck.
namespace orthochron {
namespace {

constexpr std::size_t kMicrophones = 4;
constexpr float kQuiet = 2e-8F;

using Heard = std::array<double, kMicrophones>;  // dB
constexpr Heard kRide{-36.0, -44.0, -41.0, -46.0};
constexpr Heard kCrash{-45.0, -35.0, -42.0, -38.0};

class UnmikedDrums : public testing::Test {
protected:
    UnmikedDrums()
    {
        // Each drum loud in its own microphone, 26 to 32 dB softer in the others.
        for (std::size_t d = 0; d < kMicrophones; ++d) {
            Heard drum{};
            for (std::size_t m = 0; m < kMicrophones; ++m) {
                drum[m] = m == d ? -14.0 : -40.0 - 2.0 * static_cast<double>((m + d) % 4);
            }
            drums_.push_back(attack(drum));
        }
        heard_.loud = 0.05;
    }

    // As loud in the highest band as in the one below.
    static Everywhere attack(const Heard& levels, double harder = 0.0)
    {
        Everywhere attack;
        for (const double level : levels) {
            const double power = std::pow(10.0, 0.1 * (level + harder));
            attack.push_back({0.0, 0.1 * power, power, power});
        }
        return attack;
    }
    static Everywhere both(const Everywhere& one, const Everywhere& other)
    {
        Everywhere sum = one;
        for (std::size_t m = 0; m < sum.size(); ++m) {
            for (std::size_t band = 0; band < kBands; ++band) {
                sum[m][band] += other[m][band];
            }
        }
        return sum;
    }
    double between(double least, double most)
    {
        return std::uniform_real_distribution<double>(least, most)(random_);
    }
    // Blows of one drum, softer and harder; proportions as true as they are heard.
    void play(const Heard& levels, int times, double spread = 3.0)
    {
        for (int i = 0; i < times; ++i) {
            Heard blow = levels;
            for (double& level : blow) {
                level += between(-1.0, 1.0);
            }
            heard_.attacks.push_back(attack(blow, between(-spread, spread)));
        }
    }
    [[nodiscard]] std::vector<Everywhere> found(std::size_t microphones = kMicrophones) const
    {
        const std::vector<BandLevels> noise(microphones, {kQuiet, kQuiet, kQuiet, kQuiet});
        HeardAttacks heard = heard_;
        for (Everywhere& each : heard.attacks) {
            each.resize(microphones);
        }
        std::vector<Everywhere> drums(
            drums_.begin(), drums_.begin() + static_cast<int>(microphones)
        );
        for (Everywhere& each : drums) {
            each.resize(microphones);
        }
        return unmikedDrums(noise, heard, drums);
    }
    static void expectProportions(const Everywhere& drum, const Heard& levels)
    {
        ASSERT_EQ(drum.size(), levels.size());
        for (std::size_t m = 1; m < levels.size(); ++m) {
            for (std::size_t band = 2; band < kBands; ++band) {
                const double more = decibelsOf(drum[m][band] / drum[0][band]);
                EXPECT_NEAR(more, levels[m] - levels[0], 0.7) << m << ' ' << band;
            }
            EXPECT_EQ(drum[m][0], 0.0);
            EXPECT_EQ(drum[m][1], 0.0);
        }
    }

    void expectRideAndCrash() const
    {
        const auto drums = found();
        ASSERT_EQ(drums.size(), 2U);
        expectProportions(drums[0], kRide);
        expectProportions(drums[1], kCrash);
    }

    std::mt19937 random_{21};
    std::vector<Everywhere> drums_;
    HeardAttacks heard_;
};

TEST_F(UnmikedDrums, AreToldByHearingThemEverywhereInTheSameProportions)
{
    play(kRide, 30);
    const auto drums = found();
    ASSERT_EQ(drums.size(), 1U);
    expectProportions(drums.front(), kRide);
}

TEST_F(UnmikedDrums, AreToldFromEachOther)
{
    play(kRide, 30);
    play(kCrash, 12);
    expectRideAndCrash();
}

TEST_F(UnmikedDrums, ThatComeTooSeldomAreNotTold)
{
    play(kCrash, 5);
    EXPECT_TRUE(found().empty());
    play(kCrash, 3);
    EXPECT_EQ(found().size(), 1U);
    for (int i = 0; i < 100; ++i) {  // and what is like nothing else
        play({between(-52, -28), between(-52, -28), between(-52, -28), between(-52, -28)}, 1);
    }
    EXPECT_TRUE(found().empty());
    play(kCrash, 30);
    EXPECT_EQ(found().size(), 1U);
}

TEST_F(UnmikedDrums, SoftStrokesOfADrumWithAMicrophoneAreNone)
{
    for (int i = 0; i < 40; ++i) {
        Everywhere stroke = drums_[1];
        const double soft = std::pow(10.0, 0.1 * between(-20.0, -12.0));
        for (BandPowers& there : stroke) {
            for (double& power : there) {
                power *= soft;
            }
        }
        heard_.attacks.push_back(std::move(stroke));
    }
    EXPECT_TRUE(found().empty());
}

// One of them is heard far and wide.
TEST_F(UnmikedDrums, WhatIsHeardAsADrumWithAMicrophoneIsThatDrum)
{
    constexpr Heard kWide{-22.0, -14.0, -24.0, -20.0};
    drums_[1] = attack(kWide);
    Heard soft = kWide;
    for (double& level : soft) {
        level -= 16.0;
    }
    play(soft, 40);
    EXPECT_TRUE(found().empty());
    play(kRide, 30);
    ASSERT_EQ(found().size(), 1U);
    expectProportions(found().front(), kRide);
}

// As much as is heard in one microphone above all others is a drum of that one's, however otherwise the others hear it.
TEST_F(UnmikedDrums, WhatIsMuchLouderInOneMicrophoneIsNone)
{
    play({-44.0, -28.0, -47.0, -33.0}, 40);
    EXPECT_TRUE(found().empty());
}

// Heard 15 dB louder beside one microphone than beside another.
TEST_F(UnmikedDrums, WhatIsHeardUnevenlyHasToDifferMoreFromEachDrum)
{
    constexpr Heard kUneven{-33.0, -48.0, -37.0, -46.0};
    play(kUneven, 30);
    ASSERT_EQ(found().size(), 1U);
    expectProportions(found().front(), kUneven);
    // Some 6 dB off from one of them, it may be that one struck at its edge.
    drums_[2] = attack({-28.0, -37.0, -20.0, -32.0});
    EXPECT_TRUE(found().empty());
}

TEST_F(UnmikedDrums, AFewOfMuchElseAreNone)
{
    constexpr Heard kHeardOfDrum{-30.0, -16.0, -32.0, -34.0};
    drums_[1] = attack(kHeardOfDrum, 2.0);
    play(kHeardOfDrum, 120, 1.0);  // soft strokes of a drum with a microphone
    for (Everywhere& each : heard_.attacks) {
        for (BandPowers& there : each) {
            for (double& power : there) {
                power *= 0.1;
            }
        }
    }
    play(kRide, 8);
    EXPECT_TRUE(found().empty());
    play(kRide, 8);
    EXPECT_EQ(found().size(), 1U);
}

TEST_F(UnmikedDrums, DrumsStruckTogetherNowAndThenAreNone)
{
    for (int i = 0; i < 60; ++i) {
        Everywhere first = drums_[0];
        Everywhere second = drums_[1];
        const double one = std::pow(10.0, 0.1 * between(-24.0, -10.0));
        const double other = std::pow(10.0, 0.1 * between(-24.0, -10.0));
        for (std::size_t m = 0; m < kMicrophones; ++m) {
            for (std::size_t band = 0; band < kBands; ++band) {
                first[m][band] *= one;
                second[m][band] *= other;
            }
        }
        heard_.attacks.push_back(both(first, second));
    }
    EXPECT_TRUE(found().empty());
}

// Alike, but no harder and softer than they differ from each other: chance, or a machine that strikes two at once.
TEST_F(UnmikedDrums, WhatIsAlwaysEquallyLoudIsNone)
{
    play(kRide, 30, 0.1);
    EXPECT_TRUE(found().empty());
}

TEST_F(UnmikedDrums, WhatIsLoudInAMicrophoneIsNone)
{
    play({-16.0, -24.0, -21.0, -26.0}, 30);
    EXPECT_TRUE(found().empty());
}

TEST_F(UnmikedDrums, WhatTwoMicrophonesHearIsNone)
{
    play(kRide, 30);
    EXPECT_TRUE(found(2).empty());
    EXPECT_EQ(found(3).size(), 1U);
    heard_.attacks.clear();
    play({-66.0, -70.0, -77.0, -78.0}, 30);  // noise is at -77 dB here
    EXPECT_TRUE(found().empty());
}

TEST_F(UnmikedDrums, OfAnEveningAreToldAsOfASong)
{
    play(kRide, 9000);
    play(kCrash, 3000);
    expectRideAndCrash();
}

}  // namespace
}  // namespace orthochron
