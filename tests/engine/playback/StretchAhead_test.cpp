#include "engine/playback/StretchAhead.h"

#include "core/edits/StretchEdits.h"
#include "core/render/Render.h"
#include "engine/playback/Playing.h"

#include <thread>

namespace orthochron::engine {
namespace {

constexpr auto kRateFrames = static_cast<std::size_t>(48000);

double levelOf(std::span<const float> sound)
{
    double sum = 0.0;
    for (const float value : sound) {
        sum += static_cast<double>(value) * static_cast<double>(value);
    }
    return 10.0 * std::log10(sum / static_cast<double>(sound.size()));
}

// Thirty seconds of a chord, drawn out as a blend.
class MadeAhead : public Playing {
protected:
    MadeAhead()
    {
        addTake(30.0, [](std::int64_t frame) {
            const double t = static_cast<double>(frame) / kRate.count();
            return 0.2 * (std::sin(1382.0 * t) + std::sin(1741.0 * t) + std::sin(2073.0 * t));
        });
        const ClipId clip = song_.tracks[0]->clips[0].id;
        song_ = *stretchClips(song_, {clip}, {.material = Material::Blend, .ratio = 1.2});
    }
    [[nodiscard]] const Sound& sound() const { return song_.tracks[0]->clips[0].sound; }
    [[nodiscard]] bool isReadyAt(double seconds) const
    {
        return sources_->isReady(sound(), atSeconds(seconds));
    }
    [[nodiscard]] bool isPlayableAt(double seconds) const
    {
        return sources_->isReadyToPlay(sound(), atSeconds(seconds));
    }
    [[nodiscard]] std::shared_ptr<const Song> song() const
    {
        return std::make_shared<const Song>(song_);
    }
    [[nodiscard]] AudioBuffer heard(const Sources& sources, double from, double length) const
    {
        AudioBuffer sound(1, atSeconds(length));
        EXPECT_TRUE(renderTrack(song_, *song_.tracks[0], sources, atSeconds(from), sound));
        return sound;
    }
};

TEST_F(MadeAhead, WhatLiesBeforeThePlayheadIsReadyAlsoWhileNothingPlays)
{
    std::atomic<double> at{2.0};
    StretchAhead ahead([&] { return StretchAhead::Playhead{atSeconds(at)}; });
    EXPECT_FALSE(isReadyAt(2.0));
    ahead.look(song(), sources_, {});
    ahead.settle();
    EXPECT_TRUE(isReadyAt(2.0));
    EXPECT_TRUE(isReadyAt(9.9));
    EXPECT_FALSE(isReadyAt(25.0));
    EXPECT_FALSE(ahead.isBusy());
    at = 24.0;
    ahead.settle();
    EXPECT_TRUE(isReadyAt(25.0));
    EXPECT_TRUE(isReadyAt(31.0));
}

TEST_F(MadeAhead, WhereALoopBeginsAgainIsReadyBeforeItsEnd)
{
    StretchAhead ahead([&] { return StretchAhead::Playhead{atSeconds(25.0)}; });
    ahead.look(song(), sources_, LoopRange{atSeconds(9.0), atSeconds(26.0)});
    ahead.settle();
    EXPECT_TRUE(isReadyAt(25.5));
    EXPECT_TRUE(isReadyAt(9.0));
    EXPECT_FALSE(isReadyAt(1.0));
}

TEST_F(MadeAhead, WhatIsHeardIsTheSameWhoeverMadeIt)
{
    const Sources own = *sources_;
    sources_ = std::make_shared<Sources>();
    sources_->share(song_.takes[0].id, own);
    const AudioBuffer plain = heard(own, 1.0, 12.0);
    StretchAhead ahead([] { return StretchAhead::Playhead{}; });
    ahead.look(song(), sources_, {});
    // Read while it is being made, by two at once and in other pieces.
    AudioBuffer first;
    AudioBuffer second;
    {
        const std::jthread one([&] { first = heard(*sources_, 1.0, 12.0); });
        const std::jthread two([&] { second = heard(*sources_, 5.0, 3.0); });
    }
    EXPECT_TRUE(std::ranges::equal(first.channel(0), plain.channel(0)));
    EXPECT_TRUE(std::ranges::equal(
        second.channel(0),
        plain.channel(0).subspan(static_cast<std::size_t>(4 * 48000), second.channel(0).size())
    ));
}

TEST_F(MadeAhead, ThePlayerLooksAheadFromWhereItIsSoughtAndLetsGoWhenItEnds)
{
    load();
    player_->seek(atSeconds(20.0));
    for (int i = 0; i < 3000 && (!isReadyAt(20.0) || player_->isMakingReady()); ++i) {
        std::this_thread::sleep_for(std::chrono::milliseconds(5));
    }
    EXPECT_TRUE(isReadyAt(20.0));
    EXPECT_FALSE(player_->isMakingReady());
    player_->play();
    const auto sound = play(48000);
    EXPECT_EQ(player_->dropouts(), 0);
    EXPECT_GT(*std::ranges::max_element(sound), 0.1F);
    // A player that goes away does not wait for what is still to be made.
    player_->seek(atSeconds(1.0));
    player_.reset();
}

TEST_F(MadeAhead, WhatPlaysGoesOnUntilThePlaceThatIsSoughtIsReady)
{
    load();
    player_->play();
    play(24000);
    ASSERT_FALSE(isPlayableAt(28.0));
    player_->seek(atSeconds(28.0));
    bool wentOn = false;
    for (int i = 0; i < 3000 && player_->position() < atSeconds(28.1); ++i) {
        device_->pump(Frames(512));
        // Asked after it played: what is not ready yet was not there to be played.
        if (!isPlayableAt(28.0)) {
            wentOn = wentOn || player_->position() > atSeconds(0.5);
            ASSERT_LT(player_->position(), atSeconds(28.0));
        }
        std::this_thread::sleep_for(std::chrono::milliseconds(10));
    }
    EXPECT_TRUE(wentOn);
    EXPECT_GE(player_->position(), atSeconds(28.1));
}

// A sound that takes long begins as a quick engine makes it, and goes over into the fine one where a passage begins.
TEST_F(MadeAhead, AQuickEngineStandsInUntilThePassageIsOver)
{
    const auto played = sources_->whilePlaying();
    ASSERT_FALSE(sources_->isReadyToPlay(sound(), atSeconds(1.0)));
    ASSERT_TRUE(sources_->makeStandIn(sound(), atSeconds(1.0), atSeconds(1.5)));
    EXPECT_TRUE(sources_->isReadyToPlay(sound(), atSeconds(1.0)));
    EXPECT_FALSE(isReadyAt(1.0));
    const AudioBuffer quick = heard(*played, 1.0, 1.0);
    ASSERT_TRUE(sources_->makeReady(sound(), Frames(0), atSeconds(8.0)));
    const AudioBuffer fine = heard(*sources_, 1.0, 10.0);
    EXPECT_FALSE(std::ranges::equal(quick.channel(0), fine.channel(0).first(kRateFrames)));

    // It goes on as it began to the passage's end, sample for sample whoever reads; after it the fine one is heard.
    const AudioBuffer whole = heard(*played, 1.0, 10.0);
    EXPECT_TRUE(std::ranges::equal(quick.channel(0), whole.channel(0).first(kRateFrames)));
    const auto after = static_cast<std::size_t>(atSeconds(3.05).count());
    EXPECT_TRUE(std::ranges::equal(
        whole.channel(0).subspan(after, 4 * kRateFrames - after),
        fine.channel(0).subspan(after, 4 * kRateFrames - after)
    ));
    // As loud, and no step larger than those of the sound itself, where the two meet as well.
    const auto loudest = [](std::span<const float> sound) {
        double most = 0.0;
        for (std::size_t i = 1; i < sound.size(); ++i) {
            most = std::max(most, std::abs(static_cast<double>(sound[i] - sound[i - 1])));
        }
        return most;
    };
    EXPECT_LT(loudest(whole.channel(0)), 1.05 * loudest(fine.channel(0)));
    EXPECT_NEAR(levelOf(quick.channel(0)), levelOf(fine.channel(0).first(kRateFrames)), 1.0);

    // Where it leaps it is heard as it can be by then, and a new pass of playing likewise.
    played->leap();
    EXPECT_TRUE(std::ranges::equal(heard(*played, 1.0, 10.0).channel(0), fine.channel(0)));
    const auto again = sources_->whilePlaying();
    EXPECT_TRUE(std::ranges::equal(heard(*again, 1.0, 10.0).channel(0), fine.channel(0)));
}

TEST_F(MadeAhead, WhilePlayingThePassageAfterTheOneThatIsStoodInForIsMade)
{
    StretchAhead ahead([&] { return StretchAhead::Playhead{atSeconds(9.0), true}; });
    ahead.look(song(), sources_, {});
    ahead.settle();
    EXPECT_TRUE(isPlayableAt(9.0));
    EXPECT_FALSE(isReadyAt(9.0));
    EXPECT_TRUE(isReadyAt(13.0));
}

TEST_F(MadeAhead, ALoopIsStoodInForOnceAndFineWhenItComesRound)
{
    const auto played = sources_->whilePlaying();
    StreamPlan plan;
    plan.song = song();
    plan.sources = played;
    plan.slots = {0};
    plan.loop = LoopRange{atSeconds(1.0), atSeconds(1.2)};
    plan.start = atSeconds(1.0);
    Stream stream(plan);
    ASSERT_TRUE(stream.fill());
    ASSERT_TRUE(sources_->makeReady(sound(), Frames(0), atSeconds(4.0)));
    while (stream.fill()) {}
    std::vector<float> left(static_cast<std::size_t>(stream.available()), 0.0F);
    std::vector<float> right(left.size(), 0.0F);
    Stream::Gains gains{};
    gains[0] = {1.0F, 1.0F};
    stream.take(left, right, gains, 0.0F, nullptr);
    const AudioBuffer fine = heard(*sources_, 1.0, 0.1);
    const auto round = std::span(left).subspan(static_cast<std::size_t>(atSeconds(0.2).count()));
    for (std::size_t i = 1000; i < 4000; ++i) {
        ASSERT_NEAR(round[i], fine.channel(0)[i], 1e-6F) << i;
        ASSERT_GT(
            std::abs(left[i] - fine.channel(0)[i]) + std::abs(left[i + 1] - fine.channel(0)[i + 1]),
            0.0F
        );
    }
}

// Nothing has to be made where nothing is a blend, or all of one is heard as it was taken.
TEST_F(MadeAhead, WhatIsTheTakesOwnIsAlwaysReady)
{
    const Song as = *stretchClips(
        song_, {song_.tracks[0]->clips[0].id}, {.material = Material::Line, .ratio = 1.1}
    );
    EXPECT_TRUE(sources_->isReady(as.tracks[0]->clips[0].sound, Frames(0)));
    Sound plain = sound();
    auto treatment = std::make_shared<Treatment>(*plain.treatment);
    treatment->time = TimeMap();
    plain.treatment = treatment;
    EXPECT_TRUE(sources_->isReady(plain, atSeconds(3.0)));
    EXPECT_TRUE(sources_->isReady(Sound{.take = plain.take}, Frames(0)));
}

}  // namespace
}  // namespace orthochron::engine
