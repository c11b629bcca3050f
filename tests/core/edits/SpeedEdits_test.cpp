#include "core/edits/SpeedEdits.h"

#include <gtest/gtest.h>

#include "core/edits/ClipEdits.h"
#include "core/edits/ClipValues.h"
#include "core/render/Render.h"
#include "testkit/MarkedKit.h"

#include <cmath>

// Speed lines of clips, on a kit of several microphones.
namespace orthochron {
namespace {

class SpeedLines : public testing::Test {
protected:
    SpeedLines()
    {
        const Song& whole = testkit::markedKit().song;
        cut_ = toFrames(whole.tempo.timeAt(whole.tempo.startOfBar(5)), whole.rate);
        split_ = *splitClips(whole, {whole.tracks[0]->clips.front().id}, {cut_}, {});
        first_ = {split_.tracks[0]->clips.front().id};
    }
    // So long at a speed, from one second after the clip's start on.
    [[nodiscard]] Result<Song> at(double speed, Frames length, SpeedKeeps keeps) const
    {
        const Frames from(48000);
        return setSpeed(
            split_,
            first_,
            {.points = {{from, speed}, {from + length, speed}},
             .followsLevel = false,
             .keeps = keeps}
        );
    }
    [[nodiscard]] static const Clip& clip(const Song& song, std::size_t track, std::size_t index)
    {
        return song.tracks[track]->clips[index];
    }
    [[nodiscard]] static AudioBuffer
    heard(const Song& of, std::size_t index, Frames from, Frames to)
    {
        AudioBuffer sound(1, to - from);
        EXPECT_TRUE(renderTrack(of, *of.tracks[index], *testkit::markedKit().sources, from, sound));
        return sound;
    }
    // Whether `b` has at `from` + `by` what `a` has at `from`.
    static void expectSame(const Song& a, const Song& b, Frames from, Frames by)
    {
        for (std::size_t t = 0; t < a.tracks.size(); ++t) {
            const AudioBuffer one = heard(a, t, from, from + Frames(9600));
            const AudioBuffer other = heard(b, t, from + by, from + by + Frames(9600));
            for (std::size_t i = 0; i < 9600; ++i) {
                ASSERT_NEAR(one.channel(0)[i], other.channel(0)[i], 1e-4F) << t << ' ' << i;
            }
        }
    }

    Frames cut_;
    Song split_;
    ClipChoice first_;
};

TEST_F(SpeedLines, KeepAClipsLengthAndLeaveOutWhatWentByFaster)
{
    const Frames run(24000);
    const auto fast = at(2.0, run, SpeedKeeps::Length);
    ASSERT_TRUE(fast) << fast.error().message;
    for (std::size_t t = 0; t < fast->tracks.size(); ++t) {
        EXPECT_EQ(clip(*fast, t, 0).length, clip(split_, t, 0).length);
        EXPECT_EQ(clip(*fast, t, 0).sound.treatment, clip(*fast, 0, 0).sound.treatment);
        EXPECT_EQ(clip(*fast, t, 1), clip(split_, t, 1));
    }
    // Before it all is as it was; after it the take has come half a second further.
    const Frames begin = clip(split_, 0, 0).at;
    expectSame(split_, *fast, begin + Frames(20000), Frames(0));
    expectSame(split_, *fast, begin + Frames(48000) + run * 2 + Frames(4000), -run);
    EXPECT_EQ(speedPointsOf(clip(*fast, 0, 0)).size(), 2U);
    EXPECT_EQ(speedPointsOf(clip(*fast, 0, 0)).front().at, Frames(48000));
    // No points, and nothing is left of it.
    const auto plain = setSpeed(*fast, first_, {});
    EXPECT_EQ(clip(*plain, 3, 0).sound, clip(split_, 3, 0).sound);
}

TEST_F(SpeedLines, KeepAClipsContentAndWhatFollowsMovesAlongOrGivesWay)
{
    const Frames run(24000);
    const Frames grown(12000);
    const auto alone = at(0.5, run, SpeedKeeps::Content);
    const auto along = at(0.5, run, SpeedKeeps::ContentWithFollowers);
    ASSERT_TRUE(alone && along);
    const Frames end = cut_ + grown;
    for (std::size_t t = 0; t < split_.tracks.size(); ++t) {
        EXPECT_EQ(clip(*alone, t, 0).end(), end);
        EXPECT_LE(std::abs((clip(*alone, t, 1).end() - clip(split_, t, 1).end()).count()), 0);
        EXPECT_EQ(clip(*along, t, 1).end(), clip(split_, t, 1).end() + grown);
    }
    // What the clip held to its end is heard to its end, and then what followed, later.
    expectSame(split_, *along, cut_ - Frames(20000), grown);
    expectSame(split_, *along, cut_ + Frames(2000), grown);
    // Without it what followed lies where it was, less what the clip grew over.
    expectSame(split_, *alone, end + Frames(2000), Frames(0));
}

TEST_F(SpeedLines, RefuseWhatCannotBe)
{
    EXPECT_FALSE(at(5.0, Frames(1000), SpeedKeeps::Length));
    EXPECT_FALSE(at(1.5, Frames(0), SpeedKeeps::Length));
    EXPECT_FALSE(setSpeed(split_, {}, {}));
    const Song locked = *lockClips(split_, first_, true);
    EXPECT_FALSE(setSpeed(locked, first_, {.points = {{Frames(0), 1.0}, {Frames(9), 0.5}}}));
}

}  // namespace
}  // namespace orthochron
