#include "engine/playback/Stream.h"

#include <gtest/gtest.h>

#include "core/edits/ClipEdits.h"
#include "core/edits/ClipValues.h"
#include "core/edits/TakeEdits.h"
#include "engine/playback/Ring.h"
#include "testkit/Rate.h"

#include <cmath>
#include <thread>

// Sound rendered ahead, and the pieces the player is made of.
namespace orthochron::engine {
namespace {

class StreamTest : public testing::Test {
protected:
    StreamTest()
    {
        for (int t = 0; t < 2; ++t) {
            auto audio = std::make_shared<AudioBuffer>(1, Frames(96000));
            std::int64_t frame = 0;
            for (float& sample : audio->channel(0)) {
                sample = t == 0 ? 1e-5F * static_cast<float>(frame++ % 50000) : 0.25F;
            }
            Take take;
            take.name = "take";
            take.frames = audio->frames();
            song_ = *addTakes(song_, {{take, false}});
            sources_->put(song_.takes.back().id, std::make_unique<MemorySource>(audio, kRate));
        }
        gains_.fill({1.0F, 1.0F});
    }
    StreamPlan plan()
    {
        StreamPlan plan;
        plan.song = std::make_shared<const Song>(song_);
        plan.sources = sources_;
        plan.slots = {0, 1};
        return plan;
    }
    // All that a stream gives in `frames`, left side, in blocks of an odd size.
    std::vector<float> take(Stream& stream, std::int64_t frames, float click = 0.0F)
    {
        std::vector<float> all;
        while (static_cast<std::int64_t>(all.size()) < frames) {
            while (stream.fill()) {}
            const std::int64_t left = frames - static_cast<std::int64_t>(all.size());
            const std::int64_t count = std::min({std::int64_t{333}, left, stream.available()});
            if (count == 0) {
                break;
            }
            std::vector<float> one(static_cast<std::size_t>(count));
            std::vector<float> two(one);
            stream.take(one, two, gains_, click, nullptr);
            all.insert(all.end(), one.begin(), one.end());
        }
        return all;
    }

