#include <gtest/gtest.h>

#include "core/edits/ClipValues.h"
#include "core/edits/MarkEdits.h"
#include "core/edits/SectionEdits.h"
#include "core/edits/StepEdits.h"
#include "core/edits/VariantEdits.h"
#include "core/render/Render.h"
#include "testkit/MarkedKit.h"

// Single steps, ways of fitting side by side, and sections, on a drummer whose hits are known.
namespace orthochron {
namespace {

class Passages : public testing::Test {
protected:
    [[nodiscard]] const std::vector<Clip>& clips(const Song& song, std::size_t track = 0) const
    {
        return song.tracks[track]->clips;
    }
    [[nodiscard]] Frames startOf(int bar) const
    {
        return toFrames(kit_.song.tempo.timeAt(kit_.song.tempo.startOfBar(bar)), kit_.song.rate);
    }

    const testkit::MarkedKit& kit_ = testkit::markedKit();
    StepScope all_{kit_.set, std::nullopt};
};

TEST_F(Passages, CutsALeadInBeforeEachHitAndSoundsAsBefore)
{
    const auto cut = cutAtHits(kit_.song, all_, Frames(192), {});
    ASSERT_TRUE(cut) << cut.error().message;

    const auto hits = hitsOf(kit_.song, kit_.song.sets[0]).hits;
    EXPECT_GT(clips(*cut).size(), hits.size() / 2);
    for (const auto& track : cut->tracks) {
        EXPECT_EQ(track->clips.size(), clips(*cut).size());
    }
    AudioBuffer before(1, Frames(96000));
    AudioBuffer after(1, Frames(96000));
    ASSERT_TRUE(renderClips(clips(kit_.song, 3), *kit_.sources, Frames(48000), before));
    ASSERT_TRUE(renderClips(clips(*cut, 3), *kit_.sources, Frames(48000), after));
    for (std::size_t i = 0; i < 96000; ++i) {
        ASSERT_NEAR(before.channel(0)[i], after.channel(0)[i], 2e-6) << i;
    }
}

TEST_F(Passages, FitsClipsCutByHandByTheirFirstMark)
{
    const Song cut = *cutAtHits(kit_.song, all_, Frames(192), {});
    FitRequest request;
    request.fit = {.drift = 1.0, .feel = 1.0, .stray = 1.0};

    const auto fitted = fitClips(cut, kit_.set, {}, request);

    ASSERT_TRUE(fitted) << fitted.error().message;
    const Grid grid(kit_.song.tempo, {});
    int onLine = 0;
    int all = 0;
    for (const Clip& clip : clips(fitted->song)) {
        for (const PlayedHit& hit : hitsOf(kit_.song, kit_.song.sets[0]).hits) {
            if (hit.start >= clip.soundStart && hit.start < clip.soundStart + clip.length) {
                const Seconds heard = toSeconds(hit.start + clip.offset(), kit_.song.rate);
                const Seconds off = heard - grid.nearest(heard).time;
                onLine += std::abs(off.count()) < 0.0003 ? 1 : 0;
                ++all;
                break;
            }
        }
    }
    // What is attached to a main hit (flams, rolls) keeps its distance from the line.
    const int mains = previewFit(kit_.song, kit_.set, request)->moves.figures.mains;
    EXPECT_LT(mains, all);
    EXPECT_GE(onLine, mains * 95 / 100);
    EXPECT_EQ(clips(fitted->song).back().end(), clips(cut).back().end());
    for (std::size_t i = 1; i < clips(fitted->song).size(); ++i) {
        EXPECT_GE(clips(fitted->song)[i - 1].end(), clips(fitted->song)[i].at);
    }
}

TEST_F(Passages, FitsTheChosenClipsAloneAndKeepsAllOthers)
{
    const Song cut = *cutAtHits(kit_.song, all_, Frames(192), {});
    FitRequest request;
    request.fit = {.drift = 1.0, .feel = 1.0, .stray = 1.0};
    const ClipChoice chosen{clips(cut)[10].id, clips(cut)[11].id};

    const auto fitted = fitClips(cut, kit_.set, chosen, request);

    ASSERT_TRUE(fitted) << fitted.error().message;
    int moved = 0;
    for (const Clip& before : clips(cut, 4)) {
        const auto after = std::ranges::find(clips(fitted->song, 4), before.id, &Clip::id);
        ASSERT_NE(after, clips(fitted->song, 4).end());
        moved += after->offset() != before.offset() ? 1 : 0;
    }
    EXPECT_GE(moved, 1);
    EXPECT_LE(moved, 2);
    EXPECT_GT(fitted->kept, 40);
}

TEST_F(Passages, ClosesGapsFromTheSpareAsFarAsAsked)
{
    const Song cut = *cutAtHits(kit_.song, all_, Frames(192), {});
    const ClipId third = clips(cut)[3].id;
    const Song holed = *trimClips(cut, {third}, Edge::Start, Frames(2400), {});
    ASSERT_GT(clips(holed)[3].at, clips(holed)[2].end());

    const auto partly = closeGaps(holed, all_, Frames(1000), {});
    ASSERT_TRUE(partly);
    EXPECT_EQ(clips(*partly)[3].at, clips(holed)[3].at - Frames(1000));
    const auto whole = closeGaps(holed, all_, Frames(4800), {});
    ASSERT_TRUE(whole);
    EXPECT_LE(clips(*whole)[3].at, clips(*whole)[2].end());
    EXPECT_FALSE(closeGaps(cut, all_, Frames(4800), {}));
    const StepScope elsewhere{kit_.set, Span{startOf(5), startOf(6)}};
    EXPECT_FALSE(closeGaps(holed, elsewhere, Frames(4800), {}));
}

TEST_F(Passages, ShortensLongOverlapsAndMovesJoinsOfASpanAlone)
{
    const Song fitted = fitSet(kit_.song, kit_.set, {}, *kit_.sources)->song;
    const auto& set = fitted.sets[0];
    const auto joins = joinsOf(fitted, set);
    const auto longer = changeJoins(fitted, kit_.set, {joins[4].id}, {.length = Frames(1200)});
    ASSERT_TRUE(longer);
    ASSERT_GT(joinsOf(*longer, set)[4].length, Frames(600));

    const auto shorter = shortenOverlaps(*longer, all_, Frames(600), {});
    ASSERT_TRUE(shorter);
    EXPECT_EQ(joinsOf(*shorter, set)[4].length, Frames(240));

    const StepScope bars{kit_.set, Span{startOf(3), startOf(4)}};
    const auto moved = changeJoinsWithin(fitted, bars, {.atBy = Frames(-48)});
    ASSERT_TRUE(moved);
    const auto after = joinsOf(*moved, set);
    for (std::size_t i = 0; i < joins.size(); ++i) {
        const bool isWithin = joins[i].at >= bars.within->from && joins[i].at < bars.within->to;
        EXPECT_LE(after[i].at, joins[i].at);
        EXPECT_GE(after[i].at, joins[i].at - Frames(isWithin ? 48 : 0));
    }
}

TEST_F(Passages, PutsJoinsSoLongBeforeTheirAttack)
{
    const Song fitted = fitSet(kit_.song, kit_.set, {}, *kit_.sources)->song;

    const auto moved = changeJoins(fitted, kit_.set, {}, {.beforeHit = Frames(480)});

    ASSERT_TRUE(moved);
    int exact = 0;
    const auto joins = joinsOf(*moved, fitted.sets[0]);
    for (const SetJoin& join : joins) {
        const auto attack = nextAttack(hitsOf(*moved, fitted.sets[0]), join);
        ASSERT_TRUE(attack);
        exact += *attack - (join.at + join.length) == Frames(480) ? 1 : 0;
    }
    EXPECT_GT(exact, static_cast<int>(joins.size()) * 8 / 10);
}

TEST_F(Passages, SaysHowFarAJoinReachesAndStopsThere)
{
    const Song fitted = fitSet(kit_.song, kit_.set, {}, *kit_.sources)->song;
    const SetJoin join = joinsOf(fitted, fitted.sets[0])[6];
    const auto room = roomOf(fitted, kit_.set, join.id);
    ASSERT_TRUE(room);
    EXPECT_LT(room->from, join.at);
    EXPECT_GT(room->to, join.at + join.length);

    const auto wide = changeJoin(fitted, kit_.set, join.id, {.length = Frames(10'000'000)});

    ASSERT_TRUE(wide);
    const SetJoin most = joinsOf(*wide, fitted.sets[0])[6];
    EXPECT_EQ(most.at, room->from);
    EXPECT_EQ(most.at + most.length, room->to);
    const auto bent = changeJoin(fitted, kit_.set, join.id, {.middle = 0.8F});
    EXPECT_EQ(joinsOf(*bent, fitted.sets[0])[6].fadeMiddle, 0.8F);
}

TEST_F(Passages, KeepsTwoWaysOfAPassageAndSwitchesOnlyThere)
{
    const Song loose = fitSet(kit_.song, kit_.set, {}, *kit_.sources)->song;
    const Song kept = *keepVariant(loose, kit_.set, BarRange{3, 4});
    FitRequest tight;
    tight.fit = {.drift = 1.0, .feel = 1.0, .stray = 1.0};
    const Song other = fitSet(kept, kit_.set, tight, *kit_.sources)->song;

    const auto back = nextVariant(other, kit_.set);

    ASSERT_TRUE(back) << back.error().message;
    const auto soundAt = [&](const Song& song, Frames from) {
        AudioBuffer sound(1, Frames(2000));
        EXPECT_TRUE(renderClips(clips(song, 2), *kit_.sources, from, sound));
        return std::vector<float>(sound.channel(0).begin(), sound.channel(0).end());
    };
    const Frames inside = startOf(4);
    const Frames outside = startOf(6);
    EXPECT_EQ(soundAt(*back, inside), soundAt(loose, inside));
    EXPECT_EQ(soundAt(*back, outside), soundAt(other, outside));
    EXPECT_EQ(back->sets[0].variantName, "version 1");
    const auto again = nextVariant(*back, kit_.set);
    ASSERT_TRUE(again);
    EXPECT_EQ(soundAt(*again, inside), soundAt(other, inside));
    EXPECT_EQ(again->sets[0].variantName, "version 2");
    EXPECT_TRUE(dropVariants(*again, kit_.set)->sets[0].variants.empty());
    EXPECT_FALSE(nextVariant(loose, kit_.set));
    EXPECT_FALSE(keepVariant(loose, SetId{999}));
}

TEST_F(Passages, KeepsClipsChangedByHandWhenItFitsAgain)
{
    const Song fitted = fitSet(kit_.song, kit_.set, {}, *kit_.sources)->song;
    const ClipId clip = clips(fitted)[8].id;
    Song changed = *reverseClips(fitted, {clip}, {});
    changed = *slipClips(changed, {clips(fitted)[12].id}, Frames(300), {});
    const HandChanges changes = handChanges(changed, changed.sets[0]);
    EXPECT_EQ(changes.clips.size(), 2U);
    FitRequest tight;
    tight.fit = {.drift = 1.0, .feel = 1.0, .stray = 1.0};

    const auto again = fitSet(changed, kit_.set, tight, *kit_.sources);
    ASSERT_TRUE(again) << again.error().message;
    EXPECT_EQ(again->byHand, 2);
    EXPECT_EQ(std::ranges::count_if(clips(again->song, 5), &Clip::isReversed), 1);
    EXPECT_NE(sentenceOf(*again).find("2 edited clips kept"), std::string::npos);

    tight.replacesHand = true;
    const auto replaced = fitSet(changed, kit_.set, tight, *kit_.sources);
    ASSERT_TRUE(replaced);
    EXPECT_EQ(std::ranges::count_if(clips(replaced->song), &Clip::isReversed), 0);
    EXPECT_TRUE(handChanges(replaced->song, replaced->song.sets[0]).isEmpty());
}

TEST_F(Passages, RefusesToFitALockedTrack)
{
    const Song locked = *lockTracks(kit_.song, {kit_.song.tracks[1]->id}, true);
    EXPECT_FALSE(fitSet(locked, kit_.set, {}, *kit_.sources));
    EXPECT_FALSE(fitClips(locked, kit_.set, {}, {}));
    EXPECT_FALSE(cutAtHits(locked, all_, Frames(10), {}));
}

TEST(Sections, NeverOverlapAndKeepTheirIdentity)
{
    Song song = *addSection(Song{}, "chorus", {9, 16});
    song = *addSection(song, "verse", {1, 8});

    ASSERT_EQ(song.sections.size(), 2U);
    EXPECT_EQ(song.sections[0].name, "verse");
    EXPECT_EQ(sectionAt(song, 9)->name, "chorus");
    EXPECT_EQ(sectionAt(song, 17), nullptr);
    EXPECT_FALSE(addSection(song, "bridge", {8, 9}));
    EXPECT_FALSE(addSection(song, "", {20, 21}));
    EXPECT_FALSE(addSection(song, "x", {21, 20}));
    const SectionId verse = song.sections[0].id;
    const Song renamed = *changeSection(song, verse, "intro", {1, 4});
    EXPECT_EQ(sectionAt(renamed, 2)->id, verse);
    EXPECT_EQ(sectionAt(renamed, 6), nullptr);
    EXPECT_FALSE(changeSection(song, verse, "intro", {1, 12}));
    EXPECT_EQ(removeSection(song, verse)->sections.size(), 1U);
    EXPECT_FALSE(removeSection(song, SectionId{999}));
}

}  // namespace
}  // namespace orthochron
