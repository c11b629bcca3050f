#include "core/onset/BandPass.h"

#include <gtest/gtest.h>

#include "testkit/Rate.h"

#include <cmath>
#include <numbers>

// Listening in a band.
namespace orthochron {
namespace {

std::vector<float> tone(double hertz, double seconds = 0.5)
{
    std::vector<float> samples(static_cast<std::size_t>(seconds * kRate.count()));
    for (std::size_t i = 0; i < samples.size(); ++i) {
        const double turn = 2.0 * std::numbers::pi * hertz * static_cast<double>(i) / kRate.count();
        samples[i] = static_cast<float>(0.5 * std::sin(turn));
    }
    return samples;
}

// How much of a tone is left in a band, dB, once it has settled.
double leftOf(double hertz, const FrequencyBand& band)
{
    const auto before = tone(hertz);
    const auto after = *bandPassed(before, kRate, band);
    double in = 0.0;
    double out = 0.0;
    for (std::size_t i = before.size() / 2; i < before.size(); ++i) {
        in += static_cast<double>(before[i]) * static_cast<double>(before[i]);
        out += static_cast<double>(after[i]) * static_cast<double>(after[i]);
    }
    return 10.0 * std::log10(out / in);
}

TEST(BandPass, LetsItsBandThroughAndFallsBy24DecibelsAnOctaveBeyond)
{
    const FrequencyBand mid = kNamedBands[1].band;
    EXPECT_NEAR(leftOf(550.0, mid), 0.0, 0.5);
    EXPECT_NEAR(leftOf(150.0, mid), -3.0, 0.5);
    EXPECT_NEAR(leftOf(2000.0, mid), -3.0, 0.5);
    EXPECT_NEAR(leftOf(75.0, mid), -24.0, 2.0);
    EXPECT_NEAR(leftOf(4000.0, mid), -24.0, 2.5);
    EXPECT_LT(leftOf(40.0, mid), -40.0);
}

TEST(BandPass, NothingSoundsBeforeItsTime)
{
    std::vector<float> click(4800, 0.0F);
    click[2400] = 1.0F;
    const auto heard = *bandPassed(click, kRate, kNamedBands[2].band);
    for (std::size_t i = 0; i < 2400; ++i) {
        ASSERT_EQ(heard[i], 0.0F) << i;
    }
    EXPECT_NE(heard[2400], 0.0F);
}

TEST(BandPass, TheWholeBandIsTheSoundItself)
{
    const auto sound = tone(1000.0, 0.05);
    EXPECT_EQ(*bandPassed(sound, kRate, {Hertz(20.0), Hertz(24000.0)}), sound);
    EXPECT_TRUE(bandPassed(std::span<const float>(), kRate, kNamedBands[0].band)->empty());
}

TEST(BandPass, RefusesABandThatIsEmptyOrUpsideDown)
{
    const auto sound = tone(1000.0, 0.05);
    for (const auto& [low, high] :
         {std::pair{500.0, 500.0}, {2000.0, 100.0}, {-5.0, -1.0}, {30000.0, 40000.0}}) {
        EXPECT_FALSE(bandPassed(sound, kRate, {Hertz(low), Hertz(high)})) << low << " " << high;
    }
}

}  // namespace
}  // namespace orthochron
