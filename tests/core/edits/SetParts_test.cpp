#include "core/edits/SetParts.h"

#include <gtest/gtest.h>

#include "core/audit/SongAudit.h"
#include "core/edits/ClipEdits.h"
#include "core/edits/JoinEdits.h"
#include "core/edits/MarkEdits.h"
#include "core/edits/Pieces.h"
#include "core/edits/StepEdits.h"
#include "core/edits/TakeEdits.h"
#include "core/render/Render.h"
#include "testkit/MarkedKit.h"

#include <random>

// A performance stays one: takes of unequal length, audio laid elsewhere before it is fitted.
namespace orthochron {
namespace {

// Three microphones of one performance, whose first take ends a frame early and whose last halfway.
class UnequalTakes : public testing::Test {
protected:
    UnequalTakes()
    {
        std::mt19937 random(3);
        std::uniform_real_distribution<float> noise(-0.5F, 0.5F);
        for (const std::int64_t length : {95999, 96000, 60000}) {
            Take take;
            take.name = "take";
            take.frames = Frames(length);
            song_ = *addTakes(song_, {{take, false}});
            AudioBuffer sound(1, take.frames);
            for (float& sample : sound.channel(0)) {
                sample = noise(random);
            }
            sources_.put(
                song_.takes.back().id,
                std::make_unique<MemorySource>(
                    std::make_shared<const AudioBuffer>(std::move(sound)), song_.rate
                )
            );
        }
        song_ = *makeSet(song_, {track(0), track(1), track(2)}, "Kit");
    }
    [[nodiscard]] TrackId track(std::size_t place) const { return song_.tracks[place]->id; }
    [[nodiscard]] static const std::vector<Clip>& clips(const Song& song, std::size_t place)
    {
        return song.tracks[place]->clips;
    }
    // The song cut in four; only the last microphone has nothing in the last part.
    [[nodiscard]] Song quartered() const
    {
        return *splitClips(
            song_,
            {clips(song_, 1)[0].id},
            {Frames(24000), Frames(48000), Frames(72000)},
            {{Frames(0)}}
        );
    }
    // All microphones play the same moments at the same time, wherever they play something of a part.
    static void expectInStep(const Song& song)
    {
        for (Frames moment(0); moment < Frames(95000); moment += Frames(997)) {
            std::map<PartId, Frames> heard;
            for (const auto& each : song.tracks) {
                for (const Piece& piece : takenApart(each->clips)) {
                    if (const auto at = piece.clip.songTimeOf(moment)) {
                        EXPECT_EQ(heard.try_emplace(piece.clip.part, *at).first->second, *at)
                            << moment.count();
                    }
                }
            }
        }
    }

