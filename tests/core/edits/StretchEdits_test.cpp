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
    // A hit put 40 ms before the next, so that little is left between them.
    struct Strained {
        Song song;
        Frames target;
        Frames next;
    };
    [[nodiscard]] Strained withLittleLeftAfter(std::size_t hit) const
    {
        const FitPreview hits = preview(song());
        const Frames next = hits.performance.hits[hit + 1].played.beatPoint;
        const Frames target = next - toFrames(milliseconds(40.0), song().rate);
        return {
            *moveHitsByStretching(song(), set(), hits, {{hit, target}}, Material::Hits, sources()),
            target,
            next};
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
        moveHitsByStretching(song(), set(), hits, {{moved, target}}, Material::Hits, sources());
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
    const auto back = moveHitsByStretching(
        fitted,
        set(),
        *previewFit(fitted, set(), request),
        {{moved, std::nullopt}},
        Material::Hits,
        sources()
    );
    EXPECT_EQ(heardAt(*back, from), previewFit(song(), set(), request)->moves.hits[moved].target);
}

TEST_F(StretchByHand, HitsOfAPassageMoveAsOneOrAreDrawnOutAndTheRestStays)
{
    const FitPreview hits = preview(song());
    const auto& played = hits.performance.hits;
    const std::size_t first = someHit(hits);
    const Span within{
        played[first].played.beatPoint - Frames(10),
        played[first].played.beatPoint + toFrames(Seconds(1.2), song().rate)};
    const auto isInside = [&](std::size_t i) {
        const Frames at = played[played[i].main].played.beatPoint;
        return at >= within.from && at < within.to;
    };
    const Frames by = toFrames(milliseconds(12.0), song().rate);
    const auto moved = movedAlong(song(), set(), hits, within, by);
    ASSERT_GT(moved.size(), 2U);
    const auto next = moveHitsByStretching(song(), set(), hits, moved, Material::Hits, sources());
    ASSERT_TRUE(next) << next.error().message;
    for (std::size_t i = 0; i < played.size(); ++i) {
        const Frames at = played[i].played.beatPoint;
        EXPECT_EQ(heardAt(*next, at), isInside(i) ? at + by : at) << i;
    }
    const auto drawn = drawnOutWithin(song(), set(), hits, within, within.from, 1.02);
    const auto longer = moveHitsByStretching(song(), set(), hits, drawn, Material::Hits, sources());
    ASSERT_TRUE(longer) << longer.error().message;
    for (const HitMove& move : drawn) {
        const Frames at = played[move.hit].played.beatPoint;
        const double away = 1.02 * static_cast<double>((at - within.from).count());
        EXPECT_NEAR(static_cast<double>((heardAt(*longer, at) - within.from).count()), away, 1.5);
    }
}

TEST_F(StretchByHand, NeighboursLeftFreeYieldInProportionUpToWhatIsPinnedByHand)
{
    const FitPreview hits = preview(song());
    const auto& played = hits.performance.hits;
    const std::size_t middle = someHit(hits);
    // Two hits put by hand, one on either side.
    std::size_t before = middle - 6;
    std::size_t after = middle + 6;
    while (played[before].role != HitRole::Main) {
        --before;
    }
    while (played[after].role != HitRole::Main) {
        ++after;
    }
    const auto pinned = moveHitsByStretching(
        song(),
        set(),
        hits,
        {{before, played[before].played.beatPoint}, {after, played[after].played.beatPoint}},
        Material::Hits,
        sources()
    );
    ASSERT_TRUE(pinned) << pinned.error().message;
    const FitPreview now = preview(*pinned);
    const Frames was = played[middle].played.beatPoint;
    const Frames by = toFrames(milliseconds(20.0), song().rate);
    const auto free = movedFreely(*pinned, set(), now, middle, was + by);
    ASSERT_GT(free.size(), 3U);
    const auto next = moveHitsByStretching(*pinned, set(), now, free, Material::Hits, sources());
    ASSERT_TRUE(next) << next.error().message;
    EXPECT_NEAR(static_cast<double>((heardAt(*next, was) - was - by).count()), 0.0, 1.0);
    for (const std::size_t fixed : {before, after, std::size_t{0}, played.size() - 1}) {
        const Frames at = played[fixed].played.beatPoint;
        EXPECT_NEAR(static_cast<double>((heardAt(*next, at) - at).count()), 0.0, 1.0) << fixed;
    }
    for (const HitMove& move : free) {
        const Frames way = *move.target - played[move.hit].played.beatPoint;
        EXPECT_GE(way, Frames(0));
        EXPECT_LE(way, by);
    }
}

