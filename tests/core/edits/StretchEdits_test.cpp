#include "core/edits/StretchEdits.h"

#include <gtest/gtest.h>

#include "core/audit/SongAudit.h"
#include "core/edits/ClipEdits.h"
#include "core/render/Render.h"
#include "core/stretch/MaterialGuess.h"
#include "testkit/Folder.h"
#include "testkit/MarkedKit.h"
#include "testkit/Voice.h"

#include <cmath>

// Stretching single hits and whole clips by hand.
namespace orthochron {
namespace {

class StretchByHand : public testing::Test {
protected:
    [[nodiscard]] const Song& song() const { return testkit::markedKit().song; }
    [[nodiscard]] const Sources& sources() const { return *testkit::markedKit().sources; }
    [[nodiscard]] SetId set() const { return testkit::markedKit().set; }
    [[nodiscard]] FitPreview preview(const Song& song) const
    {
        return *previewFit(song, set(), {.fit = {0.0, 0.0, 0.0}});
    }
    // Some main hit in the middle that has neighbours well apart.
    [[nodiscard]] std::size_t someHit(const FitPreview& preview) const
    {
        const auto& hits = preview.performance.hits;
        for (std::size_t i = hits.size() / 2; i + 1 < hits.size(); ++i) {
            const Frames apart = toFrames(milliseconds(120.0), song().rate);
            if (hits[i].role == HitRole::Main &&
                hits[i].played.start - hits[i - 1].played.start > apart &&
                hits[i + 1].played.start - hits[i].played.start > apart) {
                return i;
            }
        }
        return 0;
    }
    [[nodiscard]] static Frames heardAt(const Song& song, Frames recorded)
    {
        const auto parts = partsOf(song, song.sets[0]);
        return partHolding(parts, recorded)->heardAt(recorded);
    }
};

TEST_F(StretchByHand, APinMovesItsHitAndNoOther)
{
    const FitPreview hits = preview(song());
    const std::size_t moved = someHit(hits);
    const Frames from = hits.performance.hits[moved].played.beatPoint;
    const Frames target = from + toFrames(milliseconds(31.0), song().rate);
    const auto next =
        moveHitByStretching(song(), set(), hits, moved, target, Material::Hits, sources());
    ASSERT_TRUE(next) << next.error().message;
    for (std::size_t i = 0; i < hits.performance.hits.size(); ++i) {
        const Frames at = hits.performance.hits[i].played.beatPoint;
        EXPECT_EQ(
            heardAt(*next, at), hits.performance.hits[i].main == moved ? at + (target - from) : at
        );
    }
    // A fit keeps it, and put back it lies where the fit has it.
    FitRequest request{.fit = {1.0, 1.0, 1.0}};
    request.way.method = FitMethod::Stretch;
    const Song fitted = fitSet(*next, set(), request, sources())->song;
    EXPECT_LE(std::abs((heardAt(fitted, from) - target).count()), 1);
    const auto back = moveHitByStretching(
        fitted,
        set(),
        *previewFit(fitted, set(), request),
        moved,
        std::nullopt,
        Material::Hits,
        sources()
    );
    EXPECT_EQ(heardAt(*back, from), previewFit(song(), set(), request)->moves.hits[moved].target);
}

TEST_F(StretchByHand, AHitIsNeverPulledPastItsNeighbourNorAnAttachedOneAlone)
{
    const FitPreview hits = preview(song());
    const std::size_t moved = someHit(hits);
    const Frames beyond = hits.performance.hits[moved + 1].played.beatPoint + Frames(10);
    EXPECT_FALSE(moveHitByStretching(song(), set(), hits, moved, beyond, Material::Hits, sources())
    );
    const auto attached =
        std::ranges::find(hits.performance.hits, HitRole::Attached, &JudgedHit::role);
    ASSERT_NE(attached, hits.performance.hits.end());
    EXPECT_FALSE(moveHitByStretching(
        song(),
        set(),
        hits,
        static_cast<std::size_t>(attached - hits.performance.hits.begin()),
        attached->played.beatPoint + Frames(100),
        Material::Hits,
        sources()
    ));
}

TEST_F(StretchByHand, TooMuchIsAFinding)
{
    const FitPreview hits = preview(song());
    const std::size_t moved = someHit(hits);
    const Frames next = hits.performance.hits[moved + 1].played.beatPoint;
    const Frames target = next - toFrames(milliseconds(40.0), song().rate);
    const Song strained =
        *moveHitByStretching(song(), set(), hits, moved, target, Material::Hits, sources());
    const auto findings = *auditSet(strained, set(), sources());
    ASSERT_FALSE(findings.empty());
    EXPECT_TRUE(std::ranges::all_of(findings, [](const Finding& finding) {
        return finding.kind == FindingKind::Strain;
    }));
    EXPECT_TRUE(std::ranges::any_of(findings, [&](const Finding& finding) {
        return finding.value < 0.7 && finding.at > target && finding.at < next;
    }));
}

TEST_F(StretchByHand, AClipIsMadeLongerOnAllMicrophonesAndItsNeighboursStay)
{
    const Song split =
        *splitClips(song(), {song().tracks[0]->clips[0].id}, {Frames(200000), Frames(400000)}, {});
    const ClipId middle = split.tracks[0]->clips[1].id;
    const Song longer = *stretchClips(split, {middle}, {.material = Material::Hits, .ratio = 1.25});
    for (const auto& track : longer.tracks) {
        const auto& clips = track->clips;
        const auto stretched = std::ranges::find_if(clips, [](const Clip& clip) {
            return clip.sound.treatment != nullptr;
        });
        ASSERT_NE(stretched, clips.end());
        EXPECT_NEAR(stretchedBy(*stretched), 1.25, 1e-3);
        EXPECT_EQ(stretched->sound.treatment, longer.tracks[0]->clips[1].sound.treatment);
        EXPECT_FALSE(stretched->sound.treatment->attacks.empty());
        EXPECT_EQ(clips.front().sound.treatment, nullptr);
        EXPECT_EQ(clips.back().sound.treatment, nullptr);
    }
    // And back: what was there plays again.
    const ClipId id = longer.tracks[0]->clips[1].id;
    const Song back = *stretchClips(longer, {id}, {.ratio = 0.8});
    EXPECT_EQ(back.tracks[3]->clips[1].sound.treatment, nullptr);
}

TEST_F(StretchByHand, PitchIsHeardAndZeroPutsItBack)
{
    const ClipId id = song().tracks[2]->clips[0].id;
    const Song higher = *stretchClips(song(), {id}, {.semitones = 3.5, .material = Material::Hits});
    EXPECT_EQ(treatmentOf(higher.tracks[0]->clips[0]).semitones, 3.5);
    EXPECT_EQ(higher.tracks[0]->clips[0].length, song().tracks[0]->clips[0].length);
    AudioBuffer sound(1, Frames(4800));
    ASSERT_TRUE(renderClips(higher.tracks[2]->clips, sources(), Frames(100000), sound));
    const Song back = *stretchClips(higher, {id}, {.semitones = 0.0});
    EXPECT_EQ(back.tracks[0]->clips[0].sound.treatment, nullptr);
}

TEST_F(StretchByHand, ValuesThatCannotBeAreRefused)
{
    const ClipChoice choice{song().tracks[0]->clips[0].id};
    EXPECT_FALSE(stretchClips(song(), choice, {.semitones = 25.0}));
    EXPECT_FALSE(stretchClips(song(), choice, {.semitones = std::nan("")}));
    EXPECT_FALSE(stretchClips(song(), choice, {.ratio = 0.0}));
    EXPECT_FALSE(stretchClips(song(), choice, {.ratio = 1000.0}));
    EXPECT_FALSE(stretchClips(song(), choice, {.semitones = 2.0, .material = Material::Tape}));
    EXPECT_FALSE(stretchClips(song(), {}, {.ratio = 1.1}));
    EXPECT_FALSE(stretchClips(song(), choice, {}));
}

TEST_F(StretchByHand, ALoopIsFittedToTheSongsTempoAndItsFirstBeatFallsOnABeat)
{
    Song other = song();
    other.tempo = *TempoMap::steady(100.0, {}, Seconds(0.25));
    const ClipId loop = other.tracks[0]->clips[0].id;
    const Frames firstBeat = toFrames(song().tempo.firstDownbeat(), song().rate);
    const double was = song().tempo.tempi().front().bpm;
    const Song made = *fitLoop(other, loop, was, firstBeat, Material::Hits);
    for (const auto& track : made.tracks) {
        const Clip& clip = track->clips[0];
        EXPECT_NEAR(stretchedBy(clip), was / 100.0, 1e-4);
        const Frames heard = clip.sound.soundTimeOf(firstBeat) + clip.offset();
        const double beat = made.tempo.beatsAt(toSeconds(heard, made.rate)).count();
        EXPECT_NEAR(beat, std::round(beat), 1e-3);
    }
    // Again, it is stretched anew, not on top.
    const Song again = *fitLoop(made, loop, was, firstBeat, Material::Hits);
    EXPECT_NEAR(stretchedBy(again.tracks[0]->clips[0]), was / 100.0, 1e-4);
    EXPECT_FALSE(fitLoop(other, loop, 0.0, firstBeat, Material::Hits));
    EXPECT_FALSE(fitLoop(other, ClipId{9999}, 100.0, firstBeat, Material::Hits));
}

TEST(Strain, IsToldBetweenPinsAndAFlamIsCountedWithWhatFollows)
{
    const auto map = *TimeMap::through(
        {{Frames(0), Frames(0)},
         {Frames(48000), Frames(60000)},
         {Frames(48400), Frames(60900)},
         {Frames(96000), Frames(108000)}}
    );
    const auto spans = strainOf(map, Hertz(48000.0));
    ASSERT_EQ(spans.size(), 2U);
    EXPECT_DOUBLE_EQ(spans[0].ratio, 1.25);
    EXPECT_EQ(spans[1].from, Frames(60000));
    EXPECT_DOUBLE_EQ(spans[1].ratio, 1.0);
    EXPECT_TRUE(strainOf(TimeMap(), Hertz(48000.0)).empty());
}

TEST(MaterialGuess, TellsDrumsFromAVoiceFromChords)
{
    const auto guess = [](const Channel& channel) {
        return guessMaterial(channel, Hertz(48000.0))->material;
    };
    const Sources& kit = *testkit::markedKit().sources;
    for (const std::size_t m : {0U, 2U, 5U}) {
        const TakeId take = testkit::markedKit().song.takes[m].id;
        EXPECT_EQ(guess(kit.channel(take, 0)), Material::Hits) << m;
    }
    const auto voice = testkit::sing({});
    EXPECT_EQ(guess(channelOver(voice.sound.channel(0))), Material::Line);
    const AudioBuffer chords = testkit::soundOf(8.0, [](std::int64_t n) {
        const double time = static_cast<double>(n) / 48000.0;
        const double within = std::fmod(time, 2.0);
        double value = 0.0;
        for (const double hertz : {196.0, 246.9, 293.7, 370.0}) {
            value += std::sin(6.2832 * hertz * time) * std::min(within / 0.05, 1.0);
        }
        return 0.1 * value;
    });
    EXPECT_EQ(guess(channelOver(chords.channel(0))), Material::Blend);
}

}  // namespace
}  // namespace orthochron
