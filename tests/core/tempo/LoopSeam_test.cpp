#include "core/tempo/LoopSeam.h"

#include <gtest/gtest.h>

#include "testkit/Rate.h"

#include <cmath>
#include <random>

namespace orthochron {
namespace {

// The same half second of noise again and again, over a tone that never repeats.
std::vector<float> goingRound(std::int64_t period, std::int64_t length)
{
    std::mt19937 random(3);
    std::normal_distribution<float> noise(0.0F, 0.2F);
    std::vector<float> once(static_cast<std::size_t>(period));
    std::ranges::generate(once, [&] { return noise(random); });
    std::vector<float> all(static_cast<std::size_t>(length));
    for (std::size_t i = 0; i < all.size(); ++i) {
        all[i] = once[i % once.size()] + 0.05F * std::sin(0.0371F * static_cast<float>(i));
    }
    return all;
}

TEST(LoopSeam, FindsWhereTheBeginningComesRoundAgainToTheSample)
{
    constexpr std::int64_t kPeriod = 23'987;
    const auto sound = goingRound(kPeriod, 480'000);
    const Frames from(50'000);
    for (const std::int64_t off : {-1150, -37, 0, 1, 640, 1190}) {
        const auto seam = nearestSeam(
            channelOver(sound), kRate, from, from + Frames(4 * kPeriod + off), milliseconds(25.0)
        );
        ASSERT_TRUE(seam);
        EXPECT_EQ(seam->to, from + Frames(4 * kPeriod)) << off;
        EXPECT_GT(seam->likeness, 0.9);
    }
    // Out of reach it stays where it is no worse.
    const auto far = nearestSeam(
        channelOver(sound), kRate, from, from + Frames(4 * kPeriod + 6000), milliseconds(25.0)
    );
    EXPECT_LT(far->likeness, 0.3);
    EXPECT_LE(std::abs((far->to - from).count() - 4 * kPeriod - 6000), 1200);
}

TEST(LoopSeam, OfSilenceIsWhereItIsAndAnEndBeforeItsBeginningIsRefused)
{
    const std::vector<float> silence(96'000, 0.0F);
    const auto seam =
        nearestSeam(channelOver(silence), kRate, Frames(1000), Frames(49'000), milliseconds(25.0));
    ASSERT_TRUE(seam);
    EXPECT_EQ(seam->to, Frames(49'000));
    EXPECT_EQ(seam->likeness, 0.0);
    EXPECT_FALSE(seamOf(channelOver(silence), kRate, Frames(1000), Frames(1000)));
    // At the very edges of the recording what is outside is silence.
    EXPECT_TRUE(seamOf(channelOver(silence), kRate, Frames(0), Frames(96'000)));
    // An end never moves past its beginning.
    const auto short_ =
        nearestSeam(channelOver(silence), kRate, Frames(10), Frames(12), milliseconds(100.0));
    EXPECT_EQ(short_->to, Frames(12));
}

}  // namespace
}  // namespace orthochron