TEST_F(StretchByHand, AHitIsNeverPulledPastItsNeighbourNorAnAttachedOneAlone)
{
    const FitPreview hits = preview(song());
    const std::size_t moved = someHit(hits);
    const Frames beyond = hits.performance.hits[moved + 1].played.beatPoint + Frames(10);
    EXPECT_FALSE(
        moveHitsByStretching(song(), set(), hits, {{moved, beyond}}, Material::Hits, sources())
    );
    const auto attached =
        std::ranges::find(hits.performance.hits, HitRole::Attached, &JudgedHit::role);
    ASSERT_NE(attached, hits.performance.hits.end());
    const auto place = static_cast<std::size_t>(attached - hits.performance.hits.begin());
    EXPECT_FALSE(moveHitsByStretching(
        song(),
        set(),
        hits,
        {{place, attached->played.beatPoint + Frames(100)}},
        Material::Hits,
        sources()
    ));
}

TEST_F(StretchByHand, TooMuchIsAFinding)
{
    const auto [strained, target, next] = withLittleLeftAfter(someHit(preview(song())));
    const auto findings = *auditSet(strained, set(), sources());
    ASSERT_FALSE(findings.empty());
    EXPECT_TRUE(std::ranges::all_of(findings, [](const Finding& finding) {
        return finding.kind == FindingKind::Strain;
    }));
    EXPECT_TRUE(std::ranges::any_of(findings, [&](const Finding& finding) {
        return finding.value < 0.7 && finding.at > target && finding.at < next;
    }));
}

TEST_F(StretchByHand, WhatWouldHelpIsSaidOfTheClipTheStrainLiesIn)
{
    const auto [strained, target, next] = withLittleLeftAfter(someHit(preview(song())));
    const auto findings = *auditSet(strained, set(), sources());
    int helped = 0;
    for (const Finding& finding : findings) {
        const auto relief = reliefAt(strained, *strained.set(set()), finding);
        if (relief && finding.at > target && finding.at < next) {
            ++helped;
            EXPECT_NE(relief->ratio, 1.0);
        }
        Finding other = finding;
        other.kind = FindingKind::Click;
        EXPECT_FALSE(reliefAt(strained, *strained.set(set()), other));
        other = finding;
        other.at = Frames(-5);
        EXPECT_FALSE(reliefAt(strained, *strained.set(set()), other));
        EXPECT_FALSE(reliefAt(song(), *song().set(set()), finding));
    }
    EXPECT_GT(helped, 0);
}

