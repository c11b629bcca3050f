#include "testkit/RecordingChain.h"

#include <gtest/gtest.h>

#include <algorithm>
#include <cmath>
#include <numbers>
#include <vector>

namespace orthochron::testkit {
namespace {

constexpr Hertz kRate(48000.0);
constexpr std::size_t kSecond = 48000;

// A second at full level, a second that much softer, a second of silence.
std::vector<float> loudThenSoft(double decibels)
{
    std::vector<float> samples(3 * kSecond, 0.0F);
    for (std::size_t i = 0; i < 2 * kSecond; ++i) {
        const double level = i < kSecond ? 0.8 : 0.8 * fromDecibels(decibels);
        const double turns = 1000.0 * static_cast<double>(i) / kRate.count();
        samples[i] = static_cast<float>(level * std::sin(2.0 * std::numbers::pi * turns));
    }
    return samples;
}

// The loudest sample of the last half of that second, dB against the loudest of all.
double settledLevel(const std::vector<float>& samples, std::size_t second)
{
    double loudest = 0.0;
    double there = 0.0;
    for (std::size_t i = 0; i < samples.size(); ++i) {
        const double level = std::abs(static_cast<double>(samples[i]));
        loudest = std::max(loudest, level);
        if (i >= second * kSecond + kSecond / 2 && i < (second + 1) * kSecond) {
            there = std::max(there, level);
        }
    }
    return toDecibels(there / loudest);
}

TEST(RecordingChain, ByItselfLeavesWhatComesInAsItIs)
{
    const auto before = loudThenSoft(-30.0);
    auto after = before;
    passThrough({}, after, kRate);
    for (std::size_t i = 0; i < before.size(); ++i) {
        ASSERT_NEAR(after[i], before[i], 1e-4F);
    }
}

TEST(RecordingChain, ACompressorTakesFromWhatIsLoudAfterItsAttack)
{
    auto samples = loudThenSoft(-30.0);
    // The release is long against a period, so that the peaks are followed.
    passThrough(
        {.threshold = -20.0,
         .ratio = 4.0,
         .attack = milliseconds(1.0),
         .release = milliseconds(100.0)},
        samples,
        kRate
    );
    // What is 20 dB over the threshold comes out 5 dB over it; what is 10 dB below, once it has let go, as it came in.
    EXPECT_NEAR(settledLevel(samples, 0) - settledLevel(samples, 1), 15.0, 1.0);
    // The first half wave came before the compressor.
    EXPECT_LT(settledLevel(samples, 0), -3.0);
}

TEST(RecordingChain, DrivenHardSoftSoundsComeNearerToLoudOnes)
{
    auto samples = loudThenSoft(-12.0);
    passThrough({.drive = 12.0}, samples, kRate);
    const double expected = toDecibels(std::tanh(1.0) / std::tanh(fromDecibels(12.0)));
    EXPECT_NEAR(settledLevel(samples, 1), expected, 0.1);
    EXPECT_NEAR(*std::ranges::max_element(samples), 0.8F, 1e-3F);
}

TEST(RecordingChain, AGateShutsOutWhatIsSoft)
{
    auto samples = loudThenSoft(-30.0);
    passThrough({.gateOpens = -24.0}, samples, kRate);
    EXPECT_NEAR(settledLevel(samples, 0), 0.0, 0.2);
    EXPECT_LT(settledLevel(samples, 1), -80.0);
    // It stays open for a while.
    const auto held = static_cast<std::ptrdiff_t>(kSecond + kSecond / 20);
    EXPECT_GT(*std::max_element(samples.begin() + held, samples.begin() + held + 480), 0.02F);
}

TEST(RecordingChain, SilenceStaysSilent)
{
    std::vector<float> samples(100, 0.0F);
    passThrough(
        {.threshold = -20.0, .ratio = 4.0, .drive = 6.0, .gateOpens = -30.0}, samples, kRate
    );
    EXPECT_EQ(*std::ranges::max_element(samples), 0.0F);
}

TEST(RecordingChain, MadeUpOnesAreOfAllKinds)
{
    demo::Random random(5);
    int compressed = 0;
    int driven = 0;
    int gated = 0;
    for (int i = 0; i < 300; ++i) {
        const RecordingChain chain = madeUpChain(random);
        compressed += chain.ratio > 1.0 ? 1 : 0;
        driven += chain.drive > -10.0 ? 1 : 0;
        gated += chain.gateOpens > -100.0 ? 1 : 0;
        EXPECT_FALSE(chain.drive > -10.0 && chain.gateOpens > -100.0);
    }
    EXPECT_NEAR(compressed, 200, 30);
    EXPECT_NEAR(driven, 100, 30);
    EXPECT_NEAR(gated, 100, 30);
}

}  // namespace
}  // namespace orthochron::testkit