    Song song_;
    std::shared_ptr<Sources> sources_ = std::make_shared<Sources>();
    Stream::Gains gains_{};
};

TEST_F(StreamTest, GivesTheSongFromWhereItStartsInBlocksOfAnySize)
{
    StreamPlan wanted = plan();
    wanted.start = Frames(1000);
    gains_[1] = {0.0F, 0.0F};
    Stream stream(wanted);
    const auto heard = take(stream, 20000);
    ASSERT_EQ(heard.size(), 20000U);
    for (std::size_t i = 400; i < heard.size(); ++i) {
        ASSERT_NEAR(heard[i], 1e-5F * static_cast<float>(1000 + i), 1e-7F) << i;
    }
    EXPECT_EQ(stream.position(), Frames(21000));
}

TEST_F(StreamTest, GoesRoundItsLoopAndSaysWhereItIs)
{
    StreamPlan wanted = plan();
    wanted.start = Frames(9000);
    wanted.loop = LoopRange{Frames(4000), Frames(10000)};
    Stream stream(wanted);
    take(stream, 1000);
    EXPECT_EQ(stream.position(), Frames(4000));
    take(stream, 6000 * 3 + 500);
    EXPECT_EQ(stream.position(), Frames(4500));
}

TEST_F(StreamTest, SkippedFramesAreNotHeard)
{
    Stream stream(plan());
    gains_[1] = {0.0F, 0.0F};
    take(stream, 500);
    while (stream.fill()) {}
    stream.skip(1500);
    const auto heard = take(stream, 100);
    EXPECT_NEAR(heard[50], 1e-5F * 2050.0F, 1e-6F);
}

TEST_F(StreamTest, AChangeOfGainIsReachedWithinABlockWithoutAStep)
{
    Stream stream(plan());
    gains_[0] = {0.0F, 0.0F};
    const auto before = take(stream, 333);
    gains_[1] = {0.1F, 0.1F};
    const auto during = take(stream, 333);
    const auto after = take(stream, 333);
    EXPECT_NEAR(before.back(), 0.25F, 1e-6F);
    for (std::size_t i = 1; i < during.size(); ++i) {
        EXPECT_LT(std::abs(during[i] - during[i - 1]), 0.002F);
    }
    EXPECT_NEAR(after.front(), 0.025F, 1e-5F);
    // It goes evenly and is there at the last frame, not beyond.
    EXPECT_NEAR(during[during.size() / 2 - 1], 0.25F + 0.5F * (0.025F - 0.25F), 5e-4F);
    EXPECT_NEAR(during.back(), 0.025F, 1e-5F);
}

TEST_F(StreamTest, HoldsNoMoreThanItsCapacityAhead)
{
    Stream stream(plan());
    int rounds = 0;
    while (stream.fill() && rounds < 1000) {
        ++rounds;
    }
    EXPECT_LE(stream.available(), Stream::kCapacity);
    EXPECT_GT(stream.available(), Stream::kCapacity - 2 * Stream::kChunk);
    EXPECT_TRUE(stream.isReady(4096));
    EXPECT_FALSE(stream.hasFailed());
}

TEST_F(StreamTest, AMutedClipIsSilentAndAReversedOneRunsBackwards)
{
    const ClipId first = song_.tracks[0]->clips[0].id;
    gains_[1] = {0.0F, 0.0F};
    song_ = *muteClips(song_, {first}, true);
    Stream silent(plan());
    const auto nothing = take(silent, 4000);
    EXPECT_TRUE(std::ranges::all_of(nothing, [](float v) { return v == 0.0F; }));

    song_ = *muteClips(song_, {first}, false);
    song_ = *reverseClips(song_, {first}, {});
    Stream backwards(plan());
    const auto heard = take(backwards, 30000);
    EXPECT_GT(heard[20000], heard[21000]);
}

class ClickTest : public testing::TestWithParam<ClickSound> {};

TEST_P(ClickTest, StandsOnEachBeatHigherOnTheBarWhereverItIsReadFrom)
{
    const auto map = *TempoMap::steady(120.0, {3, 4}, Seconds(0.5));
    const Click click(map, kRate, GetParam());
    std::vector<float> whole(48000 * 4, 0.0F);
    click.addTo(whole, Frames(0));

    const auto energy = [&](std::size_t from, std::size_t count) {
        double sum = 0.0;
        for (std::size_t i = from; i < from + count; ++i) {
            sum += static_cast<double>(whole[i]) * static_cast<double>(whole[i]);
        }
        return sum;
    };
    for (int beat = 0; beat < 7; ++beat) {
        const auto at = static_cast<std::size_t>(24000 + beat * 24000);
        EXPECT_GT(energy(at, 480), 1.0) << beat;
        EXPECT_EQ(energy(at - 4000, 4000), 0.0) << beat;
    }
    // The bar's click turns faster: more changes of sign in its first milliseconds.
    const auto crossings = [&](std::size_t from) {
        int count = 0;
        for (std::size_t i = from + 1; i < from + 400; ++i) {
            count += whole[i] * whole[i - 1] < 0.0F ? 1 : 0;
        }
        return count;
    };
    EXPECT_GT(crossings(24000), crossings(48000));

    std::vector<float> part(5000, 0.0F);
    click.addTo(part, Frames(47000));
    for (std::size_t i = 0; i < part.size(); ++i) {
        ASSERT_EQ(part[i], whole[47000 + i]) << i;
    }
}

INSTANTIATE_TEST_SUITE_P(
    AllSounds, ClickTest, testing::Values(ClickSound::Wood, ClickSound::Bell, ClickSound::Tick)
);

TEST(Ring, GivesWhatWasPutInInOrderAndRefusesMoreThanItHolds)
{
    Ring<int, 4> ring;
    int value = 0;
    EXPECT_FALSE(ring.pop(value));
    for (int i = 0; i < 4; ++i) {
        EXPECT_TRUE(ring.push(i));
    }
    EXPECT_FALSE(ring.push(9));
    for (int i = 0; i < 4; ++i) {
        ASSERT_TRUE(ring.pop(value));
        EXPECT_EQ(value, i);
    }
    EXPECT_FALSE(ring.pop(value));
}

TEST(Ring, CarriesEverythingBetweenTwoThreads)
{
    constexpr int kCount = 200'000;
    Ring<int, 64> ring;
    std::jthread writer([&] {
        for (int i = 0; i < kCount;) {
            i += ring.push(i) ? 1 : 0;
        }
    });
    int expected = 0;
    while (expected < kCount) {
        int value = 0;
        if (ring.pop(value)) {
            ASSERT_EQ(value, expected);
            ++expected;
        }
    }
}

}  // namespace
}  // namespace orthochron::engine
