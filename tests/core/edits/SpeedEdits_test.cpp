#include "core/edits/SpeedEdits.h"

#include <gtest/gtest.h>

#include "core/edits/ClipEdits.h"
#include "core/edits/ClipValues.h"
#include "core/edits/StretchEdits.h"
#include "core/edits/TakeEdits.h"
#include "core/files/SongFile.h"
#include "core/render/Render.h"
#include "testkit/MarkedKit.h"

#include <cmath>
#include <numbers>

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
        EXPECT_TRUE(clip(*fast, t, 0).byHand);  // a fit made again keeps it
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

TEST_F(SpeedLines, MoveThePitchAloneAndAllIsHeardWhenItWas)
{
    // A steady tone, its pitch drawn from as it is to an octave higher and back.
    Song song;
    Take take;
    take.name = "tone";
    take.frames = Frames(480000);
    song = *addTakes(song, {{take, false}});
    auto audio = std::make_shared<AudioBuffer>(1, take.frames);
    for (std::size_t i = 0; i < 480000; ++i) {
        // It beats once a second, so that time can be told.
        const double part = static_cast<double>(i) / 48000.0;
        const double level = part - std::floor(part) < 0.5 ? 0.4 : 0.1;
        audio->channel(0)[i] =
            static_cast<float>(level * std::sin(2.0 * std::numbers::pi * 330.0 * part));
    }
    Sources sources;
    sources.put(song.takes.back().id, std::make_unique<MemorySource>(audio, song.rate));
    const ClipChoice clip{song.tracks[0]->clips[0].id};
    const std::vector<SpeedPoint> points{
        {Frames(96000), 1.0}, {Frames(192000), 2.0}, {Frames(288000), 2.0}, {Frames(384000), 1.0}};
    const auto moved = setSpeed(song, clip, {.points = points, .keeps = SpeedKeeps::Time});
    ASSERT_TRUE(moved) << moved.error().message;
    const Clip& now = moved->tracks[0]->clips[0];
    EXPECT_EQ(now.length, song.tracks[0]->clips[0].length);
    EXPECT_TRUE(keepsTime(now));
    EXPECT_EQ(*readSong(writeSong({History(*moved)}), "test")->history.song(), *moved);
    EXPECT_EQ(speedPointsOf(now), points);
    for (std::int64_t at = 0; at < 480000; at += 1000) {
        EXPECT_NEAR(
            static_cast<double>(now.sound.treatment->takeTimeOf(Frames(at)).count()),
            static_cast<double>(at),
            0.0025 * 48000.0
        );
    }
    AudioBuffer sound(1, Frames(480000));
    ASSERT_TRUE(renderTrack(*moved, *moved->tracks[0], sources, Frames(0), sound));
    const auto hertz = [&](std::int64_t from) {
        int rises = 0;
        for (std::int64_t i = from; i < from + 12000; ++i) {
            const auto k = static_cast<std::size_t>(i);
            rises += sound.channel(0)[k - 1] < 0.0F && sound.channel(0)[k] >= 0.0F ? 1 : 0;
        }
        return rises * 4.0;
    };
    EXPECT_NEAR(hertz(50000), 330.0, 8.0);
    EXPECT_NEAR(hertz(196000), 660.0, 12.0);
    EXPECT_NEAR(hertz(244000), 660.0, 12.0);
    EXPECT_NEAR(hertz(436000), 330.0, 8.0);
    // Back to what goes with the speed: the time as it was recorded, less what the speed makes of it.
    const auto back = setSpeed(*moved, clip, {.points = points});
    EXPECT_TRUE(back->tracks[0]->clips[0].sound.treatment->time.pins().empty());
    EXPECT_EQ(setSpeed(*moved, clip, {})->tracks[0]->clips[0].sound.treatment, nullptr);
    EXPECT_FALSE(setSpeed(
        song, clip, {.points = {{Frames(0), 1.0}, {Frames(9600), 0.1}}, .keeps = SpeedKeeps::Time}
    ));
}

TEST_F(SpeedLines, AreDrawnOutWithTheClipWhenItIsStretched)
{
    const Frames about = clip(split_, 0, 0).at;
    for (const bool isSpin : {false, true}) {
        const Song fast = isSpin ? *spinClips(split_, first_, true, Spin{Frames(48000), 0.0})
                                 : *at(0.5, Frames(24000), SpeedKeeps::Length);
        const Song slow = *stretchClips(fast, first_, {.material = Material::Tape, .ratio = 1.25});
        for (std::size_t t = 0; t < slow.tracks.size(); ++t) {
            const Clip& was = clip(fast, t, 0);
            const Clip& now = clip(slow, t, 0);
            EXPECT_EQ(now.at, about);
            EXPECT_NEAR(
                static_cast<double>(now.length.count()),
                1.25 * static_cast<double>(was.length.count()),
                1.0
            );
            // At every moment the place of the take that was heard then, a quarter later.
            for (std::int64_t n = 100; n + 100 < was.length.count(); n += 5000) {
                const auto later = Frames(std::llround(1.25 * static_cast<double>(n)));
                EXPECT_NEAR(
                    static_cast<double>(now.sound.takeTimeOf(now.soundStart + later).count()),
                    static_cast<double>(was.sound.takeTimeOf(was.soundStart + Frames(n)).count()),
                    2.0
                ) << t
                  << ' ' << n << ' ' << isSpin;
            }
        }
        // Only its speed is asked: another pitch leaves it as long as it is.
        EXPECT_EQ(
            clip(*stretchClips(fast, first_, {.semitones = 2.0, .material = Material::Hits}), 0, 0)
                .length,
            clip(fast, 0, 0).length
        );
    }
}

TEST_F(SpeedLines, RefuseWhatCannotBe)
{
    EXPECT_FALSE(at(5.0, Frames(1000), SpeedKeeps::Length));
    EXPECT_FALSE(at(1.5, Frames(0), SpeedKeeps::Length));
    EXPECT_FALSE(setSpeed(split_, {}, {}));
    const Song locked = *lockClips(split_, first_, true);
    EXPECT_FALSE(setSpeed(locked, first_, {.points = {{Frames(0), 1.0}, {Frames(9), 0.5}}}));
}

TEST(PitchOfSpeed, IsInSemitonesAndAStandstillIsTheLeast)
{
    EXPECT_DOUBLE_EQ(pitchOfSpeed(2.0), 12.0);
    EXPECT_DOUBLE_EQ(pitchOfSpeed(0.5), -12.0);
    EXPECT_DOUBLE_EQ(pitchOfSpeed(0.0), -kMostPitch);
    EXPECT_DOUBLE_EQ(speedOfPitch(12.0), 2.0);
    EXPECT_DOUBLE_EQ(speedOfPitch(pitchOfSpeed(0.7)), 0.7);
}

}  // namespace
}  // namespace orthochron
