#include <gtest/gtest.h>

#include "core/audit/Unheard.h"
#include "core/demo/KitPerformance.h"
#include "core/edits/MarkEdits.h"
#include "core/edits/TakeEdits.h"
#include "testkit/Folder.h"
#include "testkit/MarkedKit.h"
#include "testkit/Rate.h"

#include <cmath>

namespace orthochron {
namespace {

// What the program finds about marks beyond their starts, on the demo drummer.
class MarkFinding : public testing::Test {
protected:
    const testkit::MarkedKit& kit_ = testkit::markedKit();
};

TEST_F(MarkFinding, NamesTheBlowsThatNoLeadHears)
{
    const auto unheard = findUnheard(kit_.song, kit_.set, *kit_.sources);
    ASSERT_TRUE(unheard);

    // Hats that fall together with no kick or snare are the most of them.
    int right = 0;
    const auto performance = demo::performKit({.bars = 12});
    for (const UnheardHit& hit : *unheard) {
        const double at = toSeconds(hit.at, kit_.song.rate).count();
        right += std::ranges::any_of(performance.hits, [&](const demo::DemoHit& truth) {
            const bool isOther = truth.drum != demo::Drum::Kick && truth.drum != demo::Drum::Snare;
            return isOther && std::abs(truth.played.count() - at) < 0.02;
        });
    }
    EXPECT_GT(unheard->size(), 20U);
    EXPECT_GT(right, static_cast<int>(unheard->size()) * 9 / 10);
    EXPECT_TRUE(std::ranges::is_sorted(*unheard, {}, &UnheardHit::at));
}

TEST_F(MarkFinding, ProposesTheMicrophoneThatHearsADrumFirst)
{
    const auto right = arrivalsOf(kit_.song, kit_.set, *kit_.sources);
    ASSERT_TRUE(right);
    EXPECT_TRUE(proposedLeads(*right).empty());

    // Led by the outer kick microphone instead, the inner one is proposed.
    Song song = *setLead(
        *setLead(kit_.song, kit_.song.tracks[0]->id, false), kit_.song.tracks[1]->id, true
    );
    song = *placeMarks(song, kit_.set, *analyseSet(song, kit_.set, *kit_.sources), {});
    const auto proposed = proposedLeads(*arrivalsOf(song, kit_.set, *kit_.sources));
    ASSERT_EQ(proposed.size(), 2U);
    EXPECT_EQ(proposed[0], song.tracks[0]->id);
    EXPECT_EQ(proposed[1], song.tracks[2]->id);
}

Song flammed(const Song& song, const std::vector<std::pair<Frames, double>>& marks)
{
    Song next = song;
    Track track = *song.tracks[2];
    track.marks.clear();
    for (const auto& [at, strength] : marks) {
        Mark mark;
        mark.id = MarkId{++next.lastId};
        mark.at = at;
        mark.beatPoint = at;
        mark.strength = strength;
        track.marks.push_back(mark);
    }
    putTrack(next, track);
    return next;
}

TEST_F(MarkFinding, MakesOneHitOfAFlamWithItsMainStrokeOnTheLine)
{
    const Song song = flammed(
        kit_.song,
        {{Frames(48000), 0.3}, {Frames(49440), 0.9}, {Frames(96000), 0.8}, {Frames(97440), 0.7}}
    );

    const auto found = findBeatPoints(song, kit_.set, *kit_.sources);

    ASSERT_TRUE(found);
    const auto& marks = found->tracks[2]->marks;
    ASSERT_EQ(marks.size(), 3U);
    EXPECT_EQ(marks[0].at, Frames(48000));
    EXPECT_EQ(marks[0].beatPoint, Frames(49440));
    EXPECT_EQ(marks[0].strength, 0.9);
    EXPECT_EQ(marks[1].beatPoint, marks[1].at);  // two even strokes are no flam
    // A new detection does not put the main stroke beside it again.
    LeadAnalysis analysis;
    analysis.candidates = {
        {{Frames(48000), 0.3}, Frames(48000), 30.0, false, false, 20.0},
        {{Frames(49440), 0.9}, Frames(49440), 30.0, false, false, 20.0}};
    const Song again = *placeMarks(*found, kit_.set, {{found->tracks[2]->id, analysis}}, {});
    EXPECT_EQ(again.tracks[2]->marks.size(), 1U);
    EXPECT_FALSE(findBeatPoints(*found, kit_.set, *kit_.sources));
}

TEST_F(MarkFinding, OfWhatSwellsSlowlyTheBeatPointIsWhereItGrowsFastest)
{
    // A bow that begins at one second and is loudest in its tenth of a second.
    Song song;
    Take take;
    take.name = "bow";
    take.frames = Frames(96000);
    song = *addTakes(song, {{take, false}});
    const auto audio = std::make_shared<AudioBuffer>(testkit::soundOf(2.0, [](std::int64_t frame) {
        const double since = static_cast<double>(frame - 48000) / 48000.0;
        const double level = 0.5 / (1.0 + std::exp(-(since - 0.06) / 0.01));
        return since < 0.0 ? 0.0 : level * std::sin(0.05 * static_cast<double>(frame));
    }));
    Sources sources;
    sources.put(song.takes[0].id, std::make_unique<MemorySource>(audio, kRate));
    const TrackId id = song.tracks[0]->id;
    const SetId set = song.sets[0].id;
    Track track = *song.tracks[0];
    track.marks = {
        {MarkId{70}, Frames(48000), Frames(48000)}, {MarkId{71}, Frames(60000), Frames(60000)}};
    track.marks[1].byHand = true;
    putTrack(song, track);
    EXPECT_FALSE(findBeatPoints(song, set, sources));  // what is struck speaks at once

    OnsetSettings weak;
    weak.way = OnsetWay::Weak;
    const auto found = findBeatPoints(*setDetection(song, id, weak), set, sources);
    ASSERT_TRUE(found) << found.error().message;
    EXPECT_NEAR(
        (found->tracks[0]->marks[0].beatPoint - Frames(48000 + 2880)) / Frames(1), 0.0, 300.0
    );
    EXPECT_EQ(found->tracks[0]->marks[0].at, Frames(48000));
    EXPECT_EQ(found->tracks[0]->marks[1].beatPoint, Frames(60000));
    EXPECT_FALSE(findBeatPoints(*found, set, sources));
    EXPECT_FALSE(findBeatPoints(song, SetId{99999}, sources));
}

TEST_F(MarkFinding, GivesAHitAPlaceOfItsOwnAndTakesItBack)
{
    const TrackId kick = kit_.song.tracks[0]->id;
    const MarkId mark = kit_.song.tracks[0]->marks[3].id;

    const Song asked =
        *setMarksWanted(kit_.song, std::array{WantedPlace{kick, mark, milliseconds(-15.0)}});

    EXPECT_EQ(asked.tracks[0]->marks[3].wanted, milliseconds(-15.0));
    EXPECT_EQ(
        *setMarksWanted(asked, std::array{WantedPlace{kick, mark, {}}})->tracks[0],
        *kit_.song.tracks[0]
    );
    EXPECT_FALSE(setMarksWanted(kit_.song, std::array{WantedPlace{kick, mark, Seconds(5.0)}}));
    EXPECT_NE(fitFingerprint(asked, asked.sets[0]), fitFingerprint(kit_.song, kit_.song.sets[0]));
}

TEST_F(MarkFinding, ShowsTheCurveAThresholdIsSetAgainst)
{
    // Of a microphone alone; among others a strength is of what is its own, the curve of all that is heard.
    const Track& track = *kit_.song.tracks[0];
    const std::vector<HeardMicrophone> alone{
        {kit_.sources->channel(track.markedTake, track.markedChannel), Frames(0), OnsetSettings()}};
    const LeadAnalysis kick = analyseMicrophones(alone, kit_.song.rate)->front();
    int compared = 0;
    for (const OnsetCandidate& candidate : kick.candidates) {
        const double there = kick.strengths.at(kick.strengths.hopOf(candidate.body));
        if (candidate.riseDecibels > 12.0 && candidate.onset.strength > 0.001) {
            EXPECT_NEAR(toDecibels(there), toDecibels(candidate.onset.strength), 0.26);
            ++compared;
        }
    }
    EXPECT_GT(compared, 10);
    EXPECT_EQ(StrengthCurve().at(5), 0.0);
    EXPECT_EQ(kick.strengths.at(-1), 0.0);
}

}  // namespace
}  // namespace orthochron
