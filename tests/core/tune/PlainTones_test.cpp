#include "core/tune/PlainTones.h"

#include <gtest/gtest.h>

#include "testkit/Rate.h"

#include <cmath>

// What a voice is held against.
namespace orthochron {
namespace {

TEST(PlainTones, SoundAtTheirPitchInTheirTimeAndNowhereElse)
{
    const std::vector<TonesAt> tones{
        {Frames(10'000), Frames(30'000), {69.0}}, {Frames(40'000), Frames(90'000), {57.0}}};
    const AudioBuffer sound = plainTones(tones, Frames(5'000), Frames(60'000), kRate);
    const auto rising = [&](std::size_t from, std::size_t to) {
        int count = 0;
        for (std::size_t i = from + 1; i < to; ++i) {
            count += sound.channel(0)[i - 1] < 0.0F && sound.channel(0)[i] >= 0.0F ? 1 : 0;
        }
        return count;
    };
    EXPECT_NEAR(rising(5'000, 25'000), 440.0 * 20.0 / 48.0, 1.0);
    EXPECT_NEAR(rising(35'000, 60'000), 220.0 * 25.0 / 48.0, 1.0);
    EXPECT_EQ(rising(25'000, 35'000), 0);
    EXPECT_EQ(sound.channel(0)[4'999], 0.0F);
    float step = 0.0F;
    for (std::size_t i = 1; i < 59'000; ++i) {
        step = std::max(step, std::abs(sound.channel(1)[i] - sound.channel(1)[i - 1]));
    }
    EXPECT_LT(step, 0.012F);  // of tones: nothing begins or ends at once
    EXPECT_LT(std::ranges::max(sound.channel(0)), 0.14F);
}

TEST(PlainTones, TheChordIsThatOfTheKeyBelowThePitch)
{
    EXPECT_EQ(tonicChord(*parseScale("C", "major"), 66.0), (std::vector<double>{60.0, 64.0, 67.0}));
    EXPECT_EQ(tonicChord(*parseScale("D", "minor"), 61.8), (std::vector<double>{62.0, 65.0, 69.0}));
    EXPECT_EQ(tonicChord(*parseScale("D", "minor"), 61.3), (std::vector<double>{50.0, 53.0, 57.0}));
    EXPECT_EQ(tonicChord(Scale(), 60.0), (std::vector<double>{60.0, 64.0, 67.0}));
}

}  // namespace
}  // namespace orthochron
