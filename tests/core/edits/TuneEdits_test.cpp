#include "core/edits/TuneEdits.h"

#include <gtest/gtest.h>

#include "core/edits/ClipValues.h"
#include "core/edits/FitEdits.h"
#include "core/edits/GridEdits.h"
#include "core/edits/SectionEdits.h"
#include "core/render/Render.h"
#include "testkit/MarkedKit.h"

// A tuning on a song: what it goes to, and what becomes of it when the set is fitted.
namespace orthochron {
namespace {

class TuningASong : public testing::Test {
protected:
    [[nodiscard]] const Song& song() const { return testkit::markedKit().song; }
    [[nodiscard]] const Sources& sources() const { return *testkit::markedKit().sources; }
    [[nodiscard]] SetId set() const { return testkit::markedKit().set; }
    [[nodiscard]] TrackId track() const { return song().tracks[0]->id; }
    static Treatment aTuning()
    {
        Treatment tuning;
        tuning.material = Material::Line;
        tuning.pitch = {{Frames(48000), 0.0}, {Frames(52800), -0.3}, {Frames(96000), 0.0}};
        return tuning;
    }
    static bool isTuned(const std::vector<Clip>& clips)
    {
        return !clips.empty() && std::ranges::all_of(clips, [](const Clip& clip) {
            return clip.sound.treatment && clip.sound.treatment->pitch == aTuning().pitch &&
                   clip.sound.treatment->material == Material::Line;
        });
    }
};

TEST_F(TuningASong, GoesToAllMicrophonesByOnePointerAndWithoutATrace)
{
    const auto tuned = tuneClips(song(), track(), {}, aTuning());
    ASSERT_TRUE(tuned) << tuned.error().message;
    for (const auto& each : tuned->tracks) {
        EXPECT_TRUE(isTuned(each->clips));
        EXPECT_EQ(
            each->clips.front().sound.treatment, tuned->tracks[0]->clips.front().sound.treatment
        );
    }
    EXPECT_EQ(tuningOf(*tuned, track(), {}).pitch, aTuning().pitch);
    const auto back = tuneClips(*tuned, track(), {}, Treatment());
    ASSERT_TRUE(back);
    EXPECT_TRUE(*back == song());
}

TEST_F(TuningASong, AKeyOfASectionGoesWithItsBarsWhenTheTempoChanges)
{
    const Scale dorian = *parseScale("F", "dorian");
    Song keyed = *addSection(song(), "Chorus", {3, 5});
    keyed = *setSectionKey(keyed, keyed.sections[0].id, dorian);
    const auto startOf = [](const Song& of, int bar) {
        return of.tempo.timeAt(of.tempo.startOfBar(bar));
    };
    const auto keyAt = [](const Song& of, Seconds at) {
        return rungsAt(of, of.tempo.barAt(of.tempo.beatsAt(at))).key;
    };
    const Seconds little(0.1);
    const Seconds third = startOf(keyed, 3);
    EXPECT_EQ(keyAt(keyed, third - little), Scale());
    EXPECT_EQ(keyAt(keyed, third + little), dorian);
    EXPECT_EQ(keyAt(keyed, startOf(keyed, 6) - little), dorian);
    EXPECT_EQ(keyAt(keyed, startOf(keyed, 6) + little), Scale());
    // Half as fast that moment lies before the section, which begins where its bar does now.
    const Song slow = *setTempo(keyed, keyed.tempo.bpmAt(Beats(0.0)) / 2.0, Meter());
    EXPECT_EQ(keyAt(slow, third + little), Scale());
    EXPECT_GT(startOf(slow, 3), third);
    EXPECT_EQ(keyAt(slow, startOf(slow, 3) + little), dorian);
    const Song without = *setSectionKey(slow, slow.sections[0].id, std::nullopt);
    EXPECT_EQ(keyAt(without, startOf(slow, 3) + little), Scale());
    EXPECT_FALSE(setSectionKey(slow, SectionId{999}, dorian));
}

TEST_F(TuningASong, AFitMadeAgainIsInTune)
{
    for (const FitMethod method : {FitMethod::Cut, FitMethod::Stretch}) {
        FitRequest request;
        request.way.method = method;
        const auto cut = fitSet(song(), set(), {}, sources());
        ASSERT_TRUE(cut);
        const auto tuned = tuneClips(cut->song, track(), {}, aTuning());
        ASSERT_TRUE(tuned) << tuned.error().message;
        EXPECT_TRUE(isTuned(tuned->tracks[0]->clips));
        const auto again = fitSet(*tuned, set(), request, sources());
        ASSERT_TRUE(again) << again.error().message;
        EXPECT_TRUE(isTuned(again->song.tracks[0]->clips));
        EXPECT_TRUE(isTuned(again->song.tracks[3]->clips));
        AudioBuffer sound(1, Frames(9600));
        EXPECT_TRUE(
            renderTrack(again->song, *again->song.tracks[0], sources(), Frames(60000), sound)
        );
    }
}

TEST_F(TuningASong, ChosenClipsAloneAndNoneThatIsLocked)
{
    const auto cut = fitSet(song(), set(), {}, sources());
    ASSERT_TRUE(cut);
    const ClipId one = cut->song.tracks[0]->clips[3].id;
    const auto tuned = tuneClips(cut->song, track(), {one}, aTuning());
    ASSERT_TRUE(tuned);
    EXPECT_TRUE(tuned->tracks[0]->clips[3].sound.treatment);
    EXPECT_TRUE(tuned->tracks[5]->clips[3].sound.treatment);
    EXPECT_FALSE(tuned->tracks[0]->clips[4].sound.treatment);
    const auto locked = lockClips(cut->song, {one}, true);
    ASSERT_TRUE(locked);
    EXPECT_FALSE(tuneClips(*locked, track(), {one}, aTuning()));
    EXPECT_FALSE(tuneClips(song(), TrackId{99999}, {}, aTuning()));
    // Notes moved in time cannot be in what was stretched.
    FitRequest request;
    request.way.method = FitMethod::Stretch;
    const auto stretched = fitSet(song(), set(), request, sources());
    ASSERT_TRUE(stretched);
    Treatment moved = aTuning();
    moved.time = *TimeMap::through(
        {{Frames(0), Frames(0)}, {Frames(60000), Frames(61000)}, {Frames(90000), Frames(90000)}}
    );
    EXPECT_FALSE(tuneClips(stretched->song, track(), {}, moved));
    EXPECT_TRUE(tuneClips(stretched->song, track(), {}, aTuning()));
}

TEST_F(TuningASong, WhatWasDecidedAboutNotesIsTakenBackWhereItReachesInto)
{
    const NoteByHand low{Frames(48000), Frames(60000), true, -1};
    const NoteByHand none{Frames(96000), Frames(120000), false};
    Song decided = *layNoteByHand(song(), track(), low);
    decided = *layNoteByHand(decided, track(), none);
    const auto left = forgetNotesByHand(decided, track(), Frames(59999), Frames(96000));
    ASSERT_TRUE(left) << left.error().message;
    EXPECT_EQ(left->track(track())->notes, std::vector{none});
    EXPECT_EQ(*forgetNotesByHand(*left, track(), Frames(0), Frames(200000)), song());
    EXPECT_FALSE(forgetNotesByHand(*left, track(), Frames(0), Frames(96000)));
    EXPECT_FALSE(forgetNotesByHand(*left, TrackId{99999}, Frames(0), Frames(200000)));
    EXPECT_FALSE(layNoteByHand(song(), TrackId{99999}, low));
    EXPECT_FALSE(layNoteByHand(song(), track(), {Frames(48000), Frames(48010)}));
}

TEST_F(TuningASong, AGlideAndAKeyAreOfItsTrackAndItsSong)
{
    EXPECT_EQ(setGlide(song(), track(), Seconds(2.0))->track(track())->glide, Seconds(2.0));
    EXPECT_EQ(setGlide(song(), track(), Seconds(0.0))->track(track())->glide, Seconds(0.0));
    EXPECT_EQ(*setGlide(*setGlide(song(), track(), Seconds(1.0)), track(), std::nullopt), song());
    EXPECT_FALSE(setGlide(song(), track(), Seconds(2.001)));
    EXPECT_FALSE(setGlide(song(), track(), Seconds(-0.001)));
    EXPECT_FALSE(setGlide(song(), TrackId{99999}, std::nullopt));
    const Song keyed = setKey(song(), *parseScale("F", "dorian"));
    EXPECT_EQ(rungsAt(keyed, 1).key, *parseScale("F", "dorian"));
    EXPECT_EQ(setKey(keyed, song().key), song());
}

TEST_F(TuningASong, AClipThatRunsBackwardsOrPlaysSomethingElseIsNotTuned)
{
    const auto cut = fitSet(song(), set(), {}, sources());
    ASSERT_TRUE(cut);
    Song turned = cut->song;
    Track changed = *turned.tracks[0];
    const ClipId one = changed.clips[3].id;
    changed.clips[3].isReversed = true;
    putTrack(turned, changed);
    EXPECT_FALSE(tuneClips(turned, track(), {one}, aTuning()));
    // Every microphone of that part plays the take of another.
    Song other = cut->song;
    for (std::size_t t = 0; t < other.tracks.size(); ++t) {
        changed = *other.tracks[t];
        changed.clips[3].sound.take = other.takes[(t + 1) % other.takes.size()].id;
        putTrack(other, changed);
    }
    EXPECT_FALSE(tuneClips(other, track(), {one}, aTuning()));
    EXPECT_TRUE(tuneClips(other, track(), {other.tracks[0]->clips[4].id}, aTuning()));
}

}  // namespace
}  // namespace orthochron
