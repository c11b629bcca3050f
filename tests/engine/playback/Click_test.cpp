#include "engine/playback/Click.h"

#include <gtest/gtest.h>

#include "testkit/Rate.h"

#include <cmath>
#include <numbers>

namespace orthochron::engine {
namespace {

std::vector<float> clicked(ClickSound sound, Frames from, std::int64_t count)
{
    const Click click(*TempoMap::steady(120.0, {4, 4}, Seconds(0.5)), kRate, sound);
    std::vector<float> into(static_cast<std::size_t>(count), 0.0F);
    click.addTo(into, from);
    return into;
}

double energyAround(const std::vector<float>& sound, std::size_t from, std::size_t length)
{
    double sum = 0.0;
    for (std::size_t i = from; i < std::min(from + length, sound.size()); ++i) {
        sum += static_cast<double>(sound[i]) * static_cast<double>(sound[i]);
    }
    return sum;
}

// How often it crosses zero in its first hundredth of a second: how high it is.
int crossings(const std::vector<float>& sound, std::size_t from)
{
    int count = 0;
    for (std::size_t i = from + 1; i < from + 480; ++i) {
        count += (sound[i] > 0.0F) != (sound[i - 1] > 0.0F) ? 1 : 0;
    }
    return count;
}

TEST(Click, SoundsOnEveryBeatAndNowhereBefore)
{
    for (const ClickSound sound : {ClickSound::Wood, ClickSound::Bell, ClickSound::Tick}) {
        const auto song = clicked(sound, Frames(0), 48000 * 3);
        // Bar 1 begins half a second in; the beats before it are counted too.
        for (std::size_t beat = 0; beat < 5; ++beat) {
            const std::size_t at = 24000 + beat * 24000;
            EXPECT_GT(energyAround(song, at, 480), 0.01) << beat;
            EXPECT_GT(energyAround(song, at, 480), 50.0 * energyAround(song, at - 480, 470))
                << beat;
        }
        float loudest = 0.0F;
        for (const float value : song) {
            loudest = std::max(loudest, std::abs(value));
        }
        EXPECT_GT(loudest, 0.2F);
        EXPECT_LE(loudest, 1.3F);
    }
}

TEST(Click, IsHigherOnTheBarAndDiesAway)
{
    for (const ClickSound sound : {ClickSound::Wood, ClickSound::Bell}) {
        const auto song = clicked(sound, Frames(0), 48000 * 3);
        EXPECT_GT(crossings(song, 24000), crossings(song, 48000));
        EXPECT_GT(energyAround(song, 24000, 240), energyAround(song, 24000 + 12000, 2400));
    }
}

TEST(Click, IsTheSameInBlocksOfAnySize)
{
    const auto whole = clicked(ClickSound::Bell, Frames(20000), 60000);
    std::vector<float> parts;
    for (std::int64_t at = 0; at < 60000; at += 777) {
        const auto part =
            clicked(ClickSound::Bell, Frames(20000 + at), std::min<std::int64_t>(777, 60000 - at));
        parts.insert(parts.end(), part.begin(), part.end());
    }
    EXPECT_EQ(parts, whole);
}

}  // namespace
}  // namespace orthochron::engine
