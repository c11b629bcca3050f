#include "core/tempo/MapDraft.h"

#include <gtest/gtest.h>

#include "core/demo/KitPerformance.h"
#include "core/demo/KitRecording.h"
#include "testkit/Rate.h"

#include <cmath>
#include <random>

namespace orthochron {
namespace {

// A made-up drummer without a click: the tempo wanders by some percent and slows at the end.
struct FreeTake {
    std::vector<float> samples;
    std::vector<Seconds> beats;  // where quarter notes fall, from the first downbeat

    [[nodiscard]] std::vector<Channel> channels() const { return {channelOver(samples)}; }
};

FreeTake freeTake(double bpm, int bars, double wander, double slowing)
{
    auto performance =
        demo::performKit({.bpm = bpm, .bars = bars, .looseness = 0.3, .wanderOff = Seconds(0.0)});
    FreeTake take;
    take.beats = demo::playFreely(performance, {wander, slowing});
    take.beats.pop_back();  // nothing is played on the last
    const auto microphones = *demo::recordKit(performance, {});
    const auto above = microphones[5].channel(0);
    take.samples.assign(above.begin(), above.end());
    return take;
}

MapDraft draft(const FreeTake& take, const DraftSettings& settings = {})
{
    const auto channels = take.channels();
    const auto found = draftMap(channels, kRate, settings);
    EXPECT_TRUE(found) << found.error().message;
    return *found;
}

std::vector<float> noise(std::size_t count, float level)
{
    std::mt19937 random(5);
    std::normal_distribution<float> normal(0.0F, level);
    std::vector<float> samples(count);
    for (float& sample : samples) {
        sample = normal(random);
    }
    return samples;
}

TEST(MapDraft, FollowsADrummerWhoWandersAndSlowsAtTheEnd)
{
    for (const double bpm : {84.0, 131.0}) {
        const FreeTake take = freeTake(bpm, 20, 0.05, 0.25);
        const MapDraft map = draft(take);

        EXPECT_TRUE(map.isDownbeatGuessed);
        int near = 0;
        int nearBars = 0;
        int doubtful = 0;
        for (std::size_t k = 0; k < take.beats.size(); ++k) {
            const auto nearest =
                std::ranges::min_element(map.beats, {}, [&](const DraftBeat& beat) {
                    return std::abs((beat.at - take.beats[k]).count());
                });
            ASSERT_NE(nearest, map.beats.end());
            const bool isNear = std::abs((nearest->at - take.beats[k]).count()) < 0.02;
            near += isNear ? 1 : 0;
            if (k % 4 == 0) {
                nearBars += isNear && nearest->beat == 1 ? 1 : 0;
                EXPECT_EQ(nearest->bar, static_cast<int>(k / 4) + 1) << bpm;
                doubtful += nearest->confidence < kDoubtfulBar ? 1 : 0;
            }
        }
        EXPECT_GE(near, 78) << bpm;      // of 80
        EXPECT_GE(nearBars, 19) << bpm;  // of 20
        EXPECT_LE(doubtful, 4) << bpm;
        EXPECT_NEAR(static_cast<double>(map.beats.size()), 80.0, 3.0) << bpm;
        ASSERT_EQ(map.meters.size(), 1U);
        EXPECT_EQ(map.meters[0].meter, (Meter{4, 4}));
    }
}

TEST(MapDraft, CountsSlowAndQuickPlayersAsTheyCountThemselves)
{
    // Slow ones could be counted in eighths, quick ones in halves.
    for (const double bpm : {68.0, 158.0}) {
        const FreeTake take = freeTake(bpm, 12, 0.04, 0.0);
        EXPECT_NEAR(static_cast<double>(draft(take).beats.size()), 48.0, 2.0) << bpm;
    }
}

TEST(MapDraft, CountsFromTheDownbeatItIsGiven)
{
    const FreeTake take = freeTake(104.0, 16, 0.04, 0.0);
    // The third bar is to be the first.
    const MapDraft map = draft(take, {.firstDownbeat = take.beats[8]});

    EXPECT_FALSE(map.isDownbeatGuessed);
    const auto first = std::ranges::find_if(map.beats, [](const DraftBeat& beat) {
        return beat.bar == 1 && beat.beat == 1;
    });
    ASSERT_NE(first, map.beats.end());
    EXPECT_NEAR(first->at.count(), take.beats[8].count(), 0.015);
    EXPECT_EQ(map.beats.front().bar, -1);
    for (std::size_t k = 1; k < map.beats.size(); ++k) {
        const int step = map.beats[k].beat - map.beats[k - 1].beat;
        EXPECT_TRUE(step == 1 || (step == -3 && map.beats[k].bar == map.beats[k - 1].bar + 1));
    }
}

TEST(MapDraft, ItsMapHasTheBarLinesOfTheDraft)
{
    const FreeTake take = freeTake(96.0, 12, 0.06, 0.2);
    const MapDraft found = draft(take);
    for (const MapLevel level : {MapLevel::Bar, MapLevel::Beat}) {
        const auto map = mapOf(found, level);
        ASSERT_TRUE(map);
        for (const DraftBeat& beat : found.beats) {
            if (beat.bar < 1 || (beat.beat > 1 && level == MapLevel::Bar)) {
                continue;
            }
            const Beats place = map->startOfBar(beat.bar) + Beats(beat.beat - 1.0);
            EXPECT_NEAR(map->timeAt(place).count(), beat.at.count(), 1e-6);
        }
    }
}

TEST(MapDraft, SaysWhatItTriedWhereNothingKeepsATempo)
{
    std::vector<float> hit(240000, 0.0F);
    const auto burst = noise(4800, 0.3F);
    std::ranges::copy(burst, hit.begin() + 48000);
    for (const auto& samples :
         {std::vector<float>(), std::vector<float>(240000, 0.0F), noise(480000, 0.1F), hit}) {
        const std::vector<Channel> channels{channelOver(samples)};
        const auto found = draftMap(channels, kRate, {});
        ASSERT_TRUE(found);
        EXPECT_TRUE(found->beats.empty());
        EXPECT_NE(found->tried.find("60"), std::string::npos) << found->tried;
        EXPECT_FALSE(mapOf(*found, MapLevel::Bar));
    }
}

TEST(MapDraft, DoubtsEveryBarOfHitsAtRandom)
{
    std::mt19937 random(11);
    std::exponential_distribution<double> gap(2.0);
    std::vector<float> samples(48000 * 40, 0.0F);
    const auto burst = noise(3000, 0.3F);
    for (double time = 0.5; time < 39.0; time += 0.03 + gap(random)) {
        const auto at = static_cast<std::size_t>(time * 48000.0);
        for (std::size_t n = 0; n < burst.size(); ++n) {
            samples[at + n] += burst[n] * std::exp(-0.002F * static_cast<float>(n));
        }
    }
    const std::vector<Channel> channels{channelOver(samples)};
    const auto found = draftMap(channels, kRate, {});
    ASSERT_TRUE(found);
    for (const DraftBeat& beat : found->beats) {
        EXPECT_TRUE(beat.beat != 1 || beat.confidence < kDoubtfulBar) << beat.at.count();
    }
}

TEST(MapDraft, RefusesWhatCannotBeMeant)
{
    const std::vector<float> samples(48000, 0.0F);
    const std::vector<Channel> channels{channelOver(samples)};
    for (const DraftSettings& settings :
         {DraftSettings{.meter = {0, 4}},
          DraftSettings{.firstDownbeat = Seconds(2.0)},
          DraftSettings{.firstDownbeat = Seconds(-1.0)},
          DraftSettings{.bpm = 1e9},
          DraftSettings{.bpm = std::nan("")},
          DraftSettings{.range = {200.0, 60.0}}}) {
        const auto found = draftMap(channels, kRate, settings);
        ASSERT_FALSE(found);
        EXPECT_EQ(found.error().kind, ErrorKind::BadArgument);
    }
    EXPECT_FALSE(draftMap({}, kRate, {}));
    EXPECT_FALSE(draftMap(channels, Hertz(10.0), {}));
}

}  // namespace
}  // namespace orthochron
