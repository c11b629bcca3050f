#include "engine/playback/StretchAhead.h"

#include "core/edits/StretchEdits.h"
#include "core/render/Render.h"
#include "engine/playback/Playing.h"

#include <thread>

namespace orthochron::engine {
namespace {

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
    StretchAhead ahead([&] { return atSeconds(at); });
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
    StretchAhead ahead([&] { return atSeconds(25.0); });
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
    StretchAhead ahead([] { return Frames(0); });
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
    ASSERT_FALSE(isReadyAt(28.0));
    player_->seek(atSeconds(28.0));
    bool wentOn = false;
    for (int i = 0; i < 3000 && player_->position() < atSeconds(28.1); ++i) {
        device_->pump(Frames(512));
        // Asked after it played: what is not ready yet was not there to be played.
        if (!isReadyAt(28.0)) {
            wentOn = wentOn || player_->position() > atSeconds(0.5);
            ASSERT_LT(player_->position(), atSeconds(28.0));
        }
        std::this_thread::sleep_for(std::chrono::milliseconds(10));
    }
    EXPECT_TRUE(wentOn);
    EXPECT_GE(player_->position(), atSeconds(28.1));
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
