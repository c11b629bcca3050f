#include "core/tempo/Chroma.h"

#include <gtest/gtest.h>

#include "testkit/Rate.h"

#include <algorithm>
#include <cmath>
#include <initializer_list>
#include <numbers>
#include <stop_token>

// What chords are told apart by.
namespace orthochron {
namespace {

// A second of each chord, by the frequencies of its notes.
std::vector<float> chords(std::initializer_list<std::vector<double>> all)
{
    std::vector<float> sound;
    for (const auto& notes : all) {
        for (std::size_t n = 0; n < 48000; ++n) {
            double value = 0.0;
            for (const double hertz : notes) {
                value += 0.1 *
                         std::sin(
                             2.0 * std::numbers::pi * hertz * static_cast<double>(n) / kRate.count()
                         );
            }
            sound.push_back(static_cast<float>(value));
        }
    }
    return sound;
}

Chroma of(std::span<const float> sound)
{
    return *chromaOf(channelOver(sound), kRate);
}

constexpr double kA = 220.0;
constexpr double kCSharp = 277.18;
constexpr double kE = 329.63;
constexpr double kF = 349.23;
constexpr double kG = 392.0;
constexpr double kB = 246.94;

TEST(Chroma, HearsEachNoteInItsPlaceWhateverItsOctave)
{
    for (const auto& [hertz, place] :
         {std::pair{440.0, 0U},
          {110.0, 0U},
          {1760.0, 0U},
          {466.16, 1U},
          {kCSharp, 4U},
          {415.3, 11U}}) {
        const Chroma chroma = of(chords({{hertz}}));
        const auto& middle = chroma.values[chroma.values.size() / 2];
        EXPECT_EQ(std::ranges::max_element(middle) - middle.begin(), place) << hertz;
    }
    // What is higher or lower than chords are is not listened to.
    for (const double hertz : {30.0, 3000.0}) {
        const Chroma far = of(chords({{hertz}}));
        const Chroma near = of(chords({{kA}}));
        EXPECT_LT(std::ranges::max(far.values[20]), 0.05F * std::ranges::max(near.values[20]))
            << hertz;
    }
}

TEST(Chroma, IsHeardInStepsFromTheMiddleOfTheFirstWindow)
{
    const Chroma chroma = of(chords({{kA}, {kA}}));
    EXPECT_DOUBLE_EQ(chroma.step.count(), 0.032);
    EXPECT_DOUBLE_EQ(chroma.first.count(), 0.128);
    // The last window ends with the sound, but for what is still on its way to the lower rate.
    EXPECT_NEAR(static_cast<double>(chroma.values.size()), 1.0 + (2.0 - 0.256) / 0.032, 2.0);
    EXPECT_TRUE(of(std::vector<float>(1000)).values.empty());
}

TEST(Chroma, SaysHowMuchNotesChange)
{
    const Chroma chroma =
        of(chords({{kA, kCSharp, kE}, {kA, kCSharp, kE}, {kA, kCSharp, kF}, {kB, kG}}));
    const auto change = [&](double from, double middle, double to) {
        return chroma.change(Seconds(from), Seconds(middle), Seconds(to));
    };
    EXPECT_NEAR(change(0.0, 1.0, 2.0), 0.0, 0.01);
    const double one = change(1.0, 2.0, 3.0);
    EXPECT_GT(one, 0.15);
    EXPECT_LT(one, 0.6);
    EXPECT_GT(change(2.0, 3.0, 4.0), 0.7);
    EXPECT_LE(change(2.0, 3.0, 4.0), 1.0);
    // Too short to hear, or beyond the end.
    EXPECT_EQ(change(1.0, 1.0, 2.0), 0.0);
    EXPECT_EQ(change(3.0, 9.0, 12.0), 0.0);
}

TEST(Chroma, OfTakesThatStartTogetherIsTheirSum)
{
    const auto low = chords({{kA}, {kA}});
    const auto high = chords({{kE}, {kG}, {kG}});
    Chroma sum = of(low);
    const Chroma alone = of(low);
    const Chroma other = of(high);
    sum.add(other);
    ASSERT_EQ(sum.values.size(), other.values.size());
    for (std::size_t n = 0; n < sum.values.size(); ++n) {
        for (std::size_t k = 0; k < kPitchClasses; ++k) {
            const float before = n < alone.values.size() ? alone.values[n][k] : 0.0F;
            ASSERT_FLOAT_EQ(sum.values[n][k], before + other.values[n][k]);
        }
    }
    EXPECT_GT(sum.change(Seconds(0.0), Seconds(1.0), Seconds(2.0)), 0.1);
    Chroma none;
    none.add(other);
    EXPECT_EQ(none.first, other.first);
    EXPECT_EQ(none.step, other.step);
}

TEST(Chroma, CanBeStopped)
{
    std::stop_source stop;
    stop.request_stop();
    const auto sound = chords({{kA}});
    const auto heard = chromaOf(channelOver(sound), kRate, {stop.get_token(), {}});
    ASSERT_FALSE(heard);
    EXPECT_EQ(heard.error().kind, ErrorKind::Cancelled);
}

}  // namespace
}  // namespace orthochron
