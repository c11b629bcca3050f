#include "core/edits/Doubts.h"

#include <gtest/gtest.h>

#include "testkit/MarkedKit.h"

// What is doubtful is asked once, worst first, and decided one by one or a kind at a time.
namespace orthochron {
namespace {

class Doubts : public testing::Test {
protected:
    Doubts()
    {
        kick_ = song_.tracks[0]->id;
        snare_ = song_.tracks[2]->id;
        // Few hits of the demo are doubtful: these are made so.
        doubt(kick_, 3, 0.30);
        doubt(kick_, 5, 0.60);
        doubt(snare_, 4, 0.85);
    }
    void doubt(TrackId id, std::size_t mark, double confidence)
    {
        Track track = *song_.track(id);
        track.marks[mark].confidence = confidence;
        song_.tracks[static_cast<std::size_t>(
            std::ranges::find(song_.tracks, id, [](const auto& t) { return t->id; }) -
            song_.tracks.begin()
        )] = std::make_shared<const Track>(std::move(track));
    }
    // A kick's analysis in which one attack between the first two marks was left out.
    [[nodiscard]] SetAnalysis withOneLeftOut(double confidence)
    {
        LeadAnalysis analysis;
        for (const Mark& mark : song_.track(kick_)->marks) {
            OnsetCandidate candidate;
            candidate.onset = {mark.at, mark.strength, mark.confidence};
            candidate.body = mark.at;
            candidate.overBleedDecibels = 2.0;
            analysis.candidates.push_back(candidate);
        }
        left_ = song_.track(kick_)->marks[0].at + Frames(6000);
        OnsetCandidate candidate;
        candidate.onset = {left_, 0.2, confidence};
        candidate.body = left_;
        candidate.isRing = true;
        candidate.overBleedDecibels = 30.0;
        analysis.candidates.insert(analysis.candidates.begin() + 1, candidate);
        return {{kick_, analysis}};
    }
    [[nodiscard]] std::vector<DoubtfulHit> all(const SetAnalysis* analysis = nullptr)
    {
        return doubtfulHits(song_, kit_.set, analysis);
    }

    const testkit::MarkedKit& kit_ = testkit::markedKit();
    Song song_ = kit_.song;
    TrackId kick_;
    TrackId snare_;
    Frames left_;
};

TEST_F(Doubts, AreListedWorstFirstAndSureMarksAreNotAmongThem)
{
    const auto doubts = all();
    ASSERT_GE(doubts.size(), 3U);
    EXPECT_EQ(doubts[0].mark, song_.track(kick_)->marks[3].id);
    double last = 0.0;
    for (const DoubtfulHit& each : doubts) {
        EXPECT_LT(each.confidence, 0.9);
        EXPECT_GE(each.confidence, last);
        EXPECT_FALSE(each.isKnown);  // no analysis says why
        last = each.confidence;
    }
}

TEST_F(Doubts, WhatWasLeftOutButMayBeAHitIsAskedAboutWithItsReason)
{
    const SetAnalysis analysis = withOneLeftOut(0.45);
    const auto doubts = all(&analysis);
    const auto missing = std::ranges::find_if(doubts, &DoubtfulHit::isMissing);
    ASSERT_NE(missing, doubts.end());
    EXPECT_EQ(missing->at, left_);
    EXPECT_EQ(missing->why, Doubt::Ring);
    EXPECT_TRUE(missing->isKnown);
    // One that is as good as certainly none is not.
    const SetAnalysis sure = withOneLeftOut(0.05);
    EXPECT_TRUE(std::ranges::none_of(all(&sure), &DoubtfulHit::isMissing));
}

TEST_F(Doubts, AKeptMarkIsByHandAndAnAddedOneStandsWhereItWasMissing)
{
    const SetAnalysis analysis = withOneLeftOut(0.45);
    const std::size_t before = song_.track(kick_)->marks.size();
    const auto doubts = all(&analysis);
    song_ = *keepHits(song_, doubts);
    EXPECT_TRUE(all(&analysis).empty());
    const auto& marks = song_.track(kick_)->marks;
    EXPECT_EQ(marks.size(), before + 1);
    EXPECT_TRUE(marks[1].byHand);
    EXPECT_EQ(marks[1].at, left_);
    EXPECT_TRUE(marks[4].byHand);
    EXPECT_EQ(marks[4].confidence, 1.0);
}

TEST_F(Doubts, WhatWasDismissedIsNeverPutBackNorAskedAboutAgain)
{
    const SetAnalysis analysis = withOneLeftOut(0.45);
    const auto doubts = all(&analysis);
    const Frames at = song_.track(kick_)->marks[3].at;
    song_ = *dismissHits(song_, doubts);
    EXPECT_TRUE(all(&analysis).empty());
    const auto isThere = [&] {
        const auto& marks = song_.track(kick_)->marks;
        return std::ranges::find(marks, at, &Mark::at) != marks.end();
    };
    EXPECT_FALSE(isThere());
    // Hits are found again, as sensitively as can be.
    song_ = *placeMarks(song_, kit_.set, analysis, {{kick_, OnsetSettings{.sensitivity = 100.0}}});
    EXPECT_FALSE(isThere());
    EXPECT_TRUE(all(&analysis).empty());
    // Whoever puts one there by hand is obeyed.
    song_ = *addMark(song_, kick_, at);
    EXPECT_TRUE(isThere());
}

TEST_F(Doubts, OneKindIsOfOneLeadAndOneReason)
{
    const SetAnalysis analysis = withOneLeftOut(0.45);
    const auto doubts = all(&analysis);
    const auto of = [&](TrackId track, bool isMissing) {
        return *std::ranges::find_if(doubts, [&](const DoubtfulHit& each) {
            return each.track == track && each.isMissing() == isMissing;
        });
    };
    EXPECT_FALSE(isOneKind(of(kick_, false), of(snare_, false)));
    EXPECT_FALSE(isOneKind(of(kick_, false), of(kick_, true)));
    EXPECT_EQ(of(kick_, false).why, Doubt::Bleed);
    EXPECT_EQ(
        std::ranges::count_if(
            doubts, [&](const DoubtfulHit& each) { return isOneKind(each, of(kick_, false)); }
        ),
        2
    );
}

TEST_F(Doubts, OfAMarkThatIsGoneAreRefusedAndNothingChanges)
{
    const auto doubts = all();
    const Song without = *deleteMarks(song_, kick_, {doubts[0].mark});
    EXPECT_EQ(keepHits(without, doubts).error().kind, ErrorKind::BadArgument);
    EXPECT_EQ(dismissHits(without, doubts).error().kind, ErrorKind::BadArgument);
}

}  // namespace
}  // namespace orthochron
