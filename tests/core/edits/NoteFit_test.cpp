#include "core/edits/NoteFit.h"

#include <gtest/gtest.h>

#include "testkit/Rate.h"

namespace orthochron {
namespace {

// Sixteen notes on quarter notes at 100 bpm, half a second long with a gap after each, some of them late or early.
class NotesInTime : public testing::Test {
protected:
    NotesInTime()
    {
        song_.rate = kRate;
        song_.tempo = *TempoMap::steady(100.0, {4, 4}, Seconds(1.0));
        for (int i = 0; i < 16; ++i) {
            const double late = i == 5 ? 0.045 : i == 11 ? -0.06 : 0.0;
            note(lineOf(i) + late, 0.5);
        }
        request_.fit.stray = 1.0;
        for (std::size_t i = 0; i < heard_.size(); ++i) {
            all_.insert(i);
        }
    }
    [[nodiscard]] static double lineOf(int beat) { return 1.0 + 0.6 * beat; }
    void note(double at, double length)
    {
        heard_.push_back({atSeconds(at), atSeconds(at + length), 60.0, 0.0});
        // Taken half a second before it is heard.
        asked_.push_back({.start = atSeconds(at - 0.5), .end = atSeconds(at + length - 0.5)});
    }
    [[nodiscard]] FittedNotes fitted()
    {
        const auto made = fitNotes(song_, TrackId{1}, heard_, asked_, all_, request_);
        EXPECT_TRUE(made);
        return made.value_or(FittedNotes{});
    }
    [[nodiscard]] static double startOf(const FittedNotes& notes, std::size_t i)
    {
        return toSeconds(notes.asked[i].start, kRate).count() + 0.5;
    }

    Song song_;
    std::vector<HeardNote> heard_;
    std::vector<NoteTuning> asked_;
    std::set<std::size_t> all_;
    FitRequest request_;
};

TEST_F(NotesInTime, OnlyWhatIsOffMovesAndTheRestKeepsItsPlaceToTheSample)
{
    const FittedNotes notes = fitted();
    EXPECT_EQ(notes.moved, 2);
    for (std::size_t i = 0; i < 16; ++i) {
        if (i == 5 || i == 11) {
            EXPECT_NEAR(startOf(notes, i), lineOf(static_cast<int>(i)), 0.005) << i;
            EXPECT_EQ(notes.asked[i].end - notes.asked[i].start, asked_[i].end - asked_[i].start);
        } else {
            EXPECT_EQ(notes.asked[i], asked_[i]) << i;
        }
    }
    // 105 ms in all, over sixteen notes; then what is left of it.
    EXPECT_NEAR(notes.before.count(), 0.105 / 16.0, 0.001);
    EXPECT_LT(notes.after.count(), 0.001);
}

TEST_F(NotesInTime, AmountsAndTheChosenOnesAreRespected)
{
    request_.fit.stray = 0.5;
    all_ = {5};
    const FittedNotes notes = fitted();
    EXPECT_EQ(notes.moved, 1);
    EXPECT_NEAR(startOf(notes, 5), lineOf(5) + 0.0225, 0.004);
    EXPECT_EQ(notes.asked[11], asked_[11]);
    // Of the one that was meant: what is said is what was done.
    EXPECT_NEAR(notes.before.count(), 0.045, 0.002);
    EXPECT_NEAR(notes.after.count(), 0.0225, 0.004);
}

TEST_F(NotesInTime, LegatoYieldsAtTheSeam)
{
    // The note before a late one reaches up to it; the one before an early one a little into where that is to be.
    heard_[4].end = heard_[5].start;
    asked_[4].end = asked_[5].start;
    heard_[5].end = heard_[5].start + atSeconds(0.54);
    asked_[5].end = asked_[5].start + atSeconds(0.54);
    const FittedNotes notes = fitted();
    EXPECT_EQ(notes.asked[4].start, asked_[4].start);
    EXPECT_EQ(notes.asked[4].end, notes.asked[5].start);
    EXPECT_LE(notes.asked[5].end, notes.asked[6].start);
    EXPECT_EQ(notes.asked[6].start, asked_[6].start);
    // One that would be left with nothing keeps its place, and so does the boundary.
    heard_[4].start = heard_[5].start - atSeconds(0.055);
    asked_[4].start = asked_[5].start - atSeconds(0.055);
    const FittedNotes tight = fitted();
    EXPECT_GE((tight.asked[4].end - tight.asked[4].start).count(), atSeconds(0.05).count());
    EXPECT_GE(tight.asked[5].start, tight.asked[4].end);
}

TEST_F(NotesInTime, NothingOrWhatNoFitCanBeIsRefused)
{
    EXPECT_FALSE(fitNotes(song_, TrackId{1}, {}, {}, {}, request_));
    request_.fit.stray = 1.5;
    EXPECT_FALSE(fitNotes(song_, TrackId{1}, heard_, asked_, all_, request_));
}

}  // namespace
}  // namespace orthochron
