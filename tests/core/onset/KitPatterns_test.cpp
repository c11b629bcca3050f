#include "core/onset/KitPatterns.h"

#include <gtest/gtest.h>

#include <array>
#include <cmath>
#include <functional>
#include <random>

// Two drums, two microphones, known bleed: what each attack is made of.
namespace orthochron {
namespace {

constexpr std::int64_t kHops = 20'000;
constexpr double kQuiet = 1e-8;

OwnParts ownParts(
    const BandEnvelope& heard,
    std::span<const std::int64_t> hops,
    std::span<const BandEnvelope* const> others
)
{
    return LearnedKit(heard, hops, others).partsOf(hops);
}

// An envelope in which blows of known power begin at known hops and die away.
struct Made {
    std::vector<BandPowers> powers =
        std::vector<BandPowers>(kHops, BandPowers{kQuiet, kQuiet, kQuiet, kQuiet});

    void strike(std::int64_t hop, const BandPowers& power)
    {
        for (std::int64_t n = 0; n < 120 && hop + n < kHops; ++n) {
            for (std::size_t band = 0; band < kBands; ++band) {
                powers[static_cast<std::size_t>(hop + n)][band] +=
                    power[band] * std::exp(-static_cast<double>(n) / 20.0);
            }
        }
    }
    [[nodiscard]] BandEnvelope envelope() const
    {
        BandEnvelope envelope;
        for (const BandPowers& power : powers) {
            BandLevels levels{};
            for (std::size_t band = 0; band < kBands; ++band) {
                levels[band] = static_cast<float>(power[band]);
            }
            envelope.add(levels);
        }
        return envelope;
    }
};

constexpr BandPowers kFirstDrum{1e-2, 3e-3, 4e-4, 1e-4};
constexpr BandPowers kSecondDrum{1e-3, 8e-3, 6e-3, 2e-3};

BandPowers times(BandPowers powers, double gain)
{
    for (double& power : powers) {
        power *= gain;
    }
    return powers;
}

class KitPatterns : public testing::Test {
protected:
    // Blow after blow in turn, then both at once, then soft ones of the first.
    KitPatterns()
    {
        std::int64_t hop = 300;
        for (int i = 0; i < 40; ++i, hop += 200) {
            play(hop, i % 2 == 0 ? 1.0 : 0.0, i % 2 == 0 ? 0.0 : 1.0);
        }
        for (int i = 0; i < 5; ++i, hop += 200) {
            play(hop, 1.0, 1.0);
        }
        for (int i = 0; i < 5; ++i, hop += 200) {
            play(hop, 0.01, 1.0);
        }
    }
    void play(std::int64_t hop, double first, double second)
    {
        hops_.push_back(hop);
        here_.strike(hop, times(kFirstDrum, first));
        here_.strike(hop + 2, times(kSecondDrum, 0.02 * second));  // -17 dB of bleed
        there_.strike(hop + 2, times(kFirstDrum, 0.02 * first));
        there_.strike(hop, times(kSecondDrum, second));
    }
    [[nodiscard]] OwnParts parts(std::vector<const BandEnvelope*> others)
    {
        return ownParts(heard_, hops_, others);
    }
    [[nodiscard]] static double level(const OwnParts& parts, std::size_t attack)
    {
        return decibelsOf(sumOf(parts.own[attack]) / parts.loud);
    }

