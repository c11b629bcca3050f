#include "core/edits/GuideEdits.h"

#include <gmock/gmock.h>

#include "core/edits/ClipEdits.h"
#include "core/edits/TakeEdits.h"
#include "testkit/Rate.h"

namespace orthochron {
namespace {

MidiGuide guideAt(std::initializer_list<double> seconds)
{
    MidiGuide guide{"Played", {}};
    for (const double at : seconds) {
        guide.notes.push_back({.at = Seconds(at)});
    }
    return guide;
}

TEST(GuideEdits, AGuideIsTakenInOrderAndTakenAway)
{
    const auto with = takeGuide(Song{}, guideAt({2.0, 0.5, 1.0}));
    ASSERT_TRUE(with);
    ASSERT_NE(with->guide, nullptr);
    EXPECT_EQ(with->guide->notes[0].at, Seconds(0.5));
    EXPECT_EQ(with->guide->notes[2].at, Seconds(2.0));
    EXPECT_FALSE(*with == Song{});
    const auto without = removeGuide(*with);
    ASSERT_TRUE(without);
    EXPECT_EQ(*without, Song{});
    EXPECT_FALSE(removeGuide(*without));
}

TEST(GuideEdits, WhatNoNoteCanBeIsRefused)
{
    EXPECT_FALSE(takeGuide(Song{}, {}));
    for (const TimedNote& bad :
         {TimedNote{.at = Seconds(-0.1)},
          TimedNote{.at = Seconds(std::nan(""))},
          TimedNote{.at = Seconds(1e6)},
          TimedNote{.length = Seconds(-1.0)},
          TimedNote{.key = 128},
          TimedNote{.velocity = 0},
          TimedNote{.channel = 16}}) {
        EXPECT_FALSE(takeGuide(Song{}, {"bad", {bad}}));
    }
    MidiGuide many{"many", std::vector<TimedNote>(kMostGuideNotes + 1)};
    EXPECT_FALSE(takeGuide(Song{}, std::move(many)));
}

TEST(GuideEdits, NotesOfAChordBeginOnce)
{
    EXPECT_EQ(
        guideAt({0.5, 0.508, 0.514, 0.6}).starts(), (std::vector{Seconds(0.5), Seconds(0.6)})
    );
    // A roll is no chord, however dense: each is held against the one that counted.
    EXPECT_EQ(guideAt({0.50, 0.51, 0.52, 0.529}).starts().size(), 2U);
}

// A take of four seconds that begins one second into the song.
Song laterTake()
{
    Take take;
    take.name = "Piano";
    take.frames = atSeconds(4.0);
    const Song song = *addTakes(Song{}, {{take, false}});
    return *moveClips(song, {song.tracks[0]->clips[0].id}, atSeconds(1.0), {});
}

std::vector<Frames> marksOf(const Song& song)
{
    std::vector<Frames> all;
    for (const Mark& mark : song.tracks[0]->marks) {
        all.push_back(mark.at);
    }
    return all;
}

TEST(GuideEdits, MarksComeWhereItsNotesBeginWhileTheTakePlays)
{
    const Song song = *takeGuide(laterTake(), guideAt({0.5, 1.25, 1.26, 3.0, 5.5}));
    const TrackId track = song.tracks[0]->id;
    const auto marked = marksFromGuide(song, track);
    ASSERT_TRUE(marked);
    EXPECT_THAT(marksOf(*marked), testing::ElementsAre(atSeconds(0.25), atSeconds(2.0)));
    EXPECT_TRUE(marked->isLead(*marked->tracks[0]));
    // A second time nothing is doubled; without a guide, or with one that plays elsewhere, it is said.
    EXPECT_EQ(marksOf(*marksFromGuide(*marked, track)), marksOf(*marked));
    EXPECT_FALSE(marksFromGuide(*removeGuide(song), track));
    EXPECT_FALSE(marksFromGuide(*takeGuide(song, guideAt({7.0})), track));
    EXPECT_FALSE(marksFromGuide(song, TrackId{999}));
}

TEST(GuideEdits, WhatIsPlayedIsToldPartByPart)
{
    Song song = *takeGuide(laterTake(), guideAt({1.25, 3.0}));
    song = *marksFromGuide(song, song.tracks[0]->id);
    const auto parts = playedParts(song);
    ASSERT_EQ(parts.size(), 2U);
    EXPECT_EQ(parts[0].name, "Piano");
    ASSERT_EQ(parts[0].notes.size(), 2U);
    EXPECT_NEAR(parts[0].notes[0].at.count(), 1.25, 1e-4);
    EXPECT_EQ(parts[0].notes[0].velocity, 127);
    EXPECT_EQ(parts[1].name, "Played");
    EXPECT_EQ(parts[1].notes, song.guide->notes);
}

}  // namespace
}  // namespace orthochron
