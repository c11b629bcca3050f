#include "core/tune/NotesByHand.h"

#include <gtest/gtest.h>

#include "core/pitch/PitchCurve.h"
#include "core/tune/Octaves.h"
#include "testkit/Rate.h"
#include "testkit/Voice.h"

#include <cmath>

// What notes there are, decided by hand, on a voice whose truth is known.
namespace orthochron {
namespace {

class NotesByHandTest : public testing::Test {
protected:
    NotesByHandTest()
        : voice_(testkit::singMelody({{0.3, 0.0}, {0.9, 57.2}, {0.8, 61.7}, {0.4, 0.0}}))
    {
        curve_ = *pitchOf(channelOver(voice_.sound.channel(0)), kRate);
        found_ = notesOf(curve_, kRate);
    }
    [[nodiscard]] std::vector<SungNote> sung(const std::vector<NoteByHand>& decided) const
    {
        return sungNotes(
            curveByHand(curve_, decided, kRate), notesByHand(found_, decided, kRate), kRate, Scale()
        );
    }

    testkit::Voice voice_;
    std::vector<PitchFrame> curve_;
    std::vector<Note> found_;
};

TEST_F(NotesByHandTest, ANoteIsSplitWhereOneSaysAndBothHalvesAreSungAsBefore)
{
    ASSERT_EQ(found_.size(), 2U);
    const auto plain = sung({});
    std::vector<NoteByHand> decided;
    decided = withNoteByHand(decided, {found_[0].start, atSeconds(0.7)}, kRate);
    decided = withNoteByHand(decided, {atSeconds(0.7), found_[0].end}, kRate);
    const auto split = sung(decided);
    ASSERT_EQ(split.size(), 3U);
    EXPECT_EQ(split[0].end, atSeconds(0.7));
    EXPECT_EQ(split[1].start, atSeconds(0.7));
    EXPECT_TRUE(split[0].touchesNext);
    EXPECT_NEAR(split[0].centre, plain[0].centre, 0.05);
    EXPECT_NEAR(split[1].centre, plain[0].centre, 0.05);
    EXPECT_EQ(split[2].start, plain[1].start);
    // Merged again, and forgotten.
    decided = withNoteByHand(decided, {found_[0].start, found_[0].end}, kRate);
    EXPECT_EQ(decided.size(), 1U);
    EXPECT_EQ(sung(decided).size(), 2U);
    EXPECT_TRUE(withoutNotesByHand(decided, atSeconds(0.5), atSeconds(0.6)).empty());
    EXPECT_EQ(withoutNotesByHand(decided, found_[0].end, atSeconds(9.0)), decided);
}

TEST_F(NotesByHandTest, TwoNotesBecomeOneAndWhatIsNoNoteIsNone)
{
    const auto merged = sung({{found_[0].start, found_[1].end}});
    ASSERT_EQ(merged.size(), 1U);
    EXPECT_EQ(merged[0].start, found_[0].start);
    EXPECT_EQ(merged[0].end, found_[1].end);
    const auto dropped = sung({{found_[0].start, found_[0].end, false}});
    ASSERT_EQ(dropped.size(), 1U);
    EXPECT_EQ(dropped[0].start, found_[1].start);
    // Its curve is gone too, and no other's.
    const auto curve = curveByHand(
        curve_, std::vector<NoteByHand>{{found_[0].start, found_[0].end, false}}, kRate
    );
    EXPECT_FALSE(curve[120].isVoiced());
    EXPECT_EQ(curve[300], curve_[300]);
}

TEST_F(NotesByHandTest, AnOctaveIsReadRightAndADrawnNoteHasThePitchItWasDrawnAt)
{
    const auto read = sung({{found_[0].start, found_[0].end, true, 1}});
    ASSERT_EQ(read.size(), 2U);
    EXPECT_NEAR(read[0].centre, 69.2, 0.1);
    EXPECT_EQ(read[0].rung, 69);
    EXPECT_NEAR(read[1].centre, 61.7, 0.1);
    // Over silence nothing was found: what is drawn counts.
    const auto drawn = sung({{atSeconds(0.02), atSeconds(0.2), true, 0, 64.0}});
    ASSERT_EQ(drawn.size(), 3U);
    EXPECT_NEAR(drawn[0].centre, 64.0, 1e-6);
}

TEST_F(NotesByHandTest, WhatIsLeftOfAFoundNoteIsOneWhenItIsLongEnough)
{
    const Frames short30 = atSeconds(0.030);
    const auto most = sung({{found_[0].start, found_[0].end - short30}});
    EXPECT_EQ(most.size(), 2U);
    const auto half = sung({{found_[0].start, found_[0].start + atSeconds(0.3)}});
    ASSERT_EQ(half.size(), 3U);
    EXPECT_EQ(half[1].start, found_[0].start + atSeconds(0.3));
    // A decided one keeps what another leaves of it, from 20 ms on.
    std::vector<NoteByHand> decided{{atSeconds(1.0), atSeconds(2.0)}};
    decided = withNoteByHand(decided, {atSeconds(1.4), atSeconds(1.5), false}, kRate);
    ASSERT_EQ(decided.size(), 3U);
    EXPECT_EQ(decided[0].end, atSeconds(1.4));
    EXPECT_EQ(decided[2].start, atSeconds(1.5));
    decided = withNoteByHand(decided, {atSeconds(1.51), atSeconds(2.0)}, kRate);
    ASSERT_EQ(decided.size(), 3U);
    EXPECT_EQ(decided[2].start, atSeconds(1.51));
}

TEST_F(NotesByHandTest, WhatCannotBeIsRefused)
{
    EXPECT_TRUE(checkNoteByHand({atSeconds(0.1), atSeconds(0.2)}, kRate));
    EXPECT_FALSE(checkNoteByHand({atSeconds(0.1), atSeconds(0.11)}, kRate));
    EXPECT_FALSE(checkNoteByHand({atSeconds(0.3), atSeconds(0.2)}, kRate));
    EXPECT_FALSE(checkNoteByHand({Frames(-5), atSeconds(0.2)}, kRate));
    EXPECT_FALSE(checkNoteByHand({atSeconds(0.1), atSeconds(0.2), true, 5}, kRate));
    EXPECT_FALSE(checkNoteByHand({atSeconds(0.1), atSeconds(0.2), true, 0, std::nan("")}, kRate));
}

TEST(OctaveDoubts, ALeapAnOctaveAwayAndBackIsDoubtedAndAMeantOneIsNot)
{
    const auto melody = [](const std::vector<std::pair<double, double>>& notes) {
        std::vector<SungNote> sung;
        double from = 0.0;
        for (const auto& [centre, seconds] : notes) {
            SungNote note;
            note.start = atSeconds(from);
            from += seconds;
            note.end = atSeconds(from);
            note.centre = centre;
            note.touchesNext = true;
            sung.push_back(note);
        }
        return sung;
    };
    const auto wrong =
        melody({{60, 0.5}, {62, 0.4}, {50.1, 0.2}, {62.1, 0.3}, {64, 0.5}, {60, 0.5}});
    EXPECT_EQ(octaveDoubts(wrong, kRate), (std::vector<int>{0, 0, 1, 0, 0, 0}));
    // Long ones, and where others lie as high, were meant.
    const auto held = melody({{60, 0.5}, {62, 0.4}, {74, 1.5}, {62, 0.3}, {64, 0.5}});
    EXPECT_EQ(octaveDoubts(held, kRate), std::vector<int>(5, 0));
    const auto high = melody({{60, 0.5}, {72, 0.4}, {74, 0.5}, {71, 0.3}, {60, 0.5}});
    EXPECT_EQ(octaveDoubts(high, kRate), std::vector<int>(5, 0));
    EXPECT_TRUE(octaveDoubts({}, kRate).empty());
    // It is a leap only to what it touches, before it or after it.
    auto apart = wrong;
    apart[1].touchesNext = false;
    EXPECT_EQ(octaveDoubts(apart, kRate)[2], 1);
    apart[2].touchesNext = false;
    EXPECT_EQ(octaveDoubts(apart, kRate)[2], 0);
    apart[1].touchesNext = true;
    EXPECT_EQ(octaveDoubts(apart, kRate)[2], 1);
    const auto first = melody({{50.1, 0.2}, {62, 0.4}, {62.1, 0.3}, {61, 0.5}});
    EXPECT_EQ(octaveDoubts(first, kRate), (std::vector<int>{1, 0, 0, 0}));
    const auto second = melody({{62, 0.4}, {50.1, 0.2}, {62.1, 0.3}, {61, 0.5}});
    auto loose = second;
    loose[0].touchesNext = false;
    loose[1].touchesNext = false;
    EXPECT_EQ(octaveDoubts(second, kRate)[1], 1);
    EXPECT_EQ(octaveDoubts(loose, kRate)[1], 0);
}

}  // namespace
}  // namespace orthochron