    Made here_;
    Made there_;
    std::vector<std::int64_t> hops_;
    BandEnvelope heard_;
    BandEnvelope other_;
    void SetUp() override
    {
        heard_ = here_.envelope();
        other_ = there_.envelope();
    }
};

TEST_F(KitPatterns, ABlowIsItsOwnAndBleedIsTheOthers)
{
    const OwnParts apart = parts({&other_});
    for (std::size_t i = 0; i < 40; ++i) {
        if (i % 2 == 0) {
            EXPECT_NEAR(level(apart, i), 0.0, 1.5) << i;
        } else {
            EXPECT_LT(level(apart, i), -25.0) << i;
        }
    }
}

TEST_F(KitPatterns, OfTwoDrumsStruckAtOnceEachIsTold)
{
    const OwnParts apart = parts({&other_});
    for (std::size_t i = 40; i < 45; ++i) {
        EXPECT_NEAR(level(apart, i), 0.0, 1.5) << i;
    }
    for (std::size_t i = 45; i < 50; ++i) {
        EXPECT_NEAR(level(apart, i), -20.0, 6.0) << i;  // soft, under loud bleed
    }
}

TEST_F(KitPatterns, AloneAllIsItsOwn)
{
    const OwnParts whole = parts({});
    EXPECT_EQ(whole.own.size(), hops_.size());
    EXPECT_GT(level(whole, 1), -30.0);  // bleed cannot be told
    EXPECT_EQ(sumOf(whole.bleed[1]), 0.0);
}

TEST_F(KitPatterns, OneThatHearsTheSameOrOnlyNoiseIsPassedOver)
{
    Made noise;
    const BandEnvelope quiet = noise.envelope();
    const OwnParts whole = parts({});
    for (const BandEnvelope* other :
         std::array{static_cast<const BandEnvelope*>(&heard_), &quiet}) {
        const OwnParts same = parts({other});
        for (std::size_t i = 0; i < hops_.size(); ++i) {
            EXPECT_DOUBLE_EQ(level(same, i), level(whole, i)) << i;
        }
    }
}

TEST_F(KitPatterns, ARoomThatHearsAllOfThemLateIsNoWitness)
{
    for (const std::int64_t later : {2, 12}) {
        Made room;
        for (std::size_t i = 0; i < hops_.size(); ++i) {
            // The second drum louder than the first, as in a microphone of its own.
            room.strike(hops_[i] + later, i % 2 == 0 ? times(kFirstDrum, 0.05) : kSecondDrum);
        }
        const BandEnvelope heard = room.envelope();
        EXPECT_EQ(parts({&heard}).witnesses, later > 5 ? 0U : 1U) << later;
        EXPECT_EQ(parts({&other_, &heard}).witnesses, later > 5 ? 1U : 2U) << later;
    }
}

// A microphone across the kit hears the first drum as late as a room does, but its own drum before this one does.
TEST_F(KitPatterns, ACloseMicrophoneThatHearsADrumLateIsAWitness)
{
    Made here;
    Made across;
    std::vector<std::int64_t> hops;
    for (int i = 0; i < 40; ++i) {
        const std::int64_t hop = 300 + 200 * i;
        const bool isFirst = i % 2 == 0;
        hops.push_back(isFirst ? hop : hop + 3);
        here.strike(hops.back(), isFirst ? kFirstDrum : times(kSecondDrum, 0.02));
        across.strike(hop + (isFirst ? 6 : 0), isFirst ? times(kFirstDrum, 0.02) : kSecondDrum);
    }
    const BandEnvelope other = across.envelope();
    EXPECT_EQ(ownParts(here.envelope(), hops, std::vector{&other}).witnesses, 1U);
}

// The second drum is never struck without the first, which is struck alone as well; each as hard as it likes.
class StruckTogether : public testing::Test {
protected:
    // `bleed`: of the second drum in the first one's microphone, beside what that hears of its own.
    void play(const BandPowers& bleed, double swell)
    {
        std::mt19937 random(11);
        std::uniform_real_distribution<double> hard(0.5, 1.0);
        std::int64_t hop = 300;
        for (int i = 0; i < 60; ++i, hop += 300) {
            const bool isBoth = i % 3 == 0;
            const double first = isBoth && isSecondAlone_ ? 0.0 : hard(random);
            const double second = isBoth ? hard(random) : 0.0;
            hops_.push_back(hop);
            played_.push_back(first);
            here_.strike(hop, times(kFirstDrum, first));
            here_.strike(hop, times(bleed, second));
            there_.strike(hop, times(kFirstDrum, 0.02 * first));
            there_.strike(hop, times(kSecondDrum, second));
            // The head swells: as much again of its lowest part, without the rest.
            there_.strike(hop + 130, {swell * second * kSecondDrum[0], 0.0, 0.0, 0.0});
        }
    }
    [[nodiscard]] OwnParts parts() const
    {
        const BandEnvelope other = there_.envelope();
        return ownParts(here_.envelope(), hops_, std::vector{&other});
    }

