#include "core/onset/LinearPrediction.h"

#include <gtest/gtest.h>

#include "core/demo/Random.h"
#include "testkit/Rate.h"

#include <cmath>
#include <numbers>

namespace orthochron {
namespace {

constexpr std::size_t kOrder = LinearPrediction::kOrder;

// Two modes that die away, over a breath of noise.
std::vector<float> ring(std::size_t frames, double noise)
{
    demo::Random random(7);
    std::vector<float> samples(frames);
    for (std::size_t n = 0; n < frames; ++n) {
        const double t = static_cast<double>(n) / kRate.count();
        const double low = std::exp(-6.0 * t) * std::sin(2.0 * std::numbers::pi * 82.0 * t);
        const double high =
            0.4 * std::exp(-15.0 * t) * std::sin(2.0 * std::numbers::pi * 331.0 * t);
        samples[n] = static_cast<float>(low + high + noise * random.bell());
    }
    return samples;
}

// Burg's recursion as it is written in books: both directions made and held against each other.
std::array<double, kOrder> byTheBook(std::span<const float> samples)
{
    std::array<double, kOrder> a{};
    std::vector<double> forward(samples.begin(), samples.end());
    std::vector<double> backward = forward;
    for (std::size_t m = 0; m < kOrder; ++m) {
        double product = 0.0;
        double power = 0.0;
        for (std::size_t n = m + 1; n < samples.size(); ++n) {
            product += forward[n] * backward[n - 1];
            power += forward[n] * forward[n] + backward[n - 1] * backward[n - 1];
        }
        const double reflection = 2.0 * product / power;
        const auto before = a;
        a[m] = reflection;
        for (std::size_t k = 0; k < m; ++k) {
            a[k] = before[k] - reflection * before[m - 1 - k];
        }
        for (std::size_t n = samples.size() - 1; n > m; --n) {
            const double f = forward[n];
            forward[n] = f - reflection * backward[n - 1];
            backward[n] = backward[n - 1] - reflection * f;
        }
    }
    return a;
}

double powerOf(std::span<const double> samples)
{
    double sum = 0.0;
    for (const double sample : samples) {
        sum += sample * sample;
    }
    return sum / static_cast<double>(samples.size());
}

TEST(LinearPrediction, IsBurgsThoughNeitherDirectionIsMade)
{
    for (const std::size_t frames : {101U, 960U, 1203U}) {
        const auto samples = ring(frames, 1e-3);
        const auto expected = byTheBook(samples);
        const auto found = LinearPrediction::of(samples).coefficients;
        for (std::size_t k = 0; k < kOrder; ++k) {
            EXPECT_NEAR(found[k], expected[k], 1e-7) << frames << " " << k;
        }
    }
}

TEST(LinearPrediction, TakesAwayWhatRingsAndLeavesWhatIsNew)
{
    constexpr std::size_t kLearnt = 1200;
    constexpr std::size_t kClick = 1700;
    constexpr float kLoud = 0.01F;
    auto samples = ring(2400, 1e-5);
    samples[kClick] += kLoud;  // far below what rings
    const auto prediction = LinearPrediction::of(std::span(samples).first(kLearnt));
    const auto left = prediction.leftOf(samples, kLearnt, samples.size());
    ASSERT_EQ(left.size(), samples.size() - kLearnt);

    EXPECT_NEAR(left[kClick - kLearnt], static_cast<double>(kLoud), 3e-4);
    double rang = 0.0;
    for (std::size_t n = kLearnt; n < kClick; ++n) {
        rang += std::pow(static_cast<double>(samples[n]), 2.0);
    }
    rang /= static_cast<double>(kClick - kLearnt);
    EXPECT_LT(powerOf(std::span(left).first(kClick - kLearnt)), 1e-6 * rang);
}

TEST(LinearPrediction, CountsWhatCameBeforeTheFirstSampleAsSilence)
{
    const auto samples = ring(400, 1e-3);
    const auto prediction = LinearPrediction::of(samples);
    const auto all = prediction.leftOf(samples, 0, 200);
    EXPECT_EQ(all[0], static_cast<double>(samples[0]));
    EXPECT_NEAR(
        all[1],
        static_cast<double>(samples[1]) -
            prediction.coefficients[0] * static_cast<double>(samples[0]),
        1e-15
    );
    for (const std::size_t from : {1U, 5U, 12U, 37U}) {
        const auto some = prediction.leftOf(samples, from, 200);
        for (std::size_t n = 0; n < some.size(); ++n) {
            EXPECT_NEAR(some[n], all[from + n], 1e-15) << from << " " << n;
        }
    }
}

TEST(LinearPrediction, ForetellsNothingOfSilenceOrOfTooLittle)
{
    const std::vector<float> silence(960, 0.0F);
    EXPECT_EQ(LinearPrediction::of(silence).coefficients, (std::array<double, kOrder>{}));
    EXPECT_EQ(LinearPrediction::of({}).coefficients, (std::array<double, kOrder>{}));
    const auto few = ring(2 * kOrder - 1, 1e-3);
    EXPECT_EQ(LinearPrediction::of(few).coefficients, (std::array<double, kOrder>{}));
}

TEST(LinearPrediction, StaysWithinBoundsWhereNothingIsLeftToLearn)
{
    // A level and a tone without any noise: two or three orders say all there is.
    const std::vector<float> level(960, 0.25F);
    const auto ofLevel = LinearPrediction::of(level);
    for (const double left : ofLevel.leftOf(level, 100, 960)) {
        EXPECT_NEAR(left, 0.0, 1e-6);
    }
    std::vector<float> tone(960);
    for (std::size_t n = 0; n < tone.size(); ++n) {
        tone[n] = static_cast<float>(0.5 * std::sin(0.9 * static_cast<double>(n)));
    }
    const auto ofTone = LinearPrediction::of(tone);
    for (const double left : ofTone.leftOf(tone, 100, 960)) {
        EXPECT_NEAR(left, 0.0, 1e-4);
    }
}

}  // namespace
}  // namespace orthochron