TEST_F(StretchByHand, SplicesAreJoinsWithinWhatIsHeard)
{
    const FitPreview hits = preview(song());
    const std::size_t moved = someHit(hits);
    const Frames at = hits.performance.hits[moved].played.beatPoint;
    const Song stretched = *moveHitsByStretching(
        song(), set(), hits, {{moved, at + Frames(900)}}, Material::Hits, sources()
    );
    const auto joins = splicesOf(stretched, *stretched.set(set()), sources());
    ASSERT_TRUE(joins) << joins.error().message;
    ASSERT_FALSE(joins->empty());
    for (const PlannedJoin& join : *joins) {
        EXPECT_NE(join.moveBefore, join.moveAfter);
        EXPECT_GT(join.length, Frames(0));
        EXPECT_GE(join.at, Frames(0));
        EXPECT_LE(join.at + join.length, stretched.length());
    }
    EXPECT_TRUE(std::ranges::is_sorted(*joins, {}, &PlannedJoin::at));
    EXPECT_EQ(joins->front().moveBefore, Frames(0));
    EXPECT_EQ(joins->back().moveAfter, Frames(0));
    EXPECT_TRUE(splicesOf(song(), *song().set(set()), sources())->empty());
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

TEST_F(StretchByHand, ChosenClipsAreDrawnOutAsOneAboutAnyPlaceAndGoOnTouching)
{
    const Frames length = song().tracks[0]->clips[0].length;
    const Frames cut(length.count() / 3 + 1);
    const Song two = *splitClips(song(), {song().tracks[0]->clips[0].id}, {cut}, {});
    const auto& before = two.tracks[0]->clips;
    ASSERT_EQ(before.size(), 2U);
    const ClipChoice both{before[0].id, before[1].id};
    // By its start: the end stays. One that would begin before the song is refused.
    const Frames end = before[1].end();
    const double ratio = 0.9;
    const auto drawn =
        stretchClips(two, both, {.material = Material::Hits, .ratio = ratio, .about = end});
    ASSERT_TRUE(drawn) << drawn.error().message;
    for (const auto& track : drawn->tracks) {
        const auto& clips = track->clips;
        ASSERT_EQ(clips.size(), 2U);
        EXPECT_EQ(clips[0].at, end - Frames(std::llround((end / Frames(1)) * ratio)));
        EXPECT_GE(clips[0].end(), clips[1].at);
        // What was heard at the cut is heard where the cut now is.
        const Frames heard = clips[1].sound.soundTimeOf(cut) + clips[1].offset();
        const auto wanted =
            static_cast<double>(end.count()) - ratio * static_cast<double>((end - cut).count());
        EXPECT_NEAR(static_cast<double>(heard.count()), wanted, 1.0);
    }
    EXPECT_EQ(drawn->tracks[0]->clips[1].end(), end);
    EXPECT_FALSE(stretchClips(two, both, {.material = Material::Hits, .ratio = 1.1, .about = end}));
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
    EXPECT_FALSE(stretchClips(song(), choice, {.ratio = 0.0499}));
    EXPECT_TRUE(stretchClips(song(), choice, {.material = Material::Hits, .ratio = 0.05}));
    EXPECT_TRUE(stretchClips(song(), choice, {.material = Material::Hits, .ratio = 20.0}));
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

TEST(Strain, WhatHelpsIsSharingItAnotherMaterialOrNeither)
{
    // A second of each span, taken; stretched to these.
    const auto spansOf = [](const std::vector<double>& ratios) {
        std::vector<StrainSpan> spans;
        Frames at;
        for (const double ratio : ratios) {
            const Frames to = at + Frames(std::llround(48000.0 * ratio));
            spans.push_back({at, to, ratio});
            at = to;
        }
        return spans;
    };
    EXPECT_FALSE(reliefOf(spansOf({1.0, 1.2, 1.0}), 1, Material::Hits));
    // Half of it goes to the neighbour that is squeezed already.
    const auto shared = reliefOf(spansOf({1.1, 1.5, 0.9}), 1, Material::Hits);
    ASSERT_TRUE(shared);
    EXPECT_EQ(shared->pins, 1U);
    EXPECT_NEAR(shared->ratio, 1.2, 1e-9);
    EXPECT_FALSE(shared->material);
    // At the end of the song there is one side only; two pins are needed.
    const auto atEnd = reliefOf(spansOf({1.0, 1.0, 1.9}), 2, Material::Hits);
    EXPECT_EQ(atEnd->pins, 2U);
    EXPECT_NEAR(atEnd->ratio, 1.3, 1e-9);
    // Hits bear what a blend does not.
    EXPECT_EQ(reliefOf(spansOf({1.0, 1.3, 1.0}), 1, Material::Blend)->material, Material::Hits);
    // Everything is strained: sharing is no help. What was cut apart shares nothing.
    EXPECT_EQ(reliefOf(spansOf({1.7, 1.7, 1.7, 1.7, 1.7}), 2, Material::Hits)->pins, 0U);
    auto apart = spansOf({1.0, 1.6, 1.0});
    apart[0].to -= Frames(1);
    apart[2].from += Frames(1);
    EXPECT_EQ(reliefOf(apart, 1, Material::Line)->pins, 0U);
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
    // How much of it is one note is told by a curve that is there as by one that is made for it.
    for (const auto& [sound, isOne] : {std::pair(&voice.sound, true), {&chords, false}}) {
        const Channel channel = channelOver(sound->channel(0));
        const auto curve = pitchOf(channel, Hertz(48000.0));
        ASSERT_TRUE(curve);
        const double part = *pitchedPartOf(channel, Hertz(48000.0), *curve);
        EXPECT_NEAR(part, guessMaterial(channel, Hertz(48000.0))->pitched, 0.02);
        EXPECT_EQ(part > 0.7, isOne) << part;
    }
}

}  // namespace
}  // namespace orthochron