    bool isSecondAlone_ = false;
    Made here_;
    Made there_;
    std::vector<std::int64_t> hops_;
    std::vector<double> played_;  // of the first drum, power
};

TEST_F(StruckTogether, TheDrumAlsoStruckAloneIsTold)
{
    play(times(kFirstDrum, 0.01), 0.0);
    const OwnParts apart = parts();
    for (std::size_t i = 0; i < hops_.size(); ++i) {
        EXPECT_NEAR(decibelsOf(sumOf(apart.own[i]) / apart.loud), decibelsOf(played_[i]), 4.0) << i;
    }
}

TEST_F(StruckTogether, AHeadThatSwellsAgainIsNotTheDrumsClearestBlow)
{
    play(times(kFirstDrum, 0.01), 1.0);
    const OwnParts apart = parts();
    for (std::size_t i = 0; i < hops_.size(); ++i) {
        EXPECT_NEAR(decibelsOf(sumOf(apart.own[i]) / apart.loud), decibelsOf(played_[i]), 4.0) << i;
    }
}

TEST_F(StruckTogether, WhatBleedsAlmostAsLoudIsBleedAllTheSame)
{
    isSecondAlone_ = true;
    play(times(kFirstDrum, 0.5), 0.0);
    const OwnParts apart = parts();
    for (std::size_t i = 0; i < hops_.size(); ++i) {
        if (played_[i] == 0.0) {
            EXPECT_LT(decibelsOf(sumOf(apart.own[i]) / apart.loud), -10.0) << i;
        }
    }
}

// A hat and a snare that is struck bright or dull; what the hat's microphone hears of it is as bright or dull.
class BrightAndDull : public testing::Test {
protected:
    static constexpr BandPowers kHat{1e-5, 1e-4, 3e-3, 6e-3};
    static constexpr BandPowers kBright{5e-3, 8e-3, 6e-3, 8e-3};
    static constexpr BandPowers kDull{5e-3, 8e-3, 4e-4, 2e-4};
    static constexpr double kWay = 0.05;  // -13 dB

    void strike(const BandPowers& snare, double hat, std::int64_t hatLater = 0)
    {
        const std::int64_t hop = 300 + 200 * static_cast<std::int64_t>(hops_.size());
        hops_.push_back(hop);
        here_.strike(hop + hatLater, times(kHat, hat));
        here_.strike(hop + 1, times(snare, kWay));
        there_.strike(hop + 1, times(kHat, 0.01 * hat));
        there_.strike(hop, snare);
    }
    // Of the hat, dB.
    [[nodiscard]] std::vector<double> levels() const
    {
        const BandEnvelope other = there_.envelope();
        const OwnParts apart = ownParts(here_.envelope(), hops_, std::vector{&other});
        std::vector<double> levels;
        for (const BandPowers& own : apart.own) {
            levels.push_back(decibelsOf(sumOf(own) / apart.loud));
        }
        return levels;
    }

