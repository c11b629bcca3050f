#include "core/edits/MapEdits.h"

#include <gtest/gtest.h>

#include "core/time/MapKnots.h"

#include <array>
#include <cmath>

namespace orthochron {
namespace {

// 120 bpm in 4/4 from 1 s: a bar lasts two seconds.
Song steadySong()
{
    Song song;
    song.tempo = *TempoMap::steady(120.0, {4, 4}, Seconds(1.0));
    return song;
}

double barLine(const Song& song, int bar)
{
    return song.tempo.timeAt(song.tempo.startOfBar(bar)).count();
}

Song pinned(const Song& song, int bar, double time)
{
    const auto next = pinLine(song, song.tempo.startOfBar(bar), Seconds(time));
    EXPECT_TRUE(next) << next.error().message;
    return *next;
}

TEST(MapEdits, RightOfTheLastPinEverythingMovesAlong)
{
    const Song song = pinned(steadySong(), 3, 5.5);

    EXPECT_NEAR(barLine(song, 1), 1.0, 1e-9);
    EXPECT_NEAR(barLine(song, 2), 3.25, 1e-9);  // shared
    EXPECT_NEAR(barLine(song, 3), 5.5, 1e-9);
    EXPECT_NEAR(barLine(song, 4), 7.5, 1e-9);  // at the tempo it had
    EXPECT_NEAR(barLine(song, 9), 17.5, 1e-9);
}

TEST(MapEdits, SeveralPinsMoveAsOneAndWhatLiesBesideThemYields)
{
    const Song song =
        pinned(pinned(pinned(pinned(steadySong(), 3, 5.2), 5, 9.3), 6, 11.1), 9, 17.5);
    const auto placeOf = [&](int bar) { return song.tempo.startOfBar(bar); };
    const Song moved = *shiftLines(song, placeOf(5), placeOf(6), Seconds(0.25));
    EXPECT_NEAR(barLine(moved, 3), 5.2, 1e-9);
    EXPECT_NEAR(barLine(moved, 4), 0.5 * (5.2 + 9.55), 1e-9);
    EXPECT_NEAR(barLine(moved, 5), 9.55, 1e-9);
    EXPECT_NEAR(barLine(moved, 6), 11.35, 1e-9);
    EXPECT_NEAR(barLine(moved, 9), 17.5, 1e-9);
    EXPECT_NEAR(barLine(moved, 8), 17.5 - (17.5 - 11.35) / 3.0, 1e-9);
    // Up to the last pin: all that follows moves along.
    const Song last = *shiftLines(song, placeOf(6), placeOf(9), Seconds(-0.2));
    EXPECT_NEAR(barLine(last, 12), barLine(song, 12) - 0.2, 1e-9);
    EXPECT_NEAR(barLine(last, 5), 9.3, 1e-9);
    EXPECT_FALSE(shiftLines(song, placeOf(5), placeOf(6), Seconds(7.0)));
    EXPECT_FALSE(shiftLines(song, placeOf(5), placeOf(6), Seconds(-5.0)));
    EXPECT_FALSE(shiftLines(song, placeOf(6), placeOf(5), Seconds(0.1)));
}

TEST(MapEdits, ARampLeadsFromThePinBeforeToTheTempoThatGoesOn)
{
    // 120 bpm to bar 5; bars 5 to 8 take 10 s instead of 8, and from bar 9 on it is 90.
    Song song = pinned(pinned(steadySong(), 5, 9.0), 9, 19.0);
    song = *setTempoOfBar(song, 9, 90.0);
    const Beats to = song.tempo.startOfBar(9);
    EXPECT_FALSE(isRampUpTo(song.tempo, to));
    const Song ramped = *shareUpTo(song, to, Sharing::AsRamp);
    EXPECT_TRUE(isRampUpTo(ramped.tempo, to));
    for (const int bar : {1, 3, 5, 9, 12}) {
        EXPECT_NEAR(barLine(ramped, bar), barLine(song, bar), 1e-6) << bar;
    }
    // Slowing down into 90: each bar takes longer than the one before, none jumps.
    EXPECT_NEAR(ramped.tempo.bpmAt(to - Beats(1e-6)), 90.0, 1e-3);
    double before = 0.0;
    for (int bar = 5; bar < 9; ++bar) {
        const double lasts = barLine(ramped, bar + 1) - barLine(ramped, bar);
        EXPECT_GT(lasts, before);
        before = lasts;
    }
    // Back to one tempo, as it was.
    const Song even = *shareUpTo(ramped, to, Sharing::Evenly);
    EXPECT_FALSE(isRampUpTo(even.tempo, to));
    EXPECT_NEAR(barLine(even, 7), barLine(song, 7), 1e-9);
    // In a ramp a line that is no point is one as well.
    EXPECT_TRUE(isRampUpTo(ramped.tempo, ramped.tempo.startOfBar(7)));
    EXPECT_FALSE(isRampUpTo(ramped.tempo, ramped.tempo.startOfBar(3)));
    EXPECT_FALSE(shareUpTo(song, Beats(0.0), Sharing::AsRamp));
    // What a ramp cannot do within 20 to 400.
    const Song slow = *setTempoOfBar(pinned(pinned(steadySong(), 5, 9.0), 9, 24.0), 9, 30.0);
    EXPECT_TRUE(shareUpTo(slow, to, Sharing::AsRamp));
    const Song far = *setTempoOfBar(pinned(pinned(steadySong(), 5, 9.0), 9, 45.0), 9, 300.0);
    EXPECT_FALSE(shareUpTo(far, to, Sharing::AsRamp));
}

TEST(MapEdits, PinsThatAreSetNeverMove)
{
    Song song = pinned(steadySong(), 5, 9.4);
    song = pinned(song, 9, 17.1);
    song = pinned(song, 7, 13.9);

    EXPECT_NEAR(barLine(song, 5), 9.4, 1e-9);
    EXPECT_NEAR(barLine(song, 9), 17.1, 1e-9);
    EXPECT_NEAR(barLine(song, 7), 13.9, 1e-9);
    EXPECT_NEAR(barLine(song, 6), 11.65, 1e-9);
    EXPECT_NEAR(barLine(song, 8), 15.5, 1e-9);
    for (const double between : {9.3, 17.2}) {
        EXPECT_FALSE(pinLine(song, song.tempo.startOfBar(7), Seconds(between)));
    }
    // The same line again: it is its own pin that moves.
    song = pinned(song, 7, 13.0);
    EXPECT_NEAR(barLine(song, 7), 13.0, 1e-9);
    EXPECT_NEAR(barLine(song, 9), 17.1, 1e-9);
}

TEST(MapEdits, BeatsCanBePinnedInsideBarsThatAre)
{
    Song song = pinned(pinned(steadySong(), 2, 3.0), 3, 5.0);
    const Beats third = song.tempo.startOfBar(2) + Beats(2.0);
    song = *pinLine(song, third, Seconds(4.1));

    EXPECT_NEAR(song.tempo.timeAt(third).count(), 4.1, 1e-9);
    EXPECT_NEAR(song.tempo.timeAt(third - Beats(1.0)).count(), 3.55, 1e-9);
    EXPECT_NEAR(barLine(song, 2), 3.0, 1e-9);
    EXPECT_NEAR(barLine(song, 3), 5.0, 1e-9);
}

TEST(MapEdits, ALineMovedByItsNumberLeavesNoPin)
{
    const Song moved = *moveLine(steadySong(), Beats(0.0), Seconds(2.5));
    EXPECT_NEAR(barLine(moved, 1), 2.5, 1e-9);
    EXPECT_NEAR(barLine(moved, 8), 16.5, 1e-9);
    EXPECT_TRUE(std::ranges::none_of(moved.tempo.tempi(), &TempoPoint::isPinned));

    const Song held = *moveLine(pinned(steadySong(), 3, 5.5), Beats(0.0), Seconds(1.4));
    EXPECT_NEAR(barLine(held, 3), 5.5, 1e-9);
    EXPECT_NEAR(barLine(held, 1), 1.4, 1e-9);
}

TEST(MapEdits, WithoutAPinTheTimeIsSharedAgain)
{
    Song song = pinned(pinned(pinned(steadySong(), 3, 5.5), 5, 9.0), 7, 13.2);
    const std::vector<Beats> places{song.tempo.startOfBar(3), song.tempo.startOfBar(5)};
    song = *freeLines(song, places);

    EXPECT_NEAR(barLine(song, 7), 13.2, 1e-9);
    EXPECT_NEAR(barLine(song, 4), 1.0 + 12.2 / 2.0, 1e-9);
    EXPECT_FALSE(freeLines(song, places));
    // The last one: what lies before it goes on.
    const std::vector<Beats> last{song.tempo.startOfBar(7)};
    song = *freeLines(song, last);
    EXPECT_NEAR(barLine(song, 7), 13.2, 1e-9);
    EXPECT_EQ(song.tempo.tempi().size(), 1U);
}

// Bar 1 at 3 s; a pick-up of a beat and a half begins at 2 s, at 90 bpm.
Song withPickUp()
{
    Song song = steadySong();
    song = *moveLine(song, Beats(0.0), Seconds(3.0));
    return *pinLine(song, Beats(-1.5), Seconds(2.0));
}

double timeAt(const Song& song, double beat)
{
    return song.tempo.timeAt(Beats(beat)).count();
}

TEST(MapEdits, APickUpHasATempoOfItsOwnAndBarOneStays)
{
    const Song song = withPickUp();
    EXPECT_NEAR(timeAt(song, -0.75), 2.5, 1e-9);
    EXPECT_NEAR(timeAt(song, -4.5), 0.0, 1e-9);  // what lies before it goes on at its tempo
    EXPECT_NEAR(barLine(song, 1), 3.0, 1e-9);
    EXPECT_NEAR(barLine(song, 4), 9.0, 1e-9);
    EXPECT_NEAR(song.tempo.beatsAt(Seconds(2.25)).count(), -1.125, 1e-9);
    EXPECT_FALSE(pinLine(song, Beats(-1.0), Seconds(3.1)));
    // A bar behind it moves, bar 1 does not; bar 1 moves, the pin of the pick-up does not.
    const Song later = pinned(song, 3, 7.5);
    EXPECT_NEAR(barLine(later, 1), 3.0, 1e-9);
    EXPECT_NEAR(barLine(later, 2), 5.25, 1e-9);
    const Song first = pinned(song, 1, 3.2);
    EXPECT_NEAR(timeAt(first, -1.5), 2.0, 1e-9);
    EXPECT_NEAR(barLine(first, 4), 9.2, 1e-9);
    // Taken away, it follows bar 1 again; bar 1 itself is only loosened.
    const std::array both{Beats(-1.5), Beats(0.0)};
    EXPECT_EQ(freeLines(first, both)->tempo.tempi().size(), 1U);
    EXPECT_NEAR(timeAt(*freeLines(first, both), -4.0), 1.2, 1e-9);
}

TEST(MapEdits, ACountInKeepsItsEndWhenItsTempoIsSet)
{
    const Song song = *setTempoOfBar(withPickUp(), -1, 100.0);
    const double wasBegin = timeAt(withPickUp(), -4.0);  // of bar 0
    EXPECT_NEAR(timeAt(song, -4.0), wasBegin, 1e-9);
    EXPECT_NEAR(timeAt(song, -8.0), wasBegin - 2.4, 1e-9);
    EXPECT_NEAR(timeAt(song, -1.5), 2.0, 1e-9);
    EXPECT_NEAR(barLine(song, 1), 3.0, 1e-9);
    // A ramp leads into bar 1 as into any other line.
    const Song ramped = *shareUpTo(withPickUp(), Beats(0.0), Sharing::AsRamp);
    EXPECT_NEAR(timeAt(ramped, -1.5), 2.0, 1e-6);
    EXPECT_NEAR(ramped.tempo.bpmAt(Beats(-1e-6)), 120.0, 1e-3);
    EXPECT_FALSE(shareUpTo(steadySong(), Beats(0.0), Sharing::AsRamp));
}

TEST(MapEdits, BarsCountedFromAnotherLineAllStayAtTheirTimes)
{
    Song song = *setMeterFrom(pinned(withPickUp(), 3, 7.5), 3, {3, 4});
    const Song later = *beginBarsAt(song, song.tempo.startOfBar(3));
    EXPECT_NEAR(barLine(later, 1), 7.5, 1e-9);
    EXPECT_EQ(later.tempo.meterOfBar(1), (Meter{3, 4}));
    for (double beat = -6.0; beat < 20.0; beat += 0.5) {
        EXPECT_NEAR(timeAt(later, beat - 8.0), timeAt(song, beat), 1e-9) << beat;
    }
    // And back, to a line before bar 1.
    const Song back = *beginBarsAt(later, Beats(-8.0));
    for (double beat = -6.0; beat < 20.0; beat += 0.5) {
        EXPECT_NEAR(timeAt(back, beat), timeAt(song, beat), 1e-9) << beat;
    }
    // Half as fast and simplified, the pick-up is where it was.
    EXPECT_NEAR(timeAt(*scaleTempo(withPickUp(), 0.5), -0.75), 2.0, 1e-9);
    EXPECT_NEAR(timeAt(*simplifyMap(song, milliseconds(5.0)), -1.5), 2.0, 1e-9);
}

TEST(MapEdits, RefuseTempiAndPlacesThatCannotBe)
{
    const Song song = steadySong();
    EXPECT_FALSE(pinLine(song, song.tempo.startOfBar(2), Seconds(1.0)));
    EXPECT_FALSE(pinLine(song, song.tempo.startOfBar(2), Seconds(1.1)));   // 2400 bpm
    EXPECT_FALSE(pinLine(song, song.tempo.startOfBar(2), Seconds(99.0)));  // 2.4 bpm
    EXPECT_FALSE(pinLine(song, song.tempo.startOfBar(2), Seconds(std::nan(""))));
    EXPECT_FALSE(pinLine(song, Beats(-4.0), Seconds(1.0)));  // where bar 1 is
    EXPECT_FALSE(setMeterFrom(song, 3, {0, 4}));
    EXPECT_FALSE(setMeterFrom(song, 0, {3, 4}));
    EXPECT_FALSE(setTempoOfBar(song, 2, 0.0));
    EXPECT_FALSE(setTempoOfBar(song, 2, 1e6));
    EXPECT_FALSE(simplifyMap(song, Seconds(-1.0)));
}

TEST(MapEdits, TheTempoOfABarMovesWhatLiesRightOfIt)
{
    Song song = *setTempoOfBar(steadySong(), 2, 60.0);
    EXPECT_NEAR(barLine(song, 2), 3.0, 1e-9);
    EXPECT_NEAR(barLine(song, 3), 7.0, 1e-9);
    EXPECT_NEAR(barLine(song, 4), 9.0, 1e-9);
    song = *setTempoOfBar(pinned(steadySong(), 4, 7.0), 2, 100.0);
    EXPECT_NEAR(barLine(song, 3), 5.4, 1e-9);
    EXPECT_NEAR(barLine(song, 4), 7.0, 1e-9);
}

TEST(MapEdits, MetersChangeFromABarOnAndHalfTimeKeepsAllTimes)
{
    const Song song = *setMeterFrom(pinned(steadySong(), 3, 5.5), 2, {3, 4});
    EXPECT_EQ(song.tempo.meterOfBar(1), (Meter{4, 4}));
    EXPECT_EQ(song.tempo.meterOfBar(5), (Meter{3, 4}));
    EXPECT_NEAR(song.tempo.timeAt(Beats(8.0)).count(), 5.5, 1e-9);
    EXPECT_EQ(setMeterFrom(song, 2, {4, 4})->tempo.meters().size(), 1U);

    const Song half = *scaleTempo(pinned(steadySong(), 3, 5.5), 0.5);
    EXPECT_NEAR(barLine(half, 2), 5.5, 1e-9);
    EXPECT_NEAR(half.tempo.bpmAt(Beats(40.0)), 60.0, 1e-9);
}

TEST(MapEdits, AMapIsSimplifiedWithinWhatIsAsked)
{
    Song song = steadySong();
    for (int bar = 2; bar <= 40; ++bar) {
        const double wander = 0.02 * std::sin(0.2 * bar) + (bar % 2 == 0 ? 0.003 : -0.003);
        song = pinned(song, bar, 1.0 + 2.0 * (bar - 1) + wander);
    }
    const Song few = *simplifyMap(song, milliseconds(8.0));
    EXPECT_LT(few.tempo.tempi().size(), 20U);
    EXPECT_GT(few.tempo.tempi().size(), 3U);
    for (int bar = 1; bar <= 40; ++bar) {
        EXPECT_NEAR(barLine(few, bar), barLine(song, bar), 0.008 + 1e-9) << bar;
    }
    EXPECT_EQ(simplifyMap(song, Seconds(0.0))->tempo.tempi().size(), song.tempo.tempi().size());
    // What is said of it is the furthest of all.
    double furthest = 0.0;
    for (int bar = 1; bar <= 40; ++bar) {
        furthest = std::max(furthest, std::abs(barLine(few, bar) - barLine(song, bar)));
    }
    EXPECT_GT(furthest, 0.001);
    EXPECT_NEAR(furthestApart(knotsOf(song.tempo), few.tempo).count(), furthest, 1e-9);
}

TEST(MapEdits, ADraftIsPinnedWhereItIsSure)
{
    MapDraft draft;
    draft.meters = {{1, {4, 4}}};
    for (int bar = 1; bar <= 6; ++bar) {
        draft.beats.push_back(
            {Seconds(0.5 + 2.1 * bar),
             bar,
             1,
             114.0,
             bar == 3   ? 0.2
             : bar == 5 ? 0.4
                        : 0.9}
        );
    }
    Song song = *takeDraft(steadySong(), draft, MapLevel::Bar, Seconds(10.0));

    EXPECT_NEAR(barLine(song, 1), 12.6, 1e-9);
    EXPECT_NEAR(barLine(song, 6), 23.1, 1e-9);
    auto doubtful = doubtfulBars(song.tempo);
    ASSERT_EQ(doubtful.size(), 2U);
    EXPECT_EQ(doubtful[0].bar, 3);
    EXPECT_EQ(doubtful[1].bar, 5);
    // Its neighbours are pins: only this one moves, and is doubtful no more.
    song = pinned(song, 3, 16.9);
    EXPECT_NEAR(barLine(song, 2), 14.7, 1e-9);
    EXPECT_NEAR(barLine(song, 4), 18.9, 1e-9);
    song = *keepLine(song, song.tempo.startOfBar(5));
    EXPECT_TRUE(doubtfulBars(song.tempo).empty());
    EXPECT_FALSE(takeDraft(song, MapDraft(), MapLevel::Bar, Seconds(0.0)));
}

TEST(MapEdits, ABarOneThatWasGuessedIsSoUntilItIsPutOrKept)
{
    MapDraft draft;
    draft.meters = {{1, {4, 4}}};
    draft.isDownbeatGuessed = true;
    for (int bar = 1; bar <= 4; ++bar) {
        draft.beats.push_back({Seconds(2.0 * bar), bar, 1, 120.0, 0.9});
    }
    const Song song = *takeDraft(steadySong(), draft, MapLevel::Bar, Seconds(0.0));
    EXPECT_TRUE(hasGuessedBarOne(song.tempo));
    EXPECT_FALSE(pointAt(song.tempo, Beats(0.0))->isPinned);
    EXPECT_LT(pointAt(song.tempo, Beats(0.0))->sureness, 1.0);
    EXPECT_TRUE(pointAt(song.tempo, song.tempo.startOfBar(2))->isPinned);
    EXPECT_EQ(pointAt(song.tempo, Beats(1.0)), nullptr);
    EXPECT_EQ(pointAt(song.tempo, Beats(400.0)), nullptr);
    EXPECT_FALSE(hasGuessedBarOne(keepLine(song, Beats(0.0))->tempo));
    EXPECT_FALSE(hasGuessedBarOne(steadySong().tempo));
    // Nobody doubts a bar 1 that no draft has put.
    const Song byHand = pinned(steadySong(), 3, 5.5);
    EXPECT_FALSE(pointAt(byHand.tempo, Beats(0.0))->isPinned);
    EXPECT_FALSE(hasGuessedBarOne(byHand.tempo));
    draft.isDownbeatGuessed = false;
    EXPECT_FALSE(hasGuessedBarOne(takeDraft(steadySong(), draft, MapLevel::Bar, Seconds(0.0))->tempo
    ));
}

TEST(MapEdits, APinWithinARampLeavesTheRampUpToItsTempo)
{
    const Song ramped = *shareUpTo(pinned(steadySong(), 5, 9.8), Beats(16.0), Sharing::AsRamp);
    const double there = ramped.tempo.bpmAt(Beats(8.0));
    const Song song = *pinLine(ramped, Beats(8.0), ramped.tempo.timeAt(Beats(8.0)));
    // Kept where it was: neither half of the ramp moves by more than what even sharing makes of it.
    EXPECT_NEAR(timeAt(song, 8.0), timeAt(ramped, 8.0), 1e-9);
    EXPECT_NEAR(timeAt(song, 16.0), 9.8, 1e-9);
    EXPECT_NEAR(timeAt(song, 20.0), timeAt(ramped, 20.0), 1e-9);
    EXPECT_GT(there, 100.0);
    // A line moved is shared evenly on either side, and what lies between keeps its part of the time.
    const Song between = pinned(pinned(steadySong(), 5, 9.0), 3, 5.2);
    EXPECT_NEAR(timeAt(between, 4.0), 1.0 + 0.5 * 4.2, 1e-9);
    const Song moved = *moveLine(between, Beats(4.0), Seconds(3.0));
    EXPECT_NEAR(timeAt(moved, 2.0), 2.0, 1e-9);
    EXPECT_NEAR(timeAt(moved, 6.0), 4.1, 1e-9);
    EXPECT_NEAR(timeAt(moved, 8.0), 5.2, 1e-9);
    EXPECT_FALSE(moveLine(between, Beats(4.0), Seconds(5.2)));
    EXPECT_FALSE(moveLine(between, Beats(4.0), Seconds(1.0)));
}

}  // namespace
}  // namespace orthochron
