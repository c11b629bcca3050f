#include "engine/playback/Rate.h"

#include "core/edits/ClipValues.h"
#include "engine/playback/Playing.h"

// The song played at other rates, on the simulated card.
namespace orthochron::engine {
namespace {

TEST_F(Playing, FasterWithThePitchKeptGoesOnFasterAndSoundsAsHigh)
{
    addTake(30.0, sine);
    load();
    for (const double speed : {0.5, 1.5, 4.0}) {
        player_->stop();
        (void)play(2048);
        player_->seek(Frames(48000));
        player_->setRate({speed, true});
        player_->play();
        const auto sound = play(48000);
        const auto steady = std::span(sound).last(50000);
        EXPECT_NEAR(frequencyOf(steady), 220.0, 0.5) << speed;
        EXPECT_GT(std::ranges::max(steady), 0.25F) << speed;
        // What began to sound a little later has gone on at that rate.
        const double gone = static_cast<double>(player_->position().count()) - 48000.0;
        EXPECT_NEAR(gone, 48000.0 * speed, 9000.0 * std::max(speed, 1.0)) << speed;
    }
    EXPECT_EQ(player_->dropouts(), 0);
}

TEST_F(Playing, FasterAsOnTapeSoundsHigherAndComesBackToTheSongAsItIs)
{
    addTake(30.0, sine);
    load();
    player_->setRate({1.25, false});
    player_->play();
    auto sound = play(40000);
    EXPECT_NEAR(frequencyOf(std::span(sound).last(40000)), 275.0, 0.05);
    player_->setRate({0.5, false});
    const auto slower = play(40000);
    EXPECT_NEAR(frequencyOf(std::span(slower).last(40000)), 110.0, 0.05);
    player_->setRate({});
    const auto plain = play(40000);
    EXPECT_NEAR(frequencyOf(std::span(plain).last(40000)), 220.0, 0.01);
    for (const auto* each : {&slower, &plain}) {
        sound.insert(sound.end(), each->begin(), each->end());
    }
    EXPECT_LT(largestStep(sound), 2.0 * kSineStep * 1.25);
    EXPECT_EQ(player_->dropouts(), 0);
}

TEST_F(Playing, WhatIsHeardLiesUnderTheCursorAtAnyRate)
{
    constexpr std::int64_t kStroke = 96000;
    addTake(8.0, [](std::int64_t f) {
        const auto since = static_cast<double>(f - kStroke);
        return since < 0.0 ? 0.0 : 0.8 * std::exp(-since / 2000.0) * std::cos(0.2 * since);
    });
    load();
    for (const RateSettings rate :
         {RateSettings{0.5, true}, {2.0, true}, {2.0, false}, {3.7, false}}) {
        player_->stop();
        (void)play(2048);
        player_->setRate(rate);
        player_->seek(Frames(kStroke - 48000));
        player_->play();
        // Where it is loudest: an engine that keeps the pitch smears what comes before.
        std::optional<std::int64_t> heardAt;
        float loudest = 0.2F;
        for (int block = 0; block < 120000 / (512 * rate.speed); ++block) {
            const auto some = play(512);
            if (const float peak = std::ranges::max(some); peak > loudest) {
                loudest = peak;
                heardAt = player_->position().count();
            }
        }
        ASSERT_TRUE(heardAt) << rate.speed;
        // To a block of 512 frames as the test pumps them, and 20 ms of what is heard.
        const double within = 512.0 * rate.speed + 960.0 * std::max(rate.speed, 1.0);
        EXPECT_NEAR(static_cast<double>(*heardAt), static_cast<double>(kStroke), within)
            << rate.speed << rate.keepsPitch;
    }
}

TEST_F(Playing, EditsSeeksAndLoopsAreHeardAtAnyRateToo)
{
    addTake(20.0, sine);
    load();
    player_->setRate({4.0, true});
    player_->play();
    auto sound = play(20000);
    song_ = *gainClips(song_, {song_.tracks[0]->clips[0].id}, -6.0, false);
    load();
    const auto edited = play(40000);
    EXPECT_NEAR(
        static_cast<double>(std::ranges::max(std::span(edited).last(20000))),
        0.5 * std::sqrt(0.5) * 0.501,
        0.03
    );
    player_->setLoop(LoopRange{Frames(100000), Frames(160000)});
    player_->seek(Frames(100000));
    for (int i = 0; i < 30; ++i) {
        (void)play(2048);
        EXPECT_GE(player_->position(), Frames(95000));
        EXPECT_LT(player_->position(), Frames(160000));
    }
    player_->setLoop(std::nullopt);
    player_->playRange(Frames(20000), Frames(60000));
    (void)play(48000);
    EXPECT_FALSE(player_->isPlaying());
    EXPECT_EQ(player_->dropouts(), 0);
    // Rates that cannot be are brought within the limits.
    player_->setRate({1000.0, true});
    EXPECT_EQ(player_->rate().speed, kMostRate);
    player_->setRate({std::nan(""), true});
    EXPECT_TRUE(player_->rate().isPlain());
}

// Four times as long as it was given: more than it can hold, while nobody takes any of it.
TEST(Rate, WhatIsNotTakenYetIsNotOverwritten)
{
    constexpr std::size_t kGiven = 24576;
    Rate rate;
    rate.prepare(Hertz(48000.0));
    rate.set({kLeastRate, false});
    std::vector<float> rising(kGiven);
    for (std::size_t i = 0; i < kGiven; ++i) {
        rising[i] = static_cast<float>(i) / static_cast<float>(kGiven);
    }
    rate.give(rising, rising);
    rate.settle();
    EXPECT_LE(rate.underWay(), static_cast<std::int64_t>(kGiven));

    std::vector<float> heard;
    std::array<std::vector<float>, 2> block{std::vector<float>(512), std::vector<float>(512)};
    for (std::int64_t taken = 1; taken > 0; rate.settle()) {
        taken = rate.take(block[0], block[1]);
        EXPECT_EQ(block[0], block[1]);
        heard.insert(heard.end(), block[0].begin(), block[0].begin() + taken);
    }
    ASSERT_GT(heard.size(), 3 * kGiven);
    for (std::size_t i = 1024; i + 4096 < heard.size(); ++i) {
        ASSERT_NEAR(heard[i] - heard[i - 1], 0.25 / kGiven, 5e-6) << i;
    }
}

}  // namespace
}  // namespace orthochron::engine
