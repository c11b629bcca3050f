#include "core/edits/HeardPlaces.h"

#include <gtest/gtest.h>

#include <random>

// Where a track plays the moments of its take.
namespace orthochron {
namespace {

TEST(HeardPlaces, SayWhatAWalkThroughAllClipsWouldSay)
{
    std::mt19937 random(7);
    std::uniform_int_distribution<std::int64_t> place(0, 100'000);
    Track track;
    track.markedTake = TakeId{1};
    Frames at;
    for (int i = 0; i < 60; ++i) {
        Clip clip;
        clip.sound.take = TakeId{i % 7 == 3 ? 2U : 1U};
        clip.sound.channel = 0;
        clip.soundStart = Frames(place(random));
        clip.length = Frames(1 + place(random) / 10);
        clip.at = at;
        clip.isReversed = i % 11 == 5;
        if (i % 3 == 0) {
            Treatment treatment;
            treatment.time =
                *TimeMap::through({{Frames(0), Frames(0)}, {Frames(1000), Frames(1300)}});
            clip.sound.treatment = std::make_shared<const Treatment>(std::move(treatment));
        }
        at = clip.end();
        track.clips.push_back(std::move(clip));
    }
    const HeardPlaces places(track);
    int heard = 0;
    for (int k = 0; k < 3000; ++k) {
        const Frames moment(place(random));
        std::optional<Frames> walked;
        for (const Clip& clip : track.clips) {
            if (track.isMarked(clip)) {
                walked = clip.songTimeOf(moment);
            }
            if (walked) {
                break;
            }
        }
        heard += walked ? 1 : 0;
        ASSERT_EQ(places.at(moment), walked) << moment.count();
    }
    EXPECT_GT(heard, 500);
    EXPECT_FALSE(HeardPlaces(Track{}).at(Frames(5)));
}

}  // namespace
}  // namespace orthochron