    Made here_;
    Made there_;
    std::vector<std::int64_t> hops_;
};

TEST_F(BrightAndDull, WhatABrightStrokeBleedsIsKnownFromDullOnesToo)
{
    std::mt19937 random(12);
    std::uniform_real_distribution<double> hard(0.5, 1.0);
    for (int i = 0; i < 60; ++i) {
        const bool isHat = i % 2 == 0;
        const double blow = hard(random);
        strike(times(i % 3 == 0 ? kBright : kDull, isHat ? 0.0 : blow), isHat ? blow : 0.0);
    }
    const auto hat = levels();
    for (std::size_t i = 0; i < hat.size(); ++i) {
        if (i % 2 == 0) {
            EXPECT_GT(hat[i], -4.0) << i;
        } else {
            EXPECT_LT(hat[i], -24.0) << i;
        }
    }
}

// Struck with nearly every snare stroke, but as players do, a little before or after.
TEST_F(BrightAndDull, WhatKeepsNoTimeIsNoBleed)
{
    std::mt19937 random(13);
    std::uniform_real_distribution<double> hard(0.5, 1.0);
    std::uniform_int_distribution<std::int64_t> late(-5, 5);
    constexpr double kSoft = 0.16;  // -8 dB
    std::vector<std::size_t> together;
    for (std::size_t i = 0; i < 80; ++i) {
        const bool isSnare = i % 2 == 1;
        const bool isHatToo = isSnare && i % 30 != 1;  // three of forty are struck alone
        if (isHatToo) {
            together.push_back(i);
        }
        const double blow = hard(random);
        strike(
            times(kDull, isSnare ? blow : 0.0),
            isSnare ? (isHatToo ? kSoft : 0.0) : blow,
            isHatToo ? late(random) : 0
        );
    }
    const auto hat = levels();
    double sum = 0.0;
    for (const std::size_t i : together) {
        sum += hat[i];
    }
    EXPECT_NEAR(sum / static_cast<double>(together.size()), decibelsOf(kSoft), 3.0);
}

// A cymbal that no microphone stands at is heard by all; a soft stroke of the first drum by its own, even while
// another is struck.
TEST_F(KitPatterns, WhatNobodyStandsAtIsHeardElsewhereToo)
{
    constexpr BandPowers kCymbal{1e-6, 1e-5, 1e-4, 1e-4};
    constexpr BandPowers kThirdDrum{8e-3, 2e-3, 1e-4, 2e-5};
    Made third;
    for (std::int64_t hop = 400; hop < kHops - 200; hop += 400) {
        third.strike(hop, kThirdDrum);
    }
    for (std::size_t i = 0; i < 40; i += 2) {
        third.strike(hops_[i] + 2, times(kFirstDrum, 0.01));
    }
    const std::int64_t cymbal = 10'600;
    const std::int64_t soft = 12'200;
    for (Made* microphone : {&here_, &there_, &third}) {
        microphone->strike(cymbal, kCymbal);
    }
    here_.strike(soft, times(kFirstDrum, 0.3));
    here_.strike(soft + 2, times(kSecondDrum, 0.02));
    there_.strike(soft, kSecondDrum);
    hops_.insert(hops_.end(), {cymbal, soft});
    const BandEnvelope heard = here_.envelope();
    const BandEnvelope second = there_.envelope();
    const BandEnvelope another = third.envelope();
    const OwnParts apart = ownParts(heard, hops_, std::vector{&second, &another});
    ASSERT_EQ(apart.witnesses, 2U);
    const auto above = [&](std::size_t attack) {
        const double own = apart.own[attack][2] + apart.own[attack][3];
        const double elsewhere = apart.elsewhere[attack][2] + apart.elsewhere[attack][3];
        return decibelsOf((own / apart.loud + 1e-6) / (elsewhere + 1e-6));
    };
    EXPECT_LT(above(hops_.size() - 2), 3.0);
    EXPECT_GT(above(hops_.size() - 1), 10.0);
    const OwnParts two = ownParts(heard, hops_, std::vector{&second});
    EXPECT_EQ(sumOf(two.elsewhere[hops_.size() - 2]), 0.0);  // who else should have heard it
}

TEST_F(KitPatterns, BlowsOfOthersAreWhatTheirOwnMicrophonesHearMost)
{
    const auto blows = parts({&other_}).othersBlows;
    ASSERT_EQ(
        blows.size(), 25U
    );  // in turn, and over soft ones of the first; struck at once neither stands out
    for (std::size_t k = 0; k < 20; ++k) {
        EXPECT_NEAR(static_cast<double>(blows[k]), static_cast<double>(hops_[2 * k + 1]), 2.0);
    }
    EXPECT_TRUE(parts({}).othersBlows.empty());
}

TEST(AttackLevels, WhatTheClickBroughtIsNoPartOfWhatWasThere)
{
    Made made;
    made.strike(100, kSecondDrum);
    made.strike(400, kSecondDrum);
    made.strike(403, times(kFirstDrum, 0.01));  // its body, a little later
    const BandEnvelope envelope = made.envelope();
    const BandPowers atOnce = attackPowers(envelope, 100);
    const BandPowers late = attackPowers(envelope, 404);
    for (std::size_t band = 0; band < kBands; ++band) {
        EXPECT_NEAR(decibelsOf(late[band]), decibelsOf(atOnce[band]), 1.5) << band;
    }
    // What rings on adds nothing.
    EXPECT_LT(decibelsOf(sumOf(attackPowers(envelope, 130))), decibelsOf(sumOf(atOnce)) - 20.0);
}

TEST(AttackLevels, WhatRingsOnMayAddAsMuchAsItSwaysAndNoMore)
{
    constexpr double kRing = 1e-3;
    Made made;
    for (std::size_t n = 0; n < made.powers.size(); ++n) {
        made.powers[n].fill(kRing * (1.0 + 0.4 * std::sin(0.7 * static_cast<double>(n))));
    }
    const BandEnvelope envelope = made.envelope();
    double sum = 0.0;
    for (std::int64_t hop = 100; hop < 1100; ++hop) {
        sum += attackPowers(envelope, hop)[1] / 1000.0;
    }
    EXPECT_LT(sum, 0.4 * kRing);
}

// A microphone above a kit, beside one at a drum, that is asked about, and one at a tom.
class MicrophoneAbove : public testing::Test {
protected:
    static constexpr BandPowers kTom{6e-3, 4e-3, 3e-3, 1e-3};

