#include "core/tune/Rungs.h"

#include <gtest/gtest.h>

#include <cmath>

// Where rungs lie: keys, concert pitches, temperaments.
namespace orthochron {
namespace {

TEST(Rungs, LieWhereA4IsTunedTo)
{
    const Temperament low{Hertz(415.3047)};
    EXPECT_NEAR(low.heightOf(69), 68.0, 1e-4);
    const Rungs rungs({}, low);
    EXPECT_EQ(rungs.nearest(68.1), 69);
    EXPECT_NEAR(Temperament{Hertz(442.0)}.heightOf(60) - 60.0, 0.0785, 1e-4);
}

TEST(Rungs, OfAKeyAreTheNearestOfItsDegrees)
{
    const Rungs major(*parseScale("D", "major"));
    EXPECT_EQ(major.nearest(65.2), 66);
    EXPECT_EQ(major.nearest(64.9), 64);
    EXPECT_EQ(major.nearest(65.0), 64);  // as near to both: the lower
}

TEST(Rungs, OfATemperamentHaveItsIntervals)
{
    const auto height = [](const char* name, int tonic, int rung) {
        const Temperament tempered{kConcertPitch, *parseTemperament(name, tonic)};
        EXPECT_NEAR(tempered.heightOf(69), 69.0, 1e-12) << "A4 stays where it is tuned to";
        return tempered.heightOf(rung);
    };
    const auto cents = [&](const char* name, int tonic, int low, int high) {
        return 100.0 * (height(name, tonic, high) - height(name, tonic, low));
    };
    EXPECT_NEAR(cents("just", 0, 60, 64), 1200.0 * std::log2(1.25), 1e-9);
    EXPECT_NEAR(cents("just", 2, 62, 69), 1200.0 * std::log2(1.5), 1e-9);
    EXPECT_NEAR(cents("just", 2, 62, 66), 1200.0 * std::log2(1.25), 1e-9);
    EXPECT_NEAR(cents("pythagorean", 0, 60, 67), 1200.0 * std::log2(1.5), 1e-9);
    EXPECT_NEAR(cents("pythagorean", 0, 60, 64), 1200.0 * std::log2(81.0 / 64.0), 1e-9);
    EXPECT_NEAR(cents("meantone", 0, 60, 64), 1200.0 * std::log2(1.25), 1e-9);
    EXPECT_NEAR(cents("equal", 5, 60, 64), 400.0, 1e-9);
    EXPECT_FALSE(parseTemperament("well", 0));
}

TEST(Rungs, ValuesThatCannotBeAreRefused)
{
    EXPECT_TRUE(checkTemperament({}));
    EXPECT_FALSE(checkTemperament({Hertz(100.0)}));
    EXPECT_FALSE(checkTemperament({Hertz(std::nan(""))}));
    Temperament bent;
    bent.cents[3] = 120.0;
    EXPECT_FALSE(checkTemperament(bent));
}

}  // namespace
}  // namespace orthochron