    Song song_;
    Sources sources_;
};

TEST_F(UnequalTakes, ASplitGoesToAllThatPlaySomethingThere)
{
    const Song song = quartered();
    EXPECT_EQ(clips(song, 0).size(), 4U);
    EXPECT_EQ(clips(song, 1).size(), 4U);
    EXPECT_EQ(clips(song, 2).size(), 3U);
    for (std::size_t i = 0; i < 3; ++i) {
        EXPECT_EQ(clips(song, 0)[i].part, clips(song, 1)[i].part);
        EXPECT_EQ(clips(song, 0)[i].part, clips(song, 2)[i].part);
    }
    EXPECT_EQ(clips(song, 0)[3].part, clips(song, 1)[3].part);
    EXPECT_EQ(withTheirSet(song, {clips(song, 2)[1].id}).size(), 3U);
    EXPECT_EQ(partsOf(song, song.sets[0]).size(), 4U);
}

TEST_F(UnequalTakes, MovingTheLastPartMovesItOnEveryMicrophone)
{
    const Song song = *moveClips(quartered(), {clips(quartered(), 1)[3].id}, Frames(5000), {});
    EXPECT_EQ(clips(song, 0)[3].at, Frames(77000));
    EXPECT_EQ(clips(song, 1)[3].at, Frames(77000));
    expectInStep(song);
}

TEST_F(UnequalTakes, DeletingWithRippleKeepsThemInStep)
{
    const Song cut = quartered();
    HandSettings ripple{{Frames(0)}, true};
    // The part one microphone has the least of.
    const Song song = *deleteClips(cut, {clips(cut, 0)[2].id}, ripple);
    EXPECT_EQ(clips(song, 0).back().at, Frames(48000));
    EXPECT_EQ(clips(song, 1).back().at, Frames(48000));
    expectInStep(song);
    // A part the last microphone has nothing of: what it has later moves all the same.
    Song copied = *layCopies(cut, *copyOf(cut, {clips(cut, 0)[0].id}), Frames(96000), 1, ripple);
    ASSERT_EQ(clips(copied, 2).size(), 4U);
    copied = *deleteClips(copied, {clips(copied, 0)[3].id}, ripple);
    EXPECT_EQ(clips(copied, 2).back().at, Frames(72000));
    EXPECT_EQ(clips(copied, 1).back().at, Frames(72000));
}

TEST_F(UnequalTakes, TrimmingWithRippleKeepsThemInStep)
{
    const Song cut = quartered();
    const HandSettings ripple{{Frames(0)}, true};
    for (const Edge edge : {Edge::Start, Edge::End}) {
        const Frames by(edge == Edge::Start ? 3000 : -3000);
        const Song song =
            *trimClips(cut, {clips(cut, 2)[1].id, clips(cut, 2)[0].id}, edge, by, ripple);
        EXPECT_EQ(clips(song, 0)[2].at, Frames(42000));
        expectInStep(song);
        // What the hand has drawn in it draws out again.
        const Song back =
            *trimClips(song, {clips(song, 0)[1].id, clips(song, 0)[0].id}, edge, -by, ripple);
        EXPECT_EQ(clips(back, 1)[2].at, Frames(48000));
        EXPECT_EQ(clips(back, 1)[1].soundStart, Frames(24000));
    }
}

TEST_F(UnequalTakes, TheEndOfAPartIsTrimmedAtOnePlace)
{
    // The longest two end within a frame of each other: both end where the hand put it.
    const Song song = *trimClips(song_, {clips(song_, 0)[0].id}, Edge::End, Frames(-1000), {});
    EXPECT_EQ(clips(song, 0)[0].end(), Frames(95000));
    EXPECT_EQ(clips(song, 1)[0].end(), Frames(95000));
    EXPECT_EQ(clips(song, 2)[0].end(), Frames(60000));
    // And only the spare of those that reach it counts.
    EXPECT_EQ(
        clips(*trimClips(song, {clips(song, 0)[0].id}, Edge::End, Frames(500), {}), 0)[0].end(),
        Frames(95500)
    );
}

TEST_F(UnequalTakes, ReversedTheyAreStillInStep)
{
    const Song song = *reverseClips(song_, {clips(song_, 1)[0].id}, {});
    EXPECT_EQ(
        clips(song, 0)[0].at, Frames(1)
    );  // it ended a frame early, so it begins a frame late
    EXPECT_EQ(clips(song, 2)[0].at, Frames(36000));
    expectInStep(song);
    EXPECT_EQ(clips(*reverseClips(song, {clips(song, 0)[0].id}, {}), 0)[0].at, Frames(0));
}

TEST_F(UnequalTakes, AJoinIsMovedOnAllOfThemEvenWhereOneTakeEnds)
{
    Song song = *splitClips(song_, {clips(song_, 1)[0].id}, {Frames(40000), Frames(59990)}, {});
    song = *slipClips(song, {clips(song, 1)[1].id}, Frames(50), {});
    const auto joins = joinsOf(song, song.sets[0]);
    ASSERT_EQ(joins.size(), 2U);
    for (const std::int64_t by : {-300, 200}) {
        const Song moved = *changeJoin(song, song.sets[0].id, joins[1].id, {.atBy = Frames(by)});
        const auto after = joinsOf(moved, moved.sets[0]);
        ASSERT_EQ(after.size(), 2U);
        EXPECT_EQ(after[1].at, joins[1].at + Frames(by));
        EXPECT_EQ(after[1].id, joins[1].id);
        expectInStep(moved);
    }
    EXPECT_FALSE(changeJoin(song, song.sets[0].id, PartId{99999}, {}));
}

TEST_F(UnequalTakes, AJoinReachesAsFarAsTheMicrophoneThatHasLeast)
{
    // The last one was switched on late, and its take ends early.
    Track late = *song_.tracks[2];
    late.clips[0].at = Frames(20000);
    late.clips[0].length = Frames(38000);
    Song song = song_;
    putTrack(song, late);
    song = *splitClips(song, {clips(song, 1)[0].id}, {Frames(30000)}, {{Frames(0)}});
    song = *slipClips(song, {clips(song, 1)[1].id}, Frames(100), {{Frames(0)}});
    const SetId set = song.sets[0].id;
    const auto joins = joinsOf(song, song.sets[0]);
    ASSERT_EQ(joins.size(), 1U);
    const auto room = roomOf(song, set, joins[0].id);
    ASSERT_TRUE(room);
    EXPECT_EQ(room->from, Frames(20100));
    EXPECT_TRUE(room->spareEndsLeft);
    EXPECT_EQ(room->to, clips(song, 2)[1].end());
    EXPECT_FALSE(room->spareEndsRight);
    const Song furthest = *changeJoin(song, set, joins[0].id, {.at = Frames(5000)});
    EXPECT_EQ(joinsOf(furthest, furthest.sets[0])[0].at, Frames(20100));
    for (const std::size_t t : {0U, 1U, 2U}) {
        EXPECT_EQ(clips(furthest, t)[1].at, Frames(20100)) << t;
        EXPECT_EQ(clips(furthest, t)[1].offset(), clips(song, t)[1].offset()) << t;
    }
}

TEST_F(UnequalTakes, AJoinThatIsMovedLeavesWhatWasLaidBetweenOnOneMicrophone)
{
    // The last microphone has a clip of its own where the others join, crossfaded with what follows.
    Song song = quartered();
    song = *slipClips(song, {clips(song, 1)[1].id}, Frames(900), {{Frames(0)}});
    Track own = *song.tracks[2];
    Clip between = own.clips[1];
    own.clips[0].length = Frames(20000);
    own.clips[1].at += Frames(4000);
    own.clips[1].soundStart += Frames(4000);
    own.clips[1].length -= Frames(4000);
    between.id = ClipId{++song.lastId};
    between.part = PartId{++song.lastId};
    between.at = Frames(21000);
    between.soundStart = Frames(50000);
    between.length = Frames(7100);
    between.out.length = Frames(100);
    own.clips[1].in.length = Frames(100);
    own.clips.insert(own.clips.begin() + 1, between);
    putTrack(song, own);
    const auto joins = joinsOf(song, song.sets[0]);
    const auto join = std::ranges::find(joins, clips(song, 1)[1].part, &SetJoin::id);
    ASSERT_NE(join, joins.end());
    for (const std::int64_t by : {-400, -3000, 500}) {
        const auto moved = changeJoin(song, song.sets[0].id, join->id, {.atBy = Frames(by)});
        ASSERT_TRUE(moved) << moved.error().message;
        EXPECT_NE(clips(*moved, 0), clips(song, 0));
        EXPECT_EQ(clips(*moved, 2), clips(song, 2)) << by;
    }
}

TEST_F(UnequalTakes, JoinsTheFirstMicrophoneDoesNotHaveAreJoinsToo)
{
    Song other = song_;
    std::swap(other.tracks[0], other.tracks[2]);
    std::swap(other.sets[0].tracks[0], other.sets[0].tracks[2]);
    Song song = *splitClips(other, {clips(other, 1)[0].id}, {Frames(70000)}, {});
    song = *slipClips(song, {clips(song, 1)[1].id}, Frames(120), {});
    EXPECT_EQ(joinsOf(song, song.sets[0]).size(), 1U);
    EXPECT_EQ(editMapOf(song, song.sets[0]).joins.size(), 1U);
}

TEST_F(UnequalTakes, APartHoldsItsFirstMomentAndNotThatAfterItsLast)
{
    const Song song = *deleteClips(quartered(), {clips(quartered(), 1)[2].id}, {});
    const auto parts = partsOf(song, song.sets[0]);
    ASSERT_EQ(parts.size(), 3U);
    EXPECT_EQ(partHolding(parts, Frames(0)), &parts[0]);
    EXPECT_EQ(partHolding(parts, Frames(23999)), &parts[0]);
    EXPECT_EQ(partHolding(parts, Frames(24000)), &parts[1]);
    EXPECT_EQ(partHolding(parts, Frames(47999)), &parts[1]);
    EXPECT_EQ(partHolding(parts, Frames(48000)), nullptr);
    EXPECT_EQ(partHolding(parts, Frames(71999)), nullptr);
    EXPECT_EQ(partHolding(parts, Frames(72000)), &parts[2]);
    EXPECT_EQ(partHolding(parts, Frames(95999)), &parts[2]);
    EXPECT_EQ(partHolding(parts, Frames(96000)), nullptr);
    EXPECT_EQ(partHolding(parts, Frames(-1)), nullptr);
}

TEST_F(UnequalTakes, FittingClipsMovesThePartOnAll)
{
    Song song = *setLead(song_, track(1), true);
    song = *addMark(song, track(1), Frames(24100));
    song = *addMark(song, track(1), Frames(71000));
    song = *splitClips(song, {clips(song, 1)[0].id}, {Frames(24000), Frames(70900)}, {});
    const auto fitted =
        fitClips(song, song.sets[0].id, {}, {.fit = {.drift = 1.0, .feel = 1.0, .stray = 1.0}});
    ASSERT_TRUE(fitted) << fitted.error().message;
    EXPECT_NE(clips(fitted->song, 1)[1].offset(), Frames(0));
    expectInStep(fitted->song);
}

TEST(JoinParts, FindsWhatBeginsEndsOrMostlyLiesTogether)
{
    const auto clip = [](std::uint32_t id, std::int64_t at, std::int64_t length) {
        Clip made;
        made.id = ClipId{id};
        made.at = Frames(at);
        made.length = Frames(length);
        return made;
    };
    std::vector<Clip> first{clip(1, 0, 100), clip(2, 100, 100), clip(3, 400, 100)};
    std::vector<Clip> second{clip(4, 0, 99), clip(5, 100, 100), clip(6, 250, 20), clip(7, 410, 80)};
    const std::array lists{&first, &second};

    EXPECT_EQ(joinParts(lists), 3);  // all but one had to be guessed

    EXPECT_EQ(second[0].part, first[0].part);
    EXPECT_EQ(second[1].part, first[1].part);
    EXPECT_EQ(second[2].part, PartId{6});
    EXPECT_EQ(second[3].part, first[2].part);
}

// Twelve bars of a kit, edited by hand before it is fitted.
class EditedFirst : public testing::Test {
protected:
    [[nodiscard]] static const Song& kit() { return testkit::markedKit().song; }
    [[nodiscard]] static SetId set() { return testkit::markedKit().set; }
    [[nodiscard]] static Frames bar(int number)
    {
        const Seconds at = kit().tempo.timeAt(kit().tempo.startOfBar(number)) - milliseconds(20.0);
        return toFrames(at, kit().rate);
    }
    // Bars [from, to) as clips of their own.
    [[nodiscard]] static Song cutOut(int from, int to)
    {
        return *splitClips(kit(), {kit().tracks[0]->clips[0].id}, {bar(from), bar(to)}, {});
    }
    [[nodiscard]] static Result<FitOutcome> fit(const Song& song)
    {
        return fitSet(
            song,
            set(),
            {.fit = {.drift = 1.0, .feel = 1.0, .stray = 1.0}},
            *testkit::markedKit().sources
        );
    }
    // Every main hit that is heard is on its line, and nothing was cut off or heard twice.
    static void expectFitted(const Song& song)
    {
        const MicSet& microphones = *song.set(set());
        const auto hits = hitsOf(song, microphones);
        const auto performance = judgeSet(song, hits, {.grid = song.grid});
        const auto parts = partsOf(song, microphones);
        int onLine = 0;
        int main = 0;
        for (const JudgedHit& hit : performance.hits) {
            const SetPart* holding = partHolding(parts, hit.played.start);
            if (hit.role != HitRole::Main || holding == nullptr) {
                continue;
            }
            const Frames heard = hit.played.beatPoint + *holding->move;
            const double off = toSeconds(heard, song.rate).count() - hit.line.time.count();
            ++main;
            onLine += std::abs(off) < 1e-3 ? 1 : 0;
        }
        EXPECT_GT(main, 30);
        EXPECT_GE(onLine, main - 1);
        const auto findings = *auditSet(song, set(), *testkit::markedKit().sources);
        for (const Finding& finding : findings) {
            EXPECT_NE(finding.kind, FindingKind::DoubleHit) << finding.at.count();
            EXPECT_NE(finding.kind, FindingKind::Gap) << finding.at.count();
        }
    }
};

TEST_F(EditedFirst, ABarDeletedWithRippleStaysDeletedAndTheRestIsFittedWhereItIsHeard)
{
    const Song cut = cutOut(4, 5);
    const Song song = *deleteClips(cut, {cut.tracks[0]->clips[1].id}, {{}, true});
    ASSERT_EQ(song.tracks[0]->clips.size(), 2U);

    const auto fitted = fit(song);

    ASSERT_TRUE(fitted) << fitted.error().message;
    EXPECT_NEAR(
        toSeconds(fitted->song.length(), song.rate).count(),
        toSeconds(song.length(), song.rate).count(),
        0.05
    );
    expectFitted(fitted->song);
    // The marks of the bar that is gone are heard nowhere.
    const auto hits = hitsOf(song, *song.set(set())).hits.size();
    EXPECT_LT(hits, hitsOf(kit(), *kit().set(set())).hits.size());
    EXPECT_GT(hits, hitsOf(kit(), *kit().set(set())).hits.size() / 2);
}

TEST_F(EditedFirst, ABarHeardTwiceHasItsHitsTwiceAndBothAreFitted)
{
    const Song cut = cutOut(4, 5);
    const ClipId once = cut.tracks[0]->clips[1].id;
    const Song song = *layCopies(cut, *copyOf(cut, {once}), bar(5), 1, {{}, true});

    const auto fitted = fit(song);

    ASSERT_TRUE(fitted) << fitted.error().message;
    EXPECT_GT(
        hitsOf(song, *song.set(set())).hits.size(), hitsOf(kit(), *kit().set(set())).hits.size()
    );
    expectFitted(fitted->song);
}

TEST_F(EditedFirst, AReversedPartHasNoHitsAndPlaysAsItDid)
{
    const Song cut = cutOut(4, 6);
    const Song song = *reverseClips(cut, {cut.tracks[0]->clips[1].id}, {});
    for (const PlayedHit& hit : hitsOf(song, *song.set(set())).hits) {
        EXPECT_FALSE(hit.start >= bar(4) && hit.start < bar(6)) << hit.start.count();
    }

    const auto fitted = fit(song);

    ASSERT_TRUE(fitted) << fitted.error().message;
    // In its middle no join lies: it is the same sound, moved as a whole.
    const Frames middle = bar(5);
    const auto& clips = fitted->song.tracks[2]->clips;
    const auto holding = std::ranges::find_if(clips, [&](const Clip& clip) {
        return clip.isReversed && clip.at < middle && clip.end() > middle + Frames(9600);
    });
    ASSERT_NE(holding, clips.end());
    const auto place = RecordedTimes(song.tracks[2]->clips).placeOf(*holding);
    ASSERT_TRUE(place);
    AudioBuffer before(1, Frames(4800));
    AudioBuffer after(1, Frames(4800));
    const Sources& sources = *testkit::markedKit().sources;
    ASSERT_TRUE(renderClips(song.tracks[2]->clips, sources, middle, before));
    ASSERT_TRUE(renderClips(clips, sources, middle + place->move, after));
    EXPECT_TRUE(std::ranges::equal(before.channel(0), after.channel(0)));
}

TEST_F(EditedFirst, AFitMadeAgainKeepsPassagesOutsideItWhereTheyAre)
{
    const Song cut = cutOut(4, 5);
    const Song song = *deleteClips(cut, {cut.tracks[0]->clips[1].id}, {{}, true});
    const Song fitted = fit(song)->song;

    FitRequest again{.fit = {.drift = 0.0, .feel = 0.0, .stray = 0.0}};
    again.bars = BarRange{1, 3};
    const auto part = fitSet(fitted, set(), again, *testkit::markedKit().sources);

    ASSERT_TRUE(part) << part.error().message;
    EXPECT_GT(part->kept, 0);
    const auto before = partsOf(fitted, *fitted.set(set()));
    const auto after = partsOf(part->song, *part->song.set(set()));
    for (const PlayedHit& hit : hitsOf(song, *song.set(set())).hits) {
        if (hit.start > bar(6)) {
            const SetPart* was = partHolding(before, hit.start);
            const SetPart* is = partHolding(after, hit.start);
            ASSERT_TRUE(was != nullptr && is != nullptr);
            EXPECT_EQ(*was->move, *is->move) << hit.start.count();
        }
    }
}

// Two stretches of one take, recorded into the song far from each other.
TEST(RecordedTimes, WhatIsPulledOutPastItsEndStaysWithWhatItHasInCommon)
{
    Clip first;
    first.sound.take = TakeId{1};
    first.length = Frames(10000);
    Clip second = first;
    second.soundStart = Frames(20000);
    second.at = Frames(50000);
    second.length = Frames(40000);
    const RecordedTimes times(std::vector{first, second});
    const auto moveOf = [&](std::int64_t soundStart, std::int64_t length) {
        Clip clip = first;
        clip.soundStart = Frames(soundStart);
        clip.at = Frames(soundStart);
        clip.length = Frames(length);
        return times.placeOf(clip)->move;
    };
    EXPECT_EQ(moveOf(8000, 4000), Frames(0));
    EXPECT_EQ(moveOf(8000, 13000), Frames(0));
    EXPECT_EQ(moveOf(18000, 4000), Frames(-30000));
}

}  // namespace
}  // namespace orthochron
