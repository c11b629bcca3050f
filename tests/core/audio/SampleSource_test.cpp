#include "core/audio/SampleSource.h"

#include <gtest/gtest.h>

#include "testkit/Rate.h"

namespace orthochron {
namespace {

std::shared_ptr<SampleSource> twoChannels(Frames frames)
{
    auto samples = std::make_shared<AudioBuffer>(2, frames);
    for (std::size_t i = 0; i < samples->channel(0).size(); ++i) {
        samples->channel(0)[i] = static_cast<float>(i % 512) / 512.0F;
        samples->channel(1)[i] = 0.5F;
    }
    return std::make_shared<MemorySource>(std::move(samples), kRate);
}

TEST(MeanOf, IsTheMeanOfAllChannelsWhereverItIsRead)
{
    const Channel mean = meanOf(twoChannels(Frames(50000)));
    ASSERT_EQ(mean.frames, Frames(50000));
    for (const auto& [from, count] :
         {std::pair{0, 50000}, std::pair{123, 20}, std::pair{30000, 20000}}) {
        std::vector<float> read(static_cast<std::size_t>(count), 9.0F);
        ASSERT_TRUE(mean.read(Frames(from), read));
        for (std::size_t i = 0; i < read.size(); ++i) {
            const auto frame = static_cast<std::size_t>(from) + i;
            const float left = static_cast<float>(frame % 512) / 512.0F;
            ASSERT_EQ(read[i], 0.5F * left + 0.25F) << "frame " << frame;
        }
    }
}

TEST(MeanOf, IsSilentOutsideTheSound)
{
    const Channel mean = meanOf(twoChannels(Frames(100)));
    std::vector<float> read(20, 9.0F);
    ASSERT_TRUE(mean.read(Frames(90), read));
    EXPECT_GT(read[9], 0.0F);
    EXPECT_EQ(read[10], 0.0F);
    EXPECT_EQ(read[19], 0.0F);
}

TEST(ChannelOver, IsSilentBeforeAndAfterItsSamples)
{
    const std::vector<float> samples{0.1F, 0.2F, 0.3F};
    const Channel channel = channelOver(samples);
    std::vector<float> read(7, 9.0F);
    ASSERT_TRUE(channel.read(Frames(-2), read));
    EXPECT_EQ(read, (std::vector<float>{0.0F, 0.0F, 0.1F, 0.2F, 0.3F, 0.0F, 0.0F}));
    read.assign(2, 9.0F);
    ASSERT_TRUE(channel.read(Frames(1), read));
    EXPECT_EQ(read, (std::vector<float>{0.2F, 0.3F}));
    ASSERT_TRUE(channel.read(Frames(50), read));
    EXPECT_EQ(read, (std::vector<float>{0.0F, 0.0F}));
    ASSERT_TRUE(channel.read(Frames(-50), read));
    EXPECT_EQ(read, (std::vector<float>{0.0F, 0.0F}));
}

}  // namespace
}  // namespace orthochron
