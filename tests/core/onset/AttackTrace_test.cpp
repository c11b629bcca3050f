#include "core/onset/AttackTrace.h"

#include <gtest/gtest.h>

#include <cmath>
#include <numbers>
#include <vector>

namespace orthochron {
namespace {

constexpr std::size_t kAsItIs = 2;  // the listening that is not brightened

TEST(AttackTrace, SaysTheLevelOfEveryQuarterOfAMillisecond)
{
    for (const double rate : {44100.0, 48000.0, 96000.0}) {
        // A level that steps up by 20 dB, from -40 to -20 dB.
        const auto centre = static_cast<std::size_t>(rate * 0.05);
        std::vector<float> samples(static_cast<std::size_t>(rate * 0.1));
        for (std::size_t n = 0; n < samples.size(); ++n) {
            samples[n] = (n < centre ? 0.01F : 0.1F) * (n % 2 == 0 ? 1.0F : -1.0F);
        }
        const auto trace = traceOf(samples, Hertz(rate), Frames(static_cast<std::int64_t>(centre)));
        for (std::size_t step = 0; step < AttackTrace::kSteps; ++step) {
            // A step holds one frame more or less where the rate is no multiple of it.
            const float expected = step < AttackTrace::kBefore ? -40.0F : -20.0F;
            EXPECT_NEAR(trace.decibels(kAsItIs, step), expected, 0.6F) << rate << " " << step;
        }
    }
}

TEST(AttackTrace, BrightenedByASlopeLowSoundIsSofterAndBrightSoundLouder)
{
    const double rate = 48000.0;
    const auto tone = [&](double hertz) {
        std::vector<float> samples(static_cast<std::size_t>(rate * 0.1));
        for (std::size_t n = 0; n < samples.size(); ++n) {
            samples[n] = static_cast<float>(
                0.1 * std::sin(2.0 * std::numbers::pi * hertz * static_cast<double>(n) / rate)
            );
        }
        return traceOf(samples, Hertz(rate), Frames(2400));
    };
    const auto low = tone(50.0);
    const auto bright = tone(9000.0);
    const auto loudest = [](const AttackTrace& trace, std::size_t listening) {
        float most = AttackTrace::kLowest;
        for (std::size_t step = 0; step < AttackTrace::kSteps; ++step) {
            most = std::max(most, trace.decibels(listening, step));
        }
        return most;
    };
    EXPECT_LT(loudest(low, 0), loudest(low, kAsItIs) - 25.0F);
    EXPECT_LT(loudest(low, 1), loudest(low, 0) - 15.0F);  // by two slopes still more
    EXPECT_NEAR(loudest(bright, 0), loudest(bright, kAsItIs), 3.0F);
}

TEST(AttackTrace, HearsSilenceWhereThereAreNoSamples)
{
    const std::vector<float> samples(1000, 0.5F);
    const auto trace = traceOf(samples, Hertz(48000.0), Frames(0));
    EXPECT_EQ(trace.decibels(kAsItIs, AttackTrace::kBefore - 1), AttackTrace::kLowest);
    EXPECT_GT(trace.decibels(kAsItIs, AttackTrace::kBefore + 1), -7.0F);
    EXPECT_EQ(trace.decibels(kAsItIs, AttackTrace::kBefore + 90), AttackTrace::kLowest);
    for (const std::size_t few : {0U, 1U, 2U, 3U}) {
        const auto ofFew = traceOf(std::span(samples).first(few), Hertz(48000.0), Frames(0));
        EXPECT_EQ(ofFew.decibels(0, 0), AttackTrace::kLowest) << few;
    }
}

}  // namespace
}  // namespace orthochron
