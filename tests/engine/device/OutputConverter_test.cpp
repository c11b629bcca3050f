#include "engine/device/OutputConverter.h"

#include <gtest/gtest.h>

#include "testkit/Allocations.h"

#include <cmath>
#include <numbers>

namespace orthochron::engine {
namespace {

// A tone made at `from`, converted to `to` in blocks of these sizes; both channels, the right one
// turned over.
std::vector<float> converted(double from, double to, const std::vector<std::size_t>& blocks)
{
    std::int64_t frame = 0;
    auto converter = OutputConverter::create(Hertz(from), Hertz(to), 4096, [&](auto block) {
        for (std::size_t i = 0; i < block.size(); i += 2) {
            const double phase = 2.0 * std::numbers::pi * 440.0 * static_cast<double>(frame++);
            block[i] = static_cast<float>(0.5 * std::sin(phase / from));
            block[i + 1] = -block[i];
        }
    });
    EXPECT_TRUE(converter);
    std::vector<float> left;
    for (const std::size_t size : blocks) {
        std::vector<float> out(size * 2);
        (*converter)->fill(out);
        for (std::size_t i = 0; i < size; ++i) {
            EXPECT_EQ(out[i * 2], -out[i * 2 + 1]);
            left.push_back(out[i * 2]);
        }
    }
    return left;
}

// How far the part from `begin` on is from the best sine of 440 Hz, relative to it, in dB.
double residueDecibels(std::span<const float> sound, double rate)
{
    double sine = 0.0;
    double cosine = 0.0;
    for (std::size_t i = 0; i < sound.size(); ++i) {
        const double phase = 2.0 * std::numbers::pi * 440.0 * static_cast<double>(i) / rate;
        sine += static_cast<double>(sound[i]) * std::sin(phase);
        cosine += static_cast<double>(sound[i]) * std::cos(phase);
    }
    const double half = static_cast<double>(sound.size()) / 2.0;
    double error = 0.0;
    for (std::size_t i = 0; i < sound.size(); ++i) {
        const double phase = 2.0 * std::numbers::pi * 440.0 * static_cast<double>(i) / rate;
        const double fitted = sine / half * std::sin(phase) + cosine / half * std::cos(phase);
        error += std::pow(static_cast<double>(sound[i]) - fitted, 2.0);
    }
    const double power = (sine * sine + cosine * cosine) / half;
    EXPECT_NEAR(std::sqrt(power / half), 0.5, 0.001);
    return 10.0 * std::log10(error / power);
}

TEST(OutputConverter, PlaysOnAtAnyRateWithoutEnd)
{
    for (const auto& [from, to] :
         {std::pair{48000.0, 44100.0},
          {44100.0, 48000.0},
          {48000.0, 96000.0},
          {96000.0, 44100.0}}) {
        const auto sound = converted(from, to, std::vector<std::size_t>(400, 256));
        // A whole number of periods, long after the first sound has come through.
        const auto length = static_cast<std::size_t>(to);
        const auto part = std::span(sound).subspan(2000, length);
        EXPECT_LT(residueDecibels(part, to), -80.0) << from << " to " << to;
    }
}

TEST(OutputConverter, GivesOneAnswerWhateverTheBlocks)
{
    const auto even = converted(48000.0, 44100.0, std::vector<std::size_t>(40, 441));
    std::vector<std::size_t> blocks;
    std::size_t sum = 0;
    for (std::size_t size = 1; sum < even.size(); size = size % 997 + 13) {
        blocks.push_back(std::min(size, even.size() - sum));
        sum += blocks.back();
    }
    EXPECT_EQ(converted(48000.0, 44100.0, blocks), even);
}

TEST(OutputConverter, AllocatesNothingWhileItPlays)
{
    auto converter = OutputConverter::create(Hertz(48000.0), Hertz(44100.0), 1024, [](auto block) {
        std::ranges::fill(block, 0.25F);
    });
    ASSERT_TRUE(converter);
    std::vector<float> out(2048);
    const auto before = testkit::allocationCount();
    for (int i = 0; i < 200; ++i) {
        (*converter)->fill(out);
    }
    EXPECT_EQ(testkit::allocationCount(), before);
    EXPECT_NEAR(out.back(), 0.25F, 1e-3F);
}

}  // namespace
}  // namespace orthochron::engine
