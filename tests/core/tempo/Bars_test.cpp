#include "core/tempo/Bars.h"

#include <gtest/gtest.h>

#include <random>

namespace orthochron {
namespace {

// Bars of so many beats, one after the other: low sounds and chords begin them; all else varies.
std::vector<BeatSound> bars(const std::vector<int>& lengths)
{
    std::mt19937 random(3);
    std::uniform_real_distribution<double> little(0.0, 0.4);
    std::vector<BeatSound> beats;
    for (const int length : lengths) {
        for (int beat = 0; beat < length; ++beat) {
            beats.push_back(
                {little(random) + (beat == 0 ? 1.0 : 0.0),
                 little(random),
                 little(random) + (length == 4 && beat % 2 == 1 ? 0.6 : 0.0),
                 little(random) * 0.5 + (beat == 0 ? 0.3 : 0.0)}
            );
        }
    }
    return beats;
}

TEST(Bars, BeginWhereLowSoundsBegin)
{
    auto beats = bars(std::vector<int>(10, 4));
    beats.erase(beats.begin(), beats.begin() + 2);  // two beats of pick-up
    const auto places = countBars(beats, 4, std::nullopt);

    ASSERT_EQ(places.size(), 38U);
    EXPECT_EQ(places[0].bar, 0);
    EXPECT_EQ(places[0].beat, 2);
    for (std::size_t k = 2; k < places.size(); ++k) {
        EXPECT_EQ(places[k].bar, static_cast<int>((k - 2) / 4) + 1);
        EXPECT_EQ(places[k].beat, static_cast<int>((k - 2) % 4));
        EXPECT_GT(places[k].sureness, 0.9);
    }
}

TEST(Bars, OfThreeAreFoundAmongBarsOfFour)
{
    std::vector<int> lengths(8, 4);
    lengths.insert(lengths.end(), 8, 3);
    lengths.insert(lengths.end(), 6, 4);
    const auto places = countBars(bars(lengths), 4, std::nullopt);

    std::size_t k = 0;
    for (const int length : lengths) {
        for (int beat = 0; beat < length; ++beat, ++k) {
            EXPECT_EQ(places[k].beat, beat) << k;
            EXPECT_EQ(places[k].beatsInBar, length) << k;
        }
    }
}

TEST(Bars, BeginWhereTheyAreToldWhateverIsHeard)
{
    const auto beats = bars(std::vector<int>(6, 4));
    const auto places = countBars(beats, 4, 5);

    EXPECT_EQ(places[5].bar, 1);
    EXPECT_EQ(places[5].beat, 0);
    EXPECT_EQ(places[4].bar, 0);
}

TEST(Bars, AreUnsureWhereAllBeatsSoundAlike)
{
    const std::vector<BeatSound> beats(32, BeatSound{1.0, 1.0, 1.0, 0.1});
    for (const BarPlace& place : countBars(beats, 4, std::nullopt)) {
        EXPECT_LT(place.sureness, 0.5);
    }
    EXPECT_TRUE(countBars({}, 4, std::nullopt).empty());
}

}  // namespace
}  // namespace orthochron
