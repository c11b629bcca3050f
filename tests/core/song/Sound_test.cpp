#include "core/song/Sound.h"

#include <gtest/gtest.h>

#include "core/audit/SongAudit.h"
#include "core/edits/ClipEdits.h"
#include "core/edits/JoinEdits.h"
#include "core/edits/MarkEdits.h"
#include "core/edits/TakeEdits.h"
#include "core/render/Print.h"
#include "core/render/Render.h"
#include "testkit/Folder.h"

#include <cmath>

namespace orthochron {
namespace {

TEST(TimeMap, CrossesBothWaysBetweenAndBeyondItsPins)
{
    const auto map = *TimeMap::through({{Frames(100), Frames(200)}, {Frames(300), Frames(300)}});
    EXPECT_EQ(map.soundTimeOf(Frames(100)), Frames(200));
    EXPECT_EQ(map.soundTimeOf(Frames(200)), Frames(250));
    EXPECT_EQ(map.takeTimeOf(Frames(250)), Frames(200));
    EXPECT_EQ(map.soundTimeOf(Frames(50)), Frames(150));  // as recorded before the first
    EXPECT_EQ(map.soundTimeOf(Frames(400)), Frames(400));
    EXPECT_EQ(map.takeTimeOf(Frames(310)), Frames(310));
    EXPECT_EQ(TimeMap().takeTimeOf(Frames(77)), Frames(77));
    EXPECT_FALSE(TimeMap::through({{Frames(5), Frames(5)}, {Frames(6), Frames(5)}}));
    EXPECT_FALSE(TimeMap::through({{Frames(5), Frames(5)}, {Frames(5), Frames(6)}}));
}

// Two microphones of a second each, played at half speed: nothing beside the sound knows.
class AtHalfSpeed : public testing::Test {
protected:
    AtHalfSpeed()
    {
        Treatment treatment;
        treatment.time =
            *TimeMap::through({{Frames(0), Frames(0)}, {Frames(48000), Frames(96000)}});
        treatment.material = Material::Tape;
        const auto shared = std::make_shared<const Treatment>(treatment);
        for (int m = 0; m < 2; ++m) {
            Take take;
            take.name = "slow";
            take.frames = Frames(48000);
            song_ = *addTakes(song_, {{take, false}});
            const auto sound =
                std::make_shared<const AudioBuffer>(testkit::soundOf(1.0, [m](std::int64_t n) {
                    return 0.3 * std::sin(static_cast<double>(n) * (0.01 + 0.003 * m));
                }));
            sources_.put(song_.takes.back().id, std::make_unique<MemorySource>(sound, song_.rate));
        }
        song_ = *makeSet(song_, {song_.tracks[0]->id, song_.tracks[1]->id}, "Kit");
        song_ = *setLead(song_, song_.tracks[0]->id, true);
        for (const auto& old : std::vector(song_.tracks)) {
            Track track = *old;
            track.clips[0].sound.treatment = shared;
            track.clips[0].length = Frames(96000);
            putTrack(song_, std::move(track));
        }
    }
    [[nodiscard]] AudioBuffer
    rendered(const Song& song, std::size_t track, Frames from, Frames to) const
    {
        AudioBuffer sound(1, to - from);
        EXPECT_TRUE(renderClips(song.tracks[track]->clips, sources_, from, sound));
        return sound;
    }
    void expectSame(const Song& a, const Song& b, Frames from, Frames to) const
    {
        for (std::size_t m = 0; m < 2; ++m) {
            const AudioBuffer left = rendered(a, m, from, to);
            const AudioBuffer right = rendered(b, m, from, to);
            for (std::size_t i = 0; i < left.channel(0).size(); ++i) {
                ASSERT_NEAR(left.channel(0)[i], right.channel(0)[i], 1e-6F) << m << ' ' << i;
            }
        }
    }

