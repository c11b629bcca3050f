#include "core/audit/SongAudit.h"

#include <gtest/gtest.h>

#include "core/edits/ClipEdits.h"
#include "core/edits/ClipValues.h"
#include "core/edits/FitEdits.h"
#include "core/edits/JoinEdits.h"
#include "testkit/MarkedKit.h"

// What the program's own check says of a fitted kit, and of one spoiled on purpose.
namespace orthochron {
namespace {

class Auditing : public testing::Test {
protected:
    static const Song& fitted()
    {
        static const Song kFitted =
            fitSet(testkit::markedKit().song, testkit::markedKit().set, {}, sources())->song;
        return kFitted;
    }
    static const Sources& sources() { return *testkit::markedKit().sources; }
    static SetId set() { return testkit::markedKit().set; }
    static PartId joinAt(std::size_t index)
    {
        return joinsOf(fitted(), fitted().sets[0])[index].id;
    }
    // The join put so long before (or, negative, after) the start of the attack after it.
    static Song withJoinBefore(const Song& song, std::size_t index, Frames before, Frames length)
    {
        const SetJoin join = joinsOf(song, song.sets[0])[index];
        const auto attack = nextAttack(hitsOf(song, song.sets[0]), join);
        return *changeJoin(
            song, set(), join.id, {.length = length, .at = *attack - before - length}
        );
    }
    static bool holds(const std::vector<Finding>& findings, FindingKind kind)
    {
        return std::ranges::find(findings, kind, &Finding::kind) != findings.end();
    }
};

TEST_F(Auditing, TheMapOfAnEditSaysWhereEveryRecordedMomentIsHeard)
{
    const EditMap map = editMapOf(fitted(), fitted().sets[0]);
    EXPECT_EQ(map.pieces.size(), fitted().tracks[0]->clips.size());
    EXPECT_EQ(map.joins.size(), joinsOf(fitted(), fitted().sets[0]).size());
    EXPECT_EQ(map.length, fitted().length());
    for (const EditMap::Hit& hit : map.hits) {
        EXPECT_EQ(map.heardAt(hit.start), hit.start + hit.move);
    }
    EXPECT_FALSE(map.heardAt(Frames(-1000)));
}

TEST_F(Auditing, TheFindingsOfOneJoinAreThoseOfTheWholeSetThere)
{
    const auto all = *auditSet(fitted(), set(), sources());
    const auto joins = joinsOf(fitted(), fitted().sets[0]);
    std::size_t counted = 0;
    for (std::size_t i = 0; i < joins.size(); ++i) {
        const auto one = *auditJoin(fitted(), set(), joins[i].id, sources());
        for (const Finding& finding : one) {
            EXPECT_EQ(finding.join, i);
            EXPECT_NE(std::ranges::find(all, finding.at, &Finding::at), all.end());
        }
        counted += one.size();
    }
    EXPECT_EQ(counted, all.size());
}

TEST_F(Auditing, AJoinDrawnIntoAnAttackIsFoundAndWeighed)
{
    const Song spoiled = withJoinBefore(fitted(), 12, Frames(-96), Frames(96));
    const auto found = *auditJoin(spoiled, set(), joinAt(12), sources());
    ASSERT_TRUE(holds(found, FindingKind::CutInAttack));
    for (const Finding& finding : found) {
        EXPECT_GE(finding.microphone, 0);
        EXPECT_LT(finding.microphone, 8);
        EXPECT_GT(finding.loudness, -80.0);
        EXPECT_LT(finding.loudness, 12.0);
    }
}

TEST_F(Auditing, AnAttackPlayedTwiceIsFound)
{
    // The later clip pulled out over the attack that the earlier one already plays.
    const auto joins = joinsOf(fitted(), fitted().sets[0]);
    bool isFound = false;
    for (std::size_t i = 5; i < 30 && !isFound; ++i) {
        const Frames step = joins[i].moveAfter - joins[i].moveBefore;
        if (step < Frames(300)) {
            continue;  // only where the later clip was moved later is there something to repeat
        }
        const auto before = nextAttack(hitsOf(fitted(), fitted().sets[0]), joins[i - 1]);
        const auto moved = changeJoin(
            fitted(), set(), joins[i].id, {.length = Frames(48), .at = *before + Frames(96)}
        );
        isFound = moved &&
                  holds(*auditJoin(*moved, set(), joins[i].id, sources()), FindingKind::DoubleHit);
    }
    EXPECT_TRUE(isFound);
}

TEST_F(Auditing, MendingNeverMakesItWorse)
{
    int mends = 0;
    for (std::size_t index = 4; index < 24; index += 4) {
        const Song spoiled = withJoinBefore(fitted(), index, Frames(-200), Frames(0));
        const auto before = *auditJoin(spoiled, set(), joinAt(index), sources());
        const auto mended = mendJoin(spoiled, set(), joinAt(index), sources());
        if (before.empty() && !mended) {
            continue;  // it was fine there already
        }
        ASSERT_TRUE(mended) << mended.error().message;
        ++mends;
        const auto after = *auditJoin(*mended, set(), joinAt(index), sources());
        EXPECT_LE(after.size(), before.size());
        EXPECT_FALSE(holds(after, FindingKind::CutInAttack)) << index;
        EXPECT_FALSE(holds(after, FindingKind::Click)) << index;
        // All microphones are still joined at the same sample.
        for (const auto& track : mended->tracks) {
            EXPECT_EQ(track->clips[index].at, mended->tracks[0]->clips[index].at);
        }
    }
    EXPECT_GE(mends, 3);
}

TEST_F(Auditing, MendingRefusesWhatIsLockedOrNotThere)
{
    const auto joins = joinsOf(fitted(), fitted().sets[0]);
    const Song locked = *lockJoin(fitted(), set(), joins[3].id, true);
    EXPECT_FALSE(mendJoin(locked, set(), joins[3].id, sources()));
    EXPECT_FALSE(mendJoin(fitted(), set(), PartId{}, sources()));
    EXPECT_FALSE(mendJoin(fitted(), SetId{999}, joins[0].id, sources()));
    EXPECT_FALSE(auditSet(fitted(), SetId{999}, sources()));
}

TEST_F(Auditing, MutedAndReversedPiecesAreNotHeldAgainstTheRecording)
{
    const auto all = *auditSet(fitted(), set(), sources());
    Song changed = *muteClips(fitted(), {fitted().tracks[0]->clips[10].id}, true);
    changed = *reverseClips(changed, {changed.tracks[0]->clips[20].id}, {});
    const auto after = auditSet(changed, set(), sources());
    ASSERT_TRUE(after) << after.error().message;
    for (const Finding& finding : *after) {
        EXPECT_TRUE(
            finding.kind == FindingKind::Dip || finding.kind == FindingKind::Click ||
            finding.kind == FindingKind::CutInAttack
        );
    }
    const EditMap map = editMapOf(changed, changed.sets[0]);
    EXPECT_EQ(std::ranges::count(map.pieces, false, &EditMap::Piece::isPlain), 2);
}

TEST_F(Auditing, StopsWhenItIsStopped)
{
    std::stop_source stop;
    stop.request_stop();
    Work work;
    work.stop = stop.get_token();
    const auto stopped = auditSet(fitted(), set(), sources(), work);
    ASSERT_FALSE(stopped);
    EXPECT_EQ(stopped.error().kind, ErrorKind::Cancelled);
}

}  // namespace
}  // namespace orthochron
