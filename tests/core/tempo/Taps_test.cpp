#include "core/tempo/Taps.h"

#include <gtest/gtest.h>

namespace orthochron {
namespace {

TEST(Taps, GiveATempoFromTheThirdOnWhichOneLateTapMovesLittle)
{
    Taps taps;
    EXPECT_FALSE(taps.tap(Seconds(10.0)));
    EXPECT_FALSE(taps.tap(Seconds(10.5)));
    EXPECT_NEAR(*taps.tap(Seconds(11.0)), 120.0, 1e-9);
    for (int k = 3; k < 16; ++k) {
        (void)taps.tap(Seconds(10.0 + 0.5 * k));
    }
    EXPECT_NEAR(*taps.tap(Seconds(18.04)), 120.0, 0.5);
}

TEST(Taps, BeginAnewAfterAPauseOrAtAnotherPace)
{
    Taps taps;
    for (int k = 0; k < 8; ++k) {
        (void)taps.tap(Seconds(0.5 * k));
    }
    EXPECT_FALSE(taps.tap(Seconds(7.0)));
    EXPECT_EQ(taps.count(), 1U);
    (void)taps.tap(Seconds(8.0));
    EXPECT_NEAR(*taps.tap(Seconds(9.0)), 60.0, 1e-9);
    EXPECT_FALSE(taps.tap(Seconds(9.3)));  // twice as fast and more
    EXPECT_EQ(taps.count(), 1U);
    EXPECT_FALSE(taps.tap(Seconds(9.3)));  // the clock stood still
    // Two are a pace already.
    (void)taps.tap(Seconds(9.8));
    EXPECT_FALSE(taps.tap(Seconds(10.9)));
    EXPECT_EQ(taps.count(), 1U);
    taps.forget();
    EXPECT_EQ(taps.count(), 0U);
}

}  // namespace
}  // namespace orthochron