    Song song_;
    Sources sources_;
};

TEST_F(AtHalfSpeed, IsHeardTwiceAsLongAndItsMarksTwiceAsLate)
{
    const AudioBuffer sound = rendered(song_, 0, Frames(40000), Frames(40010));
    EXPECT_NEAR(sound.channel(0)[0], 0.3 * std::sin(20000.0 * 0.01), 1e-4);
    const Song marked = *addMark(song_, song_.tracks[0]->id, Frames(12000));
    const auto hits = hitsOf(marked, marked.sets[0]).hits;
    ASSERT_EQ(hits.size(), 1U);
    EXPECT_EQ(hits[0].start, Frames(24000));
}

TEST_F(AtHalfSpeed, SplittingIsSeamlessAndJoiningPutsBackWhatWasThere)
{
    const Song split = *splitClips(song_, {song_.tracks[0]->clips[0].id}, {Frames(30001)}, {});
    ASSERT_EQ(split.tracks[1]->clips.size(), 2U);
    EXPECT_EQ(split.tracks[1]->clips[0].sound.treatment, split.tracks[1]->clips[1].sound.treatment);
    expectSame(song_, split, Frames(0), Frames(96000));
    const auto& clips = split.tracks[0]->clips;
    const Song joined = *joinClips(split, {clips[0].id, clips[1].id}, {});
    EXPECT_EQ(joined.tracks[0]->clips.size(), 1U);
    expectSame(song_, joined, Frames(0), Frames(96000));
}

TEST_F(AtHalfSpeed, IsTrimmedAndDrawnOutAsFarAsTheSoundReaches)
{
    const ClipId id = song_.tracks[0]->clips[0].id;
    const Song shorter = *trimClips(song_, {id}, Edge::End, Frames(-40000), {{Frames(0)}});
    const Song longer = *trimClips(shorter, {id}, Edge::End, Frames(90000), {{Frames(0)}});
    EXPECT_EQ(longer.tracks[1]->clips[0].length, Frames(96000));
    expectSame(song_, longer, Frames(0), Frames(96000));
}

TEST_F(AtHalfSpeed, IsCrossfadedCheckedAndMendedLikeAnyOther)
{
    Song song = *splitClips(song_, {song_.tracks[0]->clips[0].id}, {Frames(30000)}, {});
    song = *slipClips(song, {song.tracks[0]->clips[1].id}, Frames(157), {});
    const auto joins = joinsOf(song, song.sets[0]);
    ASSERT_EQ(joins.size(), 1U);
    song = *changeJoin(song, song.sets[0].id, joins[0].id, {.length = Frames(960)});
    EXPECT_TRUE(auditSet(song, song.sets[0].id, sources_)->empty());
    const auto& clips = song.tracks[0]->clips;
    EXPECT_LT(*sources_.likeness(clips[0], clips[1]), 1.0);
    // With a hard edge there is a click, and the check hears it.
    const Song hard = *changeJoin(song, song.sets[0].id, joins[0].id, {.length = Frames(0)});
    EXPECT_FALSE(auditSet(hard, hard.sets[0].id, sources_)->empty());
}

TEST_F(AtHalfSpeed, IsPrintedAsItIsRendered)
{
    const testkit::Folder folder;
    PrintSettings settings;
    settings.to = Frames(96000);
    settings.format = PrintFormat::Wav32Float;
    const TrackId id = song_.tracks[1]->id;
    ASSERT_TRUE(printTracks(song_, sources_, {{id, folder / "slow.wav"}}, settings));
    const AudioBuffer printed = testkit::readSound(folder / "slow.wav");
    const AudioBuffer sound = rendered(song_, 1, Frames(0), Frames(96000));
    ASSERT_EQ(printed.frames(), Frames(96000));
    EXPECT_TRUE(std::ranges::equal(printed.channel(0), sound.channel(0)));
}

TEST_F(AtHalfSpeed, PlansThatNobodyKnowsAnyMoreGoAndWhatIsHeardStaysTheSame)
{
    // As a value dragged for a while leaves them: each heard once, with its joins.
    const Song song = song_;
    AudioBuffer first(1, Frames(2000));
    const auto hear = [&](int by, AudioBuffer& into) {
        Song tried = song;
        Track track = *tried.tracks[0];
        Treatment treatment = *track.clips[0].sound.treatment;
        treatment.time =
            *TimeMap::through({{Frames(0), Frames(0)}, {Frames(10000), Frames(20000 + by)}});
        const auto shared = std::make_shared<const Treatment>(treatment);
        for (Clip& clip : track.clips) {
            clip.sound.treatment = shared;
        }
        ASSERT_TRUE(renderClips(track.clips, sources_, Frames(3000), into));
    };
    hear(0, first);
    for (int by = 1; by < 300; ++by) {
        AudioBuffer other(1, Frames(2000));
        hear(by, other);
    }
    AudioBuffer again(1, Frames(2000));
    hear(0, again);
    EXPECT_EQ(again, first);
}

TEST_F(AtHalfSpeed, ATreatmentThatCannotBeSaysSo)
{
    Song song = song_;
    Track track = *song.tracks[0];
    Treatment wrong = *track.clips[0].sound.treatment;
    wrong.semitones = 1.0;  // with tape the pitch follows the speed
    track.clips[0].sound.treatment = std::make_shared<const Treatment>(wrong);
    AudioBuffer sound(1, Frames(100));
    EXPECT_FALSE(renderClips(track.clips, sources_, Frames(0), sound));
}

}  // namespace
}  // namespace orthochron
