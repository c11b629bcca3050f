#include "core/onset/BandEnvelope.h"

#include <gtest/gtest.h>

#include "core/demo/Random.h"
#include "testkit/Rate.h"

#include <cmath>
#include <limits>
#include <numbers>

namespace orthochron {
namespace {

constexpr std::array<double, kBands> kLow{40.0, 180.0, 900.0, 4500.0};
constexpr std::array<double, kBands> kHigh{180.0, 900.0, 4500.0, 15000.0};

// How much power a second-order Butterworth filter lets through, at a rate (bilinear transform).
double passes(double hertz, double corner, bool highPass, double rate)
{
    const double bend = std::tan(std::numbers::pi * std::min(corner, 0.45 * rate) / rate);
    const double ratio = std::tan(std::numbers::pi * hertz / rate) / bend;
    const double fourth = std::pow(ratio, 4.0);
    return (highPass ? fourth : 1.0) / (1.0 + fourth);
}

TEST(BandEnvelope, HoldsOfEveryToneWhatItsBandsLetThrough)
{
    for (const double rate : {44100.0, 48000.0, 96000.0}) {
        for (const double hertz : {55.0, 180.0, 400.0, 1000.0, 4000.0, 9000.0}) {
            std::vector<float> tone(static_cast<std::size_t>(rate));
            for (std::size_t n = 0; n < tone.size(); ++n) {
                tone[n] = static_cast<float>(
                    0.5 * std::sin(2.0 * std::numbers::pi * hertz * static_cast<double>(n) / rate)
                );
            }
            const BandEnvelope envelope = bandEnvelopeOf(tone, Hertz(rate));
            for (std::size_t band = 0; band < kBands; ++band) {
                const double expected = 0.125 * passes(hertz, kLow[band], true, rate) *
                                        passes(hertz, kHigh[band], false, rate);
                // Over whole periods, the filters at rest.
                const double mean = envelope.mean(static_cast<int>(band), 500, 900);
                if (expected > 1e-9) {
                    EXPECT_NEAR(10.0 * std::log10(mean / expected), 0.0, 0.1)
                        << rate << " " << hertz << " " << band;
                }
            }
        }
    }
}

TEST(BandEnvelope, IsTheSameHeardTogetherWithOthers)
{
    demo::Random random(8);
    std::vector<std::vector<float>> sounds;
    for (const std::size_t frames : {60000U, 47990U, 25U}) {
        auto& sound = sounds.emplace_back(frames);
        for (float& sample : sound) {
            sample = static_cast<float>(0.1 * random.bell());
        }
    }
    std::vector<Channel> channels;
    for (const auto& sound : sounds) {
        channels.push_back(channelOver(sound));
    }

    const auto together = bandEnvelopesOf(channels, kRate);

    ASSERT_TRUE(together && together->size() == channels.size());
    for (std::size_t c = 0; c < channels.size(); ++c) {
        const BandEnvelope alone = bandEnvelopeOf(sounds[c], kRate);
        ASSERT_EQ(alone.size(), (sounds[c].size() + 47) / 48);
        ASSERT_EQ((*together)[c].size(), alone.size());
        for (std::size_t hop = 0; hop < alone.size(); ++hop) {
            for (std::size_t band = 0; band < kBands; ++band) {
                EXPECT_EQ((*together)[c].level(hop, band), alone.level(hop, band));
            }
        }
    }
}

TEST(BandEnvelope, SaysWhichSoundCannotBeHeard)
{
    std::vector<float> fine(48000, 0.1F);
    std::vector<float> broken = fine;
    broken[33333] = std::numeric_limits<float>::quiet_NaN();
    const std::vector<Channel> channels{channelOver(fine), channelOver(broken)};
    EXPECT_FALSE(bandEnvelopesOf(channels, kRate));
    broken[33333] = -std::numeric_limits<float>::infinity();
    EXPECT_FALSE(bandEnvelopesOf(channels, kRate));
    broken[33333] = -std::numeric_limits<float>::max();
    EXPECT_TRUE(bandEnvelopesOf(channels, kRate));
    for (const double rate : {4000.0, 7999.0, 192001.0}) {
        EXPECT_FALSE(bandEnvelopesOf(channels, Hertz(rate))) << rate;
    }
    for (const double rate : {8000.0, 192000.0}) {
        EXPECT_TRUE(bandEnvelopesOf(channels, Hertz(rate))) << rate;
    }
    EXPECT_TRUE(bandEnvelopesOf({}, kRate)->empty());
    std::stop_source stop;
    stop.request_stop();
    const auto stopped = bandEnvelopesOf(channels, kRate, {stop.get_token(), {}});
    ASSERT_FALSE(stopped);
    EXPECT_EQ(stopped.error().kind, ErrorKind::Cancelled);
}

// Two seconds at 48 kHz, read in blocks of half a second.
Channel failingFrom(Frames place)
{
    return {Frames(96000), [place](Frames from, std::span<float> into) -> Result<void> {
                std::ranges::fill(into, 0.1F);
                if (from >= place) {
                    return badInput("the disk is gone");
                }
                return {};
            }};
}

TEST(BandEnvelope, SaysWhatWentWrongInWhicheverBlockItDoes)
{
    const std::vector<float> whole(96000, 0.1F);
    for (const std::int64_t place : {0, 24576, 49152, 73728}) {
        const std::vector<Channel> channels{channelOver(whole), failingFrom(Frames(place))};
        for (const auto which : {std::span(channels), std::span(channels).last(1)}) {
            const auto heard = bandEnvelopesOf(which, kRate);
            ASSERT_FALSE(heard) << place;
            EXPECT_EQ(heard.error().message, "the disk is gone");
        }
    }
}

TEST(BandEnvelope, OfNothingIsEmpty)
{
    EXPECT_EQ(bandEnvelopeOf(std::span<const float>(), kRate).size(), 0U);
    EXPECT_EQ(BandEnvelope{}.mean(0, -5, 100), 0.0);
}

}  // namespace
}  // namespace orthochron
