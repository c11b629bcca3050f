#include "core/edits/StretchFit.h"

#include <gtest/gtest.h>

#include "core/audit/SongAudit.h"
#include "core/edits/ClipEdits.h"
#include "core/edits/FitEdits.h"
#include "core/edits/MarkEdits.h"
#include "core/edits/SpeedEdits.h"
#include "core/edits/VariantEdits.h"
#include "core/files/SongFile.h"
#include "core/render/Render.h"
#include "testkit/MarkedKit.h"

#include <cmath>

// Fitting a mic set by stretching it.
namespace orthochron {
namespace {

class StretchFit : public testing::Test {
protected:
    StretchFit() { request_.way.method = FitMethod::Stretch; }
    [[nodiscard]] const Song& song() const { return testkit::markedKit().song; }
    [[nodiscard]] const Sources& sources() const { return *testkit::markedKit().sources; }
    [[nodiscard]] SetId set() const { return testkit::markedKit().set; }
    [[nodiscard]] Song fitted(const Song& song) const
    {
        return fitSet(song, set(), request_, sources())->song;
    }
    [[nodiscard]] AudioBuffer
    heard(const Song& song, std::size_t track, Frames from, Frames length) const
    {
        AudioBuffer sound(1, length);
        EXPECT_TRUE(renderClips(song.tracks[track]->clips, sources(), from, sound));
        return sound;
    }

