#include "core/stretch/Tape.h"

#include <gtest/gtest.h>

#include "testkit/Folder.h"
#include "testkit/Rate.h"

#include <cmath>
#include <numbers>

namespace orthochron {
namespace {

double sine(double frame, double hertz)
{
    return 0.5 * std::sin(2.0 * std::numbers::pi * hertz * frame / kRate.count());
}

std::unique_ptr<SampleSource> sineSource(double hertz)
{
    return std::make_unique<MemorySource>(
        std::make_shared<const AudioBuffer>(testkit::soundOf(
            1.0, [hertz](std::int64_t n) { return sine(static_cast<double>(n), hertz); }
        )),
        kRate
    );
}

double decibels(double power)
{
    return 10.0 * std::log10(power + 1e-20);
}

// The power of what is wrong in the middle of a sine played at `ratio` times its length.
double errorOf(double hertz, double ratio)
{
    const auto length = static_cast<std::int64_t>(48000.0 * ratio);
    const auto map = *TimeMap::through({{Frames(0), Frames(0)}, {Frames(48000), Frames(length)}});
    SpeedSource source(sineSource(hertz), map, 1.0, banksOf(map));
    EXPECT_EQ(source.frames(), Frames(length));
    AudioBuffer sound(1, Frames(4000));
    EXPECT_TRUE(source.read(Frames(length / 3), sound));
    double wrong = 0.0;
    for (std::int64_t i = 0; i < 4000; ++i) {
        const double place =
            static_cast<double>(length / 3 + i) * 48000.0 / static_cast<double>(length);
        const double want = hertz < 24000.0 * std::min(ratio, 1.0) ? sine(place, hertz) : 0.0;
        const double off =
            static_cast<double>(sound.channel(0)[static_cast<std::size_t>(i)]) - want;
        wrong += off * off;
    }
    return decibels(wrong / 4000.0 / 0.125);
}

TEST(Tape, PlaysFasterAndSlowerAsCleanlyAsTheRateAllows)
{
    for (const double ratio : {0.5, 0.77, 1.3, 2.0}) {
        EXPECT_LT(errorOf(997.0, ratio), -85.0) << ratio;
        EXPECT_LT(errorOf(18000.0 * std::min(ratio, 1.0), ratio), -80.0) << ratio;
    }
    // What would lie above the highest sound is gone instead of folding back.
    EXPECT_LT(errorOf(20000.0, 0.5), -85.0);
}

TEST(Tape, AtOneSpeedItsWeightsAreAtHandAndSoundTheSame)
{
    for (const double factor : {1.1225, 1.5, 2.0, 3.9}) {
        SpeedSource steady(sineSource(997.0), TimeMap(), factor, banksOf({}, factor));
        SpeedSource any(sineSource(997.0), TimeMap(), factor);
        ASSERT_EQ(steady.frames(), any.frames());
        AudioBuffer one(1, Frames(4000));
        AudioBuffer other(1, Frames(4000));
        ASSERT_TRUE(steady.read(Frames(4000), one));
        ASSERT_TRUE(any.read(Frames(4000), other));
        double wrong = 0.0;
        double apart = 0.0;
        for (std::size_t i = 0; i < 4000; ++i) {
            const double want = sine((4000.0 + static_cast<double>(i)) * factor, 997.0);
            wrong += std::pow(static_cast<double>(one.channel(0)[i]) - want, 2.0);
            apart += std::pow(static_cast<double>(one.channel(0)[i] - other.channel(0)[i]), 2.0);
        }
        EXPECT_LT(decibels(wrong / 4000.0 / 0.125), -85.0) << factor;
        EXPECT_LT(decibels(apart / 4000.0 / 0.125), -95.0) << factor;
    }
    // One for each speed of a map, none for what is slower than it was, and none for all of a long one.
    std::vector<Pin> pins{{Frames(0), Frames(0)}, {Frames(2000), Frames(1000)}};
    EXPECT_EQ(banksOf(*TimeMap::through(pins)).size(), 1U);
    for (int i = 1; i <= 20; ++i) {
        const Pin& last = pins.back();
        pins.push_back({last.take + Frames(1000 + 10 * i), last.sound + Frames(1000)});
    }
    EXPECT_TRUE(banksOf(*TimeMap::through(pins)).empty());
    EXPECT_TRUE(banksOf({}, 0.5).empty());
    // Above the highest sound there is nothing.
    SpeedSource high(sineSource(20000.0), TimeMap(), 2.0, banksOf({}, 2.0));
    AudioBuffer sound(1, Frames(4000));
    ASSERT_TRUE(high.read(Frames(4000), sound));
    double left = 0.0;
    for (const float sample : sound.channel(0)) {
        left += static_cast<double>(sample) * static_cast<double>(sample);
    }
    EXPECT_LT(decibels(left / 4000.0 / 0.125), -85.0);
}

TEST(Tape, WholeFramesAtOneToOneAreTheTakesOwn)
{
    SpeedSource source(
        sineSource(440.0),
        *TimeMap::through(
            {{Frames(0), Frames(0)}, {Frames(10000), Frames(15000)}, {Frames(40000), Frames(45000)}}
        )
    );
    AudioBuffer sound(1, Frames(20000));
    ASSERT_TRUE(source.read(Frames(20000), sound));
    AudioBuffer take(1, Frames(20000));
    ASSERT_TRUE(sineSource(440.0)->read(Frames(15000), take));
    EXPECT_EQ(sound, take);
}

TEST(Tape, OneAnswerHoweverItIsRead)
{
    const auto map = *TimeMap::through({{Frames(0), Frames(0)}, {Frames(48000), Frames(39000)}});
    SpeedSource source(sineSource(440.0), map);
    AudioBuffer whole(1, Frames(39000));
    ASSERT_TRUE(source.read(Frames(0), whole));
    for (const std::int64_t block : {1, 7, 255, 9001}) {
        for (std::int64_t from = 12000; from < 21000; from += block) {
            AudioBuffer part(1, Frames(block));
            ASSERT_TRUE(source.read(Frames(from), part));
            for (std::int64_t i = 0; i < block; ++i) {
                ASSERT_EQ(
                    part.channel(0)[static_cast<std::size_t>(i)],
                    whole.channel(0)[static_cast<std::size_t>(from + i)]
                );
            }
        }
    }
}

}  // namespace
}  // namespace orthochron
