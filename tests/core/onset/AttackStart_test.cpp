#include "core/onset/AttackStart.h"

#include <gtest/gtest.h>

#include "core/demo/Random.h"
#include "core/onset/Rises.h"
#include "testkit/Rate.h"

#include <cmath>
#include <utility>

namespace orthochron {
namespace {

// An attack over noise and a ringing low tone, with bleed of another drum ahead of it.
std::vector<float>
attackAt(std::size_t start, double ringing, double bleed, std::size_t bleedAhead, double rate)
{
    demo::Random random(11);
    std::vector<float> sound(9600);
    for (std::size_t i = 0; i < sound.size(); ++i) {
        const double t = static_cast<double>(i) / rate;
        double value = 0.0003 * random.bell() + ringing * std::sin(350.0 * t);
        const auto strike = [&](std::size_t from, double level) {
            if (i >= from) {
                const double since = static_cast<double>(i - from) / rate;
                value += level * std::exp(-since / 0.03) *
                         (0.6 * std::sin(1200.0 * since) + 0.4 * random.between(-1.0, 1.0));
            }
        };
        strike(start - bleedAhead, bleed);
        strike(start, 0.8);
        sound[i] = static_cast<float>(value);
    }
    return sound;
}

TEST(AttackStart, IsFoundToAFewSamplesOverNoiseRingingAndBleed)
{
    for (const double ringing : {0.0, 0.05, 0.3}) {
        for (const double bleed : {0.0, 0.1}) {
            const auto sound = attackAt(5000, ringing, bleed, 140, kRate.count());
            for (const std::int64_t guess : {4900, 5000, 5150}) {
                const Frames start = attackStart(sound, kRate, Frames(guess));
                EXPECT_NEAR(static_cast<double>(start.count()), 5000.0, 12.0)
                    << ringing << " " << bleed << " " << guess;
            }
        }
    }
}

TEST(AttackStart, StaysWithinWhatItIsGiven)
{
    const std::vector<float> silence(1000, 0.0F);
    for (const std::int64_t guess : {0, 5, 500, 999}) {
        const Frames start = attackStart(silence, kRate, Frames(guess));
        EXPECT_GE(start, Frames(0));
        EXPECT_LE(start, Frames(1000));
    }
    EXPECT_EQ(attackStart({}, kRate, Frames(0)), Frames(0));
    EXPECT_EQ(attackStart(std::vector<float>(3, 0.5F), kRate, Frames(1)), Frames(1));
}

// A level that is held for a while rises equally at several places: which of them it is must not depend on how the
// last digit is rounded.
TEST(AttackStart, IsTheSameHoweverLoudTheRecordingIs)
{
    demo::Random random(11);
    std::vector<float> sound(96000);
    double ring = 0.0;
    double before = 0.0;
    for (float& sample : sound) {
        const double next = 1.995 * ring - 0.9955 * before + 0.001 * random.bell();
        before = std::exchange(ring, next);
        sample = static_cast<float>(ring);
    }
    int tried = 0;
    for (std::size_t at = 5000; at + 5000 < sound.size(); at += 31, ++tried) {
        const auto around = std::span<const float>(sound).subspan(at - 4800, 9600);
        std::vector<float> softer(around.begin(), around.end());
        for (float& sample : softer) {
            sample *= 0.37F;
        }
        const Frames guess(4800);
        const Frames start = attackStart(around, kRate, guess, milliseconds(6.0));
        const Frames ofSofter = attackStart(softer, kRate, guess, milliseconds(6.0));
        EXPECT_EQ(start, ofSofter) << "around " << at;
    }
    EXPECT_GT(tried, 2000);
}

// A hat, and a softly played drum 10 ms later that rises over what the hat left ringing without a step.
std::vector<float> hatThenGhost(std::size_t hat, std::size_t ghost)
{
    demo::Random random(21);
    std::vector<float> sound(48000);
    for (std::size_t i = 0; i < sound.size(); ++i) {
        double value = 0.00003 * random.bell();
        const double noise = random.bell();
        if (i >= hat) {
            value += 0.012 * std::exp(-static_cast<double>(i - hat) / 4800.0) * noise;
        }
        if (i >= ghost) {
            const double since = static_cast<double>(i - ghost) / kRate.count();
            const double rising = 1.0 - std::exp(-since / 0.002);
            value += rising * std::exp(-since / 0.04) *
                     (0.03 * std::sin(2.0 * 3.14159265 * 190.0 * since) +
                      0.02 * std::sin(2.0 * 3.14159265 * 110.0 * since) + 0.012 * noise);
        }
        sound[i] = static_cast<float>(value);
    }
    return sound;
}

TEST(AttackStart, LeavesToAnotherDrumWhatRisesBeforeItsOwnTime)
{
    constexpr std::int64_t kHat = 20000;
    constexpr std::int64_t kGhost = 20480;
    const auto sound = hatThenGhost(kHat, kGhost);
    const Frames guess(kGhost + 48);
    const Seconds reach = milliseconds(12.0);
    EXPECT_NEAR(static_cast<double>(attackStart(sound, kRate, guess, reach).count()), kHat, 48.0);
    const Frames own = attackStart(sound, kRate, guess, reach, milliseconds(7.0));
    EXPECT_NEAR(static_cast<double>(own.count()), kGhost, 96.0);
}

TEST(Rises, AreBroadWhereMoreThanTheLowestBandRises)
{
    const auto sound = hatThenGhost(20000, 20480);
    const auto rises = *risesOf(bandEnvelopeOf(sound, kRate));
    ASSERT_FALSE(rises.empty());
    EXPECT_NEAR(static_cast<double>(rises.front().hop), 427.0, 12.0);
    EXPECT_TRUE(rises.front().isBroad);

    // A low tone that comes in slowly, over the noise of a room, is a rise of the lowest band alone.
    demo::Random random(4);
    std::vector<float> low(48000);
    for (std::size_t i = 0; i < low.size(); ++i) {
        const double t = static_cast<double>(i) / kRate.count() - 0.4;
        const double rising = t > 0.0 ? 1.0 - std::exp(-t / 0.05) : 0.0;
        low[i] = static_cast<float>(
            0.3 * rising * std::sin(2.0 * 3.14159265 * 55.0 * t) + 0.02 * random.bell()
        );
    }
    const auto slow = *risesOf(bandEnvelopeOf(low, kRate));
    const auto greatest = std::ranges::max_element(slow, {}, &Rise::decibels);
    ASSERT_NE(greatest, slow.end());
    EXPECT_EQ(greatest->band, 0U);
    EXPECT_NEAR(static_cast<double>(greatest->hop), 410.0, 30.0);
    EXPECT_FALSE(greatest->isBroad);
}

}  // namespace
}  // namespace orthochron