    // How much of a blow is heard at the drum, at the tom and above; all of it is heard first.
    void strike(const BandPowers& power, const std::array<double, 3>& heard)
    {
        hops_.push_back(300 + 200 * std::ssize(hops_));
        for (std::size_t m = 0; m < heard.size(); ++m) {
            made_[m].strike(hops_.back() + (heard[m] == 1.0 ? 0 : 2), times(power, heard[m]));
        }
    }
    void expectOwn(std::size_t witnesses, const std::function<bool(std::size_t)>& isOwn) const
    {
        const BandEnvelope drum = made_[0].envelope();
        const BandEnvelope tom = made_[1].envelope();
        const BandEnvelope above = made_[2].envelope();
        const OwnParts parts =
            ownParts(drum, hops_, std::vector<const BandEnvelope*>{&tom, &above});
        EXPECT_EQ(parts.witnesses, witnesses);
        for (std::size_t i = 0; i < hops_.size(); ++i) {
            const double level = decibelsOf(sumOf(parts.own[i]) / parts.loud);
            if (isOwn(i)) {
                EXPECT_NEAR(level, 0.0, 1.5) << i;
            } else {
                EXPECT_LT(level, -25.0) << i;
            }
        }
    }

    std::array<Made, 3> made_;
    std::vector<std::int64_t> hops_;
};

// Of a kit without cymbals: what it hears that the snare's does not is the tom, but that has a microphone of its own; what is
// left to it is the snare.
TEST_F(MicrophoneAbove, DoesNotClaimTheDrumItHearsBest)
{
    for (int i = 0; i < 90; ++i) {
        if (i % 3 == 0) {
            strike(kTom, {0.001, 1.0, 0.04});
        } else {
            strike(kSecondDrum, {1.0, 0.002, 0.5});
        }
    }
    expectOwn(1, [](std::size_t i) { return i % 3 != 0; });
}

// A tom struck now and then hears the kick nearly as loud as itself, and a microphone above, whose own drum is a soft ride,
// hears both louder than that: the tom stands out from nothing there. Its own blows are those that the kick's hears little of.
TEST_F(MicrophoneAbove, LeavesATomItsOwnBlows)
{
    constexpr BandPowers kRide{1e-6, 1e-5, 4e-4, 8e-4};
    for (int i = 0; i < 96; ++i) {
        if (i % 24 == 7) {
            strike(kTom, {0.001, 1.0, 0.4});
        } else if (i % 2 == 0) {
            strike(kFirstDrum, {1.0, 0.6, 0.3});
        } else {
            strike(kRide, {0.01, 0.02, 1.0});
        }
    }
    expectOwn(2, [](std::size_t i) { return i % 2 == 0; });
}

TEST_F(KitPatterns, OfNothingIsNothing)
{
    const OwnParts none = ownParts(BandEnvelope(), {}, {});
    EXPECT_TRUE(none.own.empty());
    const OwnParts silent =
        ownParts(Made().envelope(), {}, std::vector<const BandEnvelope*>{&other_});
    EXPECT_TRUE(silent.own.empty());
}

// A ride that no microphone stands at is heard in the hat's as loud as its soft strokes are.
TEST(UnmikedRide, IsNoSoftStrokeOfTheDrumsWithMicrophones)
{
    constexpr std::array<BandPowers, 4> kDrums{
        {{1e-5, 1e-4, 3e-3, 6e-3},
         {5e-3, 8e-3, 4e-3, 2e-3},
         {1e-2, 3e-3, 1e-3, 1e-3},
         {6e-3, 6e-3, 1e-3, 5e-4}}};
    constexpr BandPowers kRide{0.0, 1e-5, 1e-4, 1e-4};
    constexpr std::array<double, 4> kHearing{0.4, 0.1, 0.06, 0.15};
    constexpr double kSoft = 0.01;  // -20 dB
    constexpr std::array<double, 4> kHarder{0.5, 0.7, 0.9, 1.0};
    std::array<Made, 4> made;
    std::vector<std::int64_t> hops;
    std::vector<std::size_t> rides;
    std::vector<std::size_t> softs;
    for (std::size_t i = 0; i < 96; ++i) {
        const std::int64_t hop = 300 + 200 * static_cast<std::int64_t>(i);
        const std::size_t drum = i % 6;
        const double gain = kHarder[i / 6 % 4] * (drum == 5 ? kSoft : 1.0);
        hops.push_back(hop);
        (drum == 4 ? rides : softs).push_back(i);
        for (std::size_t m = 0; m < made.size(); ++m) {
            const bool isOwn = m == drum % 5;
            made[m].strike(
                hop + (isOwn ? 0 : 2),
                drum == 4 ? times(kRide, gain * kHearing[m])
                          : times(kDrums[drum % 5], gain * (isOwn ? 1.0 : 0.004))
            );
        }
    }
    std::erase_if(softs, [](std::size_t i) { return i % 6 != 5; });
    std::vector<BandEnvelope> envelopes;
    for (const Made& each : made) {
        envelopes.push_back(each.envelope());
    }
    const OwnParts apart = ownParts(
        envelopes[0],
        hops,
        std::vector<const BandEnvelope*>{&envelopes[1], &envelopes[2], &envelopes[3]}
    );
    ASSERT_EQ(apart.witnesses, 3U);
    for (const std::size_t i : rides) {
        EXPECT_LT(decibelsOf(sumOf(apart.own[i]) / apart.loud), -29.0) << i;
        EXPECT_GT(decibelsOf(sumOf(apart.bleed[i]) / apart.loud), -26.0) << i;
        EXPECT_GT(decibelsOf(apart.elsewhere[i][3]), -38.0) << i;
    }
    for (const std::size_t i : softs) {
        EXPECT_GT(decibelsOf(sumOf(apart.own[i]) / apart.loud), -26.0) << i;
    }
}

}  // namespace
}  // namespace orthochron
