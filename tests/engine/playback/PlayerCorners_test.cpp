#include <gtest/gtest.h>

#include "core/edits/TakeEdits.h"
#include "engine/playback/Playing.h"

#include <algorithm>
#include <cmath>

// What happens rarely: at a bad moment, or very often.
namespace orthochron::engine {
namespace {

double loudest(const std::vector<float>& sound)
{
    double most = 0.0;
    for (const float sample : sound) {
        most = std::max(most, std::abs(static_cast<double>(sample)));
    }
    return most;
}

TEST_F(Playing, AStopInTheMiddleOfAFadeDoesNotEndPlayingForEver)
{
    addTake(8.0, sine);
    load();
    // Wherever in the 10 ms of the fade it comes.
    for (const int into : {1, 64, 200, 300, 470}) {
        player_->play();
        (void)play(4096);
        player_->seek(Frames(100000));
        player_->settle();
        (void)device_->pump(Frames(into));
        player_->stop();
        (void)pump(512);
        player_->play();
        const auto again = play(4096);
        EXPECT_GT(loudest(again), 0.3) << into;
        player_->stop();
        (void)pump(1024);
    }
}

TEST_F(Playing, MoreTracksThanThereAreFadersComeAndGoAndNoneSharesOne)
{
    addTake(1.0, sine);
    load();
    // As somebody does who makes a track and undoes it, six hundred times.
    Song made = song_;
    for (int i = 0; i < 600; ++i) {
        made = song_;
        made.lastId = song_.lastId + static_cast<std::uint32_t>(i) * 8;
        made = *addTakes(made, {{song_.takes[0], false}});
        player_->setSong(std::make_shared<const Song>(made), sources_);
    }
    ASSERT_EQ(made.tracks.size(), 2U);
    made = *changeMix(made, made.tracks[1]->id, {.muted = true});
    player_->setSong(std::make_shared<const Song>(made), sources_);
    player_->play();
    EXPECT_GT(loudest(play(4096)), 0.3);
}

TEST_F(Playing, ManyEditsBetweenTwoBlocksEndInTheLast)
{
    addTake(4.0, sine);
    load();
    player_->play();
    (void)play(4096);
    const Track whole = *song_.tracks[0];
    for (int i = 0; i < 40; ++i) {
        Track track = whole;
        track.clips[0].soundStart += Frames(i % 2 == 0 ? 1 : 0);
        track.clips[0].length -= Frames(i % 2 == 0 ? 1 : 0);
        putTrack(song_, std::move(track));
        load();
        player_->settle();
    }
    Track silent = whole;
    silent.clips.clear();
    putTrack(song_, std::move(silent));
    load();
    (void)play(24576);
    EXPECT_EQ(loudest(play(4096)), 0.0);
}

}  // namespace
}  // namespace orthochron::engine
