#include "core/joins/Blemishes.h"

#include <gtest/gtest.h>

#include "core/joins/JoinPlan.h"
#include "testkit/Rate.h"

#include <algorithm>
#include <cmath>
#include <cstdint>
#include <functional>
#include <numbers>
#include <random>

namespace orthochron {
namespace {

const auto kMargin = static_cast<std::size_t>(toFrames(kBlemishMargin, kRate).count());

std::vector<float> tone(double hertz, double amplitude, std::size_t frames, double from = 0.0)
{
    std::vector<float> sound(frames);
    for (std::size_t i = 0; i < frames; ++i) {
        const double time = (static_cast<double>(i) + from) / kRate.count();
        sound[i] = static_cast<float>(amplitude * std::sin(2.0 * std::numbers::pi * hertz * time));
    }
    return sound;
}

// A crossfade of 5 ms or longer between two places of a tone of 70 Hz, `apart` frames from each other.
double tickOfRing(double apart, std::size_t length, double next = 0.1)
{
    const auto before = tone(70.0, 0.5, length + 2 * kMargin);
    const auto after = tone(70.0, 0.5, length + 2 * kMargin, apart);
    return tickOf(before, after, FadeShape::Matched, {next, next}, kRate);
}

TEST(Blemishes, ARingThatGoesOverIntoItsOppositeTicksTheLessTheLongerItTakes)
{
    const double half = kRate.count() / 70.0 / 2.0;
    const double quarter = half / 2.0;
    EXPECT_GT(tickOfRing(half, 240), 100.0);
    EXPECT_GT(tickOfRing(quarter, 240), 10.0);
    EXPECT_LT(tickOfRing(quarter, 720), 0.2 * tickOfRing(quarter, 240));
    EXPECT_LT(tickOfRing(2.0 * half, 240), kMostTick);  // a whole period further it is the same
}

TEST(Blemishes, WhatComesNextHidesATick)
{
    const double quarter = kRate.count() / 70.0 / 4.0;
    EXPECT_GT(tickOfRing(quarter, 240, 0.1), kMostTick);
    EXPECT_EQ(tickOfRing(quarter, 240, 1e4), 0.0);
}

TEST(Blemishes, ATickIsNoneWhereEitherSideSoundsHighItself)
{
    const double quarter = kRate.count() / 70.0 / 4.0;
    auto before = tone(70.0, 0.5, 240 + 2 * kMargin);
    const auto hiss = tone(5000.0, 0.2, before.size());
    std::ranges::transform(before, hiss, before.begin(), std::plus<>());
    const auto after = tone(70.0, 0.5, before.size(), quarter);
    EXPECT_LT(tickOf(before, after, FadeShape::Matched, {0.1, 0.1}, kRate), kMostTick);
}

// What one side would have after it is gone, and the other before it comes, hides nothing.
TEST(Blemishes, ATickIsNotHiddenByWhatIsNotHeard)
{
    const double quarter = kRate.count() / 70.0 / 4.0;
    const auto ticks = [&](std::size_t hissBefore, std::size_t hissAfter) {
        auto before = tone(70.0, 0.5, 240 + 2 * kMargin);
        auto after = tone(70.0, 0.5, before.size(), quarter);
        for (std::size_t i = 0; i < 96; ++i) {
            const auto hiss = static_cast<float>(0.2 * std::sin(0.65 * static_cast<double>(i)));
            before[hissBefore + i] += hiss;
            after[hissAfter + i] += hiss;
        }
        return tickOf(before, after, FadeShape::Matched, {0.1, 0.1}, kRate);
    };
    const std::size_t begin = kMargin - 140;  // just before the crossfade, and just after it
    const std::size_t end = kMargin + 240 + 60;
    EXPECT_LT(ticks(begin, end), kMostTick);
    EXPECT_GT(ticks(end, begin), 4.0 * kMostTick);
}

// What dies away and is then heard from earlier on, and so louder.
class StepUp : public testing::Test {
protected:
    static std::vector<float> hiss(std::size_t frames, double amplitude, unsigned seed)
    {
        std::mt19937 random(seed);
        std::uniform_real_distribution<double> noise(-amplitude, amplitude);
        std::vector<float> sound(frames);
        std::ranges::generate(sound, [&] { return static_cast<float>(noise(random)); });
        return sound;
    }
    static double tick(double louder, std::size_t length, double next = 0.01)
    {
        const double times = std::pow(10.0, louder / 20.0);
        return tickOf(
            hiss(length + 2 * kMargin, 0.01, 5),
            hiss(length + 2 * kMargin, 0.01 * times, 6),
            FadeShape::Matched,
            {next, next},
            kRate
        );
    }
};

TEST_F(StepUp, IsAsBadAsATickUnlessItTakesLonger)
{
    EXPECT_GT(tick(14.0, 240), kMostTick);
    EXPECT_LT(tick(14.0, 720), kMostTick);
    EXPECT_LT(tick(4.0, 240), kMostTick);
    EXPECT_LT(tick(-14.0, 240), kMostTick);  // down is no stroke
}

TEST_F(StepUp, IsHiddenByWhatComesNext)
{
    EXPECT_LT(tick(14.0, 240, 100.0), kMostTick);
}

TEST_F(StepUp, IsNoneWhereASideRisesLikeThatByItself)
{
    auto before = hiss(240 + 2 * kMargin, 0.01, 5);
    for (std::size_t n = kMargin + 120; n < before.size(); ++n) {
        before[n] *= 5.0F;
    }
    EXPECT_LT(tickOf(before, before, FadeShape::Matched, {0.01, 0.01}, kRate), kMostTick);
}

TEST(Blemishes, ACrossfadeThatDipsIsNoWayOut)
{
    const auto before = tone(1000.0, 0.5, 960 + 2 * kMargin);
    auto after = before;
    for (float& value : after) {
        value = -value;
    }
    const auto ticks = [&](FadeShape shape, double next) {
        return tickOf(before, after, shape, {next, next}, kRate);
    };
    EXPECT_TRUE(std::isinf(ticks(FadeShape::EqualGain, 0.1)));
    EXPECT_TRUE(std::isfinite(ticks(FadeShape::EqualGain, 1e4)));  // not heard before what is next
}

TEST(Blemishes, TheLevelOfACrossfadeIsHeldAgainstBothSides)
{
    const std::vector<float> loud(240 + 2 * kMargin, 0.4F);
    const std::vector<float> soft(loud.size(), 0.1F);
    const SoundPower any{1e-9, 1e-9};
    EXPECT_NEAR(levelLeft({loud, loud, loud, kMargin, 240}, any, kRate), 1.0, 1e-6);
    // Half of the ten milliseconds is the fade: on the mean as much of one side as of the other.
    const Joined falling{soft, loud, soft, kMargin, 240};
    const double expected = std::sqrt(0.5 * (0.16 + 0.01));
    EXPECT_NEAR(levelLeft(falling, any, kRate), 0.1 / expected, 1e-3);
    // Softer than can be heard, it is no dip.
    EXPECT_EQ(levelLeft(falling, {0.17, 1.0}, kRate), 1.0);
}

// A hiss over a loud low tone: the level of all that sounds hides that it dips for some milliseconds.
TEST(Blemishes, ADipOfTheHighSoundsIsOneWhereverItLies)
{
    std::mt19937 random(3);
    std::normal_distribution<double> noise(0.0, 0.05);
    const auto low = tone(60.0, 0.5, 240 + 2 * kMargin);
    std::vector<float> whole = low;
    for (float& value : whole) {
        value += static_cast<float>(noise(random));
    }
    const SoundPower any{1e-9, 1e-9};
    const auto leftWhereItDips = [&](std::size_t from, std::size_t length) {
        std::vector<float> edited = whole;
        std::copy_n(
            low.begin() + static_cast<std::ptrdiff_t>(from),
            length,
            edited.begin() + static_cast<std::ptrdiff_t>(from)
        );
        return levelLeft({edited, whole, whole, kMargin, 240}, any, kRate);
    };
    EXPECT_LT(leftWhereItDips(kMargin, 380), 0.6);
    EXPECT_LT(leftWhereItDips(kMargin - 140, 380), 0.6);
    EXPECT_GT(leftWhereItDips(kMargin, 96), 0.75);
}

// What swells by itself within 10 ms is not blamed on the crossfade.
TEST(Blemishes, ASoundThatIsSofterNearbyByItselfDoesNotDip)
{
    auto before = tone(1000.0, 0.5, 240 + 2 * kMargin);
    for (std::size_t n = 0; n < before.size(); ++n) {
        const bool isPause = n > kMargin - 300 && n < kMargin + 300;
        before[n] *= isPause ? 0.3F : 1.0F;
    }
    const auto after = before;
    EXPECT_NEAR(levelLeft({before, before, after, kMargin, 240}, {1e-9, 1e-9}, kRate), 1.0, 1e-3);
}

TEST(Blemishes, HighSoundsAreThoseAnAttackIsHeardBy)
{
    const auto level = [](double hertz) {
        return soundPowerOf(tone(hertz, 1.0, 9600), kRate).high / 0.5;  // less its ends
    };
    EXPECT_LT(level(80.0), 1e-3);
    EXPECT_LT(level(120.0), 0.01);
    EXPECT_GT(level(300.0), 0.5);  // the thump of a short crossfade in a kick
    EXPECT_GT(level(1000.0), 0.7);
    EXPECT_GT(level(6000.0), 0.7);
    EXPECT_EQ(soundPowerOf({}, kRate).high, 0.0);
    EXPECT_NEAR(soundPowerOf(tone(80.0, 1.0, 9600), kRate).all, 0.5, 1e-3);
}

// Two strokes 300 ms apart, each a click of 1 ms and a ring of 70 Hz, over some hiss.
RecordedReader ringingDrum()
{
    return [](int, Frames from, std::span<float> into) -> Result<void> {
        for (std::size_t i = 0; i < into.size(); ++i) {
            const std::int64_t at = from.count() + static_cast<std::int64_t>(i);
            const auto scattered = static_cast<std::uint32_t>(at) * 2'654'435'761U;
            double value = 0.001 * (static_cast<double>(scattered) / 2'147'483'648.0 - 1.0);
            for (const std::int64_t start : {12'000, 26'400}) {
                const double since = static_cast<double>(at - start) / kRate.count();
                if (since >= 0.0) {
                    value += 0.5 * std::exp(-since / 0.4) *
                             std::sin(2.0 * std::numbers::pi * 70.0 * since);
                    value += 0.5 * std::exp(-since / 0.001) * std::sin(20'000.0 * since);
                }
            }
            into[i] = static_cast<float>(value);
        }
        return {};
    };
}

PlannedJoin joinOfRing(std::int64_t move, Seconds crossfade)
{
    const auto joins = planJoins(
        std::vector<Anchor>{{Frames(12'000), Frames(0)}, {Frames(26'400), Frames(move)}},
        kRate,
        {milliseconds(4.0), crossfade, FadeShape::Matched},
        1,
        ringingDrum()
    );
    EXPECT_TRUE(joins && joins->size() == 1U);
    return joins->front();
}

TEST(JoinPlan, AJoinInARingIsLongerThanUsualWhereItWouldTick)
{
    const PlannedJoin whole = joinOfRing(686, milliseconds(5.0));  // a period of the ring
    EXPECT_EQ(whole.length, Frames(240));
    const PlannedJoin quarter = joinOfRing(514, milliseconds(5.0));
    EXPECT_GT(quarter.length, Frames(240));
    EXPECT_LE(quarter.length, Frames(720));
    EXPECT_LE(quarter.at + quarter.length, Frames(26'400 - 192));       // the lead-in stays whole
    EXPECT_EQ(joinOfRing(514, milliseconds(4.0)).length, Frames(192));  // another is kept
}

TEST(JoinPlan, AJoinThatTicksAndKeepsItsLengthGoesWhereOtherHighSoundsHideIt)
{
    // A shaker 40 to 80 ms before the second stroke.
    constexpr std::int64_t kFrom = 26'400 - 3'840;
    constexpr std::int64_t kTo = 26'400 - 1'920;
    const RecordedReader drum = ringingDrum();
    const RecordedReader withShaker = [&](int, Frames from, std::span<float> into) -> Result<void> {
        EXPECT_TRUE(drum(0, from, into));
        for (std::size_t i = 0; i < into.size(); ++i) {
            const std::int64_t at = from.count() + static_cast<std::int64_t>(i);
            if (at >= kFrom && at < kTo) {
                const auto scattered = static_cast<std::uint32_t>(at) * 2'246'822'519U;
                into[i] += 0.03F * (static_cast<float>(scattered >> 8U) / 8'388'608.0F - 1.0F);
            }
        }
        return {};
    };
    const auto placeIn = [](const RecordedReader& reader) {
        const auto joins = planJoins(
            std::vector<Anchor>{{Frames(12'000), Frames(0)}, {Frames(26'400), Frames(514)}},
            kRate,
            {milliseconds(4.0), milliseconds(4.0), FadeShape::Matched},
            1,
            reader
        );
        EXPECT_TRUE(joins && joins->size() == 1U);
        EXPECT_EQ(joins->front().length, Frames(192));
        return joins->front().at.count();
    };
    const std::int64_t hidden = placeIn(withShaker);
    EXPECT_GE(hidden, kFrom);
    EXPECT_LT(hidden, kTo + 514);
    EXPECT_GE(placeIn(drum), kTo + 514);  // without it, later
}

}  // namespace
}  // namespace orthochron