    FitRequest request_{.fit = {1.0, 1.0, 1.0}};
};

TEST_F(StretchFit, PutsEveryMainHitOnItsLineWithoutAJoin)
{
    const Song after = fitted(song());
    for (const auto& track : after.tracks) {
        EXPECT_EQ(track->clips.size(), 1U);
        EXPECT_EQ(track->clips[0].sound.treatment, after.tracks[0]->clips[0].sound.treatment);
    }
    EXPECT_EQ(after.sets[0].recipe->way.method, FitMethod::Stretch);
    const auto preview = *previewFit(song(), set(), request_);
    for (std::size_t i = 0; i < preview.moves.hits.size(); ++i) {
        const JudgedHit& hit = preview.performance.hits[i];
        const auto parts = partsOf(after, after.sets[0]);
        const SetPart* holding = partHolding(parts, hit.played.start);
        ASSERT_NE(holding, nullptr);
        EXPECT_EQ(
            holding->heardAt(hit.played.start), hit.played.start + preview.moves.hits[i].move
        );
        EXPECT_LE(
            std::abs(
                (holding->recordedAt(holding->heardAt(hit.played.start)) - hit.played.start).count()
            ),
            1
        );
    }
}

TEST_F(StretchFit, MovesAllMicrophonesTogetherToTheSample)
{
    const Song after = fitted(song());
    const auto preview = *previewFit(song(), set(), request_);
    int looked = 0;
    for (std::size_t i = 0; i < preview.moves.hits.size(); ++i) {
        const Frames start = preview.performance.hits[i].played.start;
        for (std::size_t m = 0; m < after.tracks.size(); ++m) {
            const AudioBuffer before = heard(song(), m, start, Frames(500));
            const AudioBuffer now =
                heard(after, m, start + preview.moves.hits[i].move, Frames(500));
            EXPECT_EQ(before, now) << i << ' ' << m;
        }
        ++looked;
    }
    EXPECT_GT(looked, 50);
}

TEST_F(StretchFit, MarksAreHeardWhereTheyCameToAndAFitAgainStartsFromWhatWasRecorded)
{
    const Song once = fitted(song());
    const Song twice = fitted(once);
    EXPECT_EQ(
        once.tracks[0]->clips[0].sound.treatment->time,
        twice.tracks[0]->clips[0].sound.treatment->time
    );
    const Song cut = fitSet(twice, set(), {.fit = {1.0, 1.0, 1.0}}, sources())->song;
    EXPECT_GT(cut.tracks[0]->clips.size(), 20U);
    EXPECT_EQ(cut.tracks[0]->clips[0].sound.treatment, nullptr);
    const Song undone = *undoFit(once, set());
    EXPECT_EQ(undone.tracks[3]->clips, song().tracks[3]->clips);
}

TEST_F(StretchFit, HitsOutsideTheRangeKeepThePlaceTheyHave)
{
    const Song once = fitted(song());
    FitRequest part = request_;
    part.fit = {0.0, 0.0, 0.0};
    part.bars = BarRange{5, 6};
    const auto again = *fitSet(once, set(), part, sources());
    EXPECT_GT(again.kept, 20);
    const auto was = partsOf(once, once.sets[0]);
    const auto now = partsOf(again.song, again.song.sets[0]);
    const auto preview = *previewFit(song(), set(), request_);
    for (const JudgedHit& hit : preview.performance.hits) {
        const int bar = preview.performance.hits[hit.main].line.bar;
        const Frames start = hit.played.start;
        if (bar < 5 || bar > 6) {
            EXPECT_EQ(
                partHolding(now, start)->heardAt(start), partHolding(was, start)->heardAt(start)
            );
        } else {
            EXPECT_EQ(partHolding(now, start)->heardAt(start), start);
        }
    }
}

TEST_F(StretchFit, ClipsOfAStretchedSetAreCutAndJoinedLikeAnyOther)
{
    const Song after = fitted(song());
    const auto& clip = after.tracks[0]->clips[0];
    const Song split = *splitClips(after, {clip.id}, {Frames(200000)}, {});
    const AudioBuffer whole = heard(after, 5, Frames(190000), Frames(20000));
    const AudioBuffer halves = heard(split, 5, Frames(190000), Frames(20000));
    for (std::size_t i = 0; i < whole.channel(0).size(); ++i) {
        ASSERT_NEAR(whole.channel(0)[i], halves.channel(0)[i], 1e-6F);
    }
}

TEST_F(StretchFit, ACutAndAStretchedFitAreWaysKeptSideBySide)
{
    const Song cut = fitSet(song(), set(), {.fit = {1.0, 1.0, 1.0}}, sources())->song;
    const Song stretched = fitted(*keepVariant(cut, set(), std::nullopt));
    ASSERT_EQ(stretched.sets[0].variants.size(), 1U);
    const Song other = *nextVariant(stretched, set());
    EXPECT_EQ(other.tracks[4]->clips.size(), cut.tracks[4]->clips.size());
    EXPECT_EQ(other.sets[0].recipe->way.method, FitMethod::Cut);
    const Song back = *nextVariant(other, set());
    ASSERT_EQ(back.tracks[4]->clips.size(), 1U);
    EXPECT_EQ(
        back.tracks[4]->clips[0].sound.treatment, stretched.tracks[4]->clips[0].sound.treatment
    );
    EXPECT_EQ(back.sets[0].recipe->way.method, FitMethod::Stretch);
}

TEST_F(StretchFit, IsSavedAndOpenedAsItWas)
{
    History history(song(), "New song");
    const Song after = fitted(song());
    history.add(after, "Fit");
    Song changed = after;
    Track track = *changed.tracks[1];
    track.clips[0].gain = 0.5F;
    putTrack(changed, track);
    history.add(changed, "Gain");
    const auto opened = readSong(writeSong({std::move(history), {}, 0, 0}), "song");
    ASSERT_TRUE(opened) << opened.error().message;
    EXPECT_TRUE(*opened->history.song() == changed);
    const auto& tracks = opened->history.song()->tracks;
    EXPECT_EQ(tracks[0]->clips[0].sound.treatment, tracks[7]->clips[0].sound.treatment);
}

TEST_F(StretchFit, ATreatmentThatIsNotThereOrCannotBeIsRefused)
{
    History history(fitted(song()), "Fit");
    const std::string text = writeSong({std::move(history), {}, 0, 0});
    const auto spoilt = [&](const std::string& what, const std::string& by) {
        std::string other = text;
        const auto at = other.find(what);
        EXPECT_NE(at, std::string::npos);
        other.replace(at, what.size(), by);
        return readSong(other, "song");
    };
    EXPECT_FALSE(spoilt("\"treatment\":0", "\"treatment\":7"));
    EXPECT_FALSE(spoilt("\"treatment\":0", "\"treatment\":99999999999"));
    EXPECT_FALSE(spoilt("\"pins\":[[0,0]", "\"pins\":[[9999999,0]"));
    EXPECT_FALSE(spoilt("\"material\":\"hits\"", "\"material\":\"glass\""));
    EXPECT_FALSE(spoilt("\"method\":\"stretch\"", "\"method\":\"wish\""));
}

// A kit that is slowed down to a standstill at its end stays so; what comes before is fitted as ever.
TEST_F(StretchFit, SpinsStayAtTheEndsOfTheirClips)
{
    const ClipId clip = song().tracks[0]->clips[0].id;
    const Spin spin{.length = Frames(96000), .bend = 0.4};
    const Song spun = *spinClips(song(), {clip}, true, spin);
    const Song after = fitted(spun);
    const Song plain = fitted(song());
    for (std::size_t t = 0; t < after.tracks.size(); ++t) {
        const Clip& now = after.tracks[t]->clips[0];
        EXPECT_EQ(spinsOf(now).down, std::optional(spin));
        EXPECT_EQ(now.sound.treatment, after.tracks[0]->clips[0].sound.treatment);
        // To the last hit before the spin it is the same.
        const Frames until = now.end() - spin.length - Frames(96000);
        EXPECT_EQ(
            heard(after, t, Frames(48000), until - Frames(48000)),
            heard(plain, t, Frames(48000), until - Frames(48000))
        );
        const AudioBuffer end = heard(after, t, now.end() - Frames(200), Frames(200));
        EXPECT_TRUE(std::ranges::all_of(end.channel(0), [](float value) {
            return std::abs(value) < 1e-4F;
        }));
    }
    // Fitted again it starts from what was recorded, with its spin.
    EXPECT_EQ(spinsOf(fitted(after).tracks[0]->clips[0]).down, std::optional(spin));
}

TEST_F(StretchFit, WhatCannotBeStretchedSaysWhy)
{
    const ClipSpeed drawn{.points = {{Frames(1000), 1.0}, {Frames(9000), 0.5}}};
    const Song slowed = *setSpeed(song(), {song().tracks[0]->clips[0].id}, drawn);
    const auto speed = fitSet(slowed, set(), request_, sources());
    ASSERT_FALSE(speed);
    EXPECT_NE(speed.error().message.find("speed line"), std::string::npos);

    request_.way.material = Material::Tape;
    EXPECT_FALSE(fitSet(song(), set(), request_, sources()));
    request_.way.material = Material::Hits;
    Song reversed = song();
    Track track = *reversed.tracks[2];
    track.clips[0].isReversed = true;
    putTrack(reversed, track);
    const auto refused = fitSet(reversed, set(), request_, sources());
    ASSERT_FALSE(refused);
    EXPECT_NE(refused.error().message.find("reversed"), std::string::npos);
}

}  // namespace
}  // namespace orthochron
