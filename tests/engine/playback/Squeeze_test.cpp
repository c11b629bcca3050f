#include "engine/playback/Squeeze.h"

#include <gtest/gtest.h>

#include "testkit/Allocations.h"

#include <cmath>
#include <vector>

namespace orthochron::engine {
namespace {

double rms(std::span<const float> sound)
{
    double sum = 0.0;
    for (const float x : sound) {
        sum += static_cast<double>(x) * static_cast<double>(x);
    }
    return std::sqrt(sum / static_cast<double>(sound.size()));
}

std::vector<float> tone(double amplitude)
{
    std::vector<float> sound(48000);
    for (std::size_t i = 0; i < sound.size(); ++i) {
        sound[i] = static_cast<float>(amplitude * std::sin(0.05 * static_cast<double>(i)));
    }
    return sound;
}

double levelThrough(double amplitude)
{
    Squeeze squeeze;
    squeeze.prepare(Hertz(48000.0));
    auto left = tone(amplitude);
    auto right = left;
    squeeze.process(left, right);
    EXPECT_EQ(left, right);
    return toDecibels(rms(std::span(left).subspan(24000)));
}

TEST(Squeeze, BringsQuietSoundNearlyUpToLoud)
{
    const double loud = levelThrough(0.9);
    const double quiet = levelThrough(0.009);  // 40 dB down

    EXPECT_NEAR(loud - quiet, 4.0, 1.0);  // a tenth of it is left
    EXPECT_GT(quiet, -12.0);
}

TEST(Squeeze, StaysWithinFullScaleAndSilentInSilence)
{
    Squeeze squeeze;
    squeeze.prepare(Hertz(44100.0));
    auto left = tone(1.0);
    auto right = tone(0.3);
    squeeze.process(left, right);
    for (const float x : left) {
        ASSERT_LE(std::abs(x), 1.0F);
    }
    std::vector<float> silence(512, 0.0F);
    auto other = silence;
    squeeze.process(silence, other);
    EXPECT_EQ(rms(silence), 0.0);
    squeeze.process({}, {});
}

TEST(Squeeze, GivesTheSameWhateverTheBlockAndAllocatesNothing)
{
    auto whole = tone(0.5);
    auto wholeRight = whole;
    auto parts = whole;
    auto partsRight = whole;
    Squeeze a;
    Squeeze b;
    a.prepare(Hertz(48000.0));
    b.prepare(Hertz(48000.0));

    const auto before = testkit::allocationCount();
    a.process(whole, wholeRight);
    for (std::size_t at = 0; at < parts.size(); at += 480) {
        b.process(std::span(parts).subspan(at, 480), std::span(partsRight).subspan(at, 480));
    }
    EXPECT_EQ(testkit::allocationCount(), before);

    EXPECT_EQ(whole, parts);
}

TEST(Squeeze, TheLouderSideRulesBothWhicheverItIs)
{
    for (const bool isLeft : {true, false}) {
        Squeeze squeeze;
        squeeze.prepare(Hertz(48000.0));
        auto loud = tone(0.9);
        auto quiet = tone(0.009);
        squeeze.process(isLeft ? loud : quiet, isLeft ? quiet : loud);
        // Both are turned down alike: they stay 40 dB apart.
        const double apart = toDecibels(rms(std::span(loud).subspan(24000))) -
                             toDecibels(rms(std::span(quiet).subspan(24000)));
        EXPECT_NEAR(apart, 40.0, 0.5);
        EXPECT_LT(toDecibels(rms(std::span(quiet).subspan(24000))), -30.0);
    }
}

}  // namespace
}  // namespace orthochron::engine
