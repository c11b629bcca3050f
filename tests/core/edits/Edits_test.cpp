#include <gtest/gtest.h>

#include "core/edits/GridEdits.h"
#include "core/edits/GrooveEdits.h"
#include "core/edits/MarkEdits.h"
#include "core/edits/TakeEdits.h"
#include "core/song/History.h"
#include "testkit/Folder.h"

namespace orthochron {
namespace {

Take takeNamed(const std::string& name, std::int64_t frames = 480000, int channels = 1)
{
    Take take;
    take.name = name;
    take.frames = Frames(frames);
    take.channels = channels;
    return take;
}

// Four tracks, the first three of them a mic set with one lead.
class Editing : public testing::Test {
protected:
    Editing()
    {
        song_ = *addTakes(
            song_,
            {{takeNamed("a"), false},
             {takeNamed("b"), false},
             {takeNamed("c"), false},
             {takeNamed("d"), false}}
        );
        song_ = *makeSet(song_, {id(0), id(1), id(2)}, "Kit");
        song_ = *setLead(song_, id(0), true);
    }
    [[nodiscard]] TrackId id(std::size_t track) const { return song_.tracks[track]->id; }

    Song song_;
};

TEST_F(Editing, NeverChangesTheSongItIsGiven)
{
    const Song before = song_;

    (void)addMark(song_, id(0), Frames(5));
    (void)renameTrack(song_, id(1), "x");
    (void)removeTrack(song_, id(2));
    (void)setTempo(song_, 90.0, {});
    (void)changeMix(song_, id(0), {.muted = true});

    EXPECT_EQ(song_, before);
    EXPECT_EQ(song_.lastId, before.lastId);
}

TEST_F(Editing, SharesTracksThatWereNotTouched)
{
    const Song next = *renameTrack(song_, id(1), "other");

    EXPECT_EQ(next.tracks[0], song_.tracks[0]);
    EXPECT_NE(next.tracks[1], song_.tracks[1]);
    EXPECT_EQ(next.tracks[1]->name, "other");
}

TEST_F(Editing, PlacesTakesByTheirTimeStamps)
{
    Take early = takeNamed("early");
    Take late = takeNamed("late");
    early.timeStamp = Frames(1'000'000);
    late.timeStamp = Frames(1'048'000);

    const Song song =
        *addTakes(Song{}, {{late, false}, {early, false}, {takeNamed("none"), false}});

    EXPECT_EQ(song.tracks[0]->clips[0].at, Frames(48000));
    EXPECT_EQ(song.tracks[1]->clips[0].at, Frames(0));
    EXPECT_EQ(song.tracks[2]->clips[0].at, Frames(0));
}

TEST_F(Editing, LaysEachChannelOnATrackOfItsOwnWhenAsked)
{
    const Song song = *addTakes(
        Song{}, {{takeNamed("eight", 1000, 8), true}, {takeNamed("stereo", 1000, 2), false}}
    );

    ASSERT_EQ(song.tracks.size(), 9U);
    EXPECT_EQ(song.tracks[3]->clips[0].sound.channel, 3);
    EXPECT_EQ(song.tracks[3]->name, "eight 4");
    EXPECT_EQ(song.tracks[8]->clips[0].sound.channel, Sound::kAllChannels);
    EXPECT_EQ(song.takes.size(), 2U);
}

TEST_F(Editing, KeepsSetsWhole)
{
    EXPECT_FALSE(makeSet(song_, {id(0), id(3)}, "Other"));  // one is in a set already
    EXPECT_FALSE(makeSet(song_, {}, "Delete spins"));
    EXPECT_FALSE(makeSet(song_, {TrackId{9999}}, "Ghost"));
    EXPECT_FALSE(moveTrack(song_, id(2), 1));  // out of its set
    EXPECT_TRUE(moveTrack(song_, id(0), 1));

    const Song moved = *moveTrack(song_, id(0), 1);
    EXPECT_EQ(moved.sets[0].tracks[0], id(1));
    EXPECT_EQ(moved.tracks[0]->id, id(1));
    const Song removed = *removeTrack(song_, id(1));
    EXPECT_EQ(removed.sets[0].tracks.size(), 2U);
    EXPECT_EQ(removed.takes.size(), 4U);  // undo and who wants it back need it
    // Each track is a set of one from then on.
    const Song open = *openSet(song_, song_.sets[0].id);
    EXPECT_EQ(open.sets.size(), 4U);
    EXPECT_TRUE(std::ranges::all_of(open.sets, &MicSet::isLone));
    EXPECT_FALSE(openSet(open, open.sets[0].id));
    EXPECT_TRUE(foldSet(song_, song_.sets[0].id, true)->sets[0].isFolded);
}

TEST_F(Editing, TracksByThemselvesChangePlacesAndSetsAreNotEntered)
{
    const Song open = *openSet(song_, song_.sets[0].id);
    const Song moved = *moveTrack(open, id(1), 1);
    EXPECT_EQ(moved.tracks[2]->id, id(1));
    EXPECT_EQ(moved.tracks[1]->id, id(2));
    EXPECT_EQ(moved.sets, open.sets);
    EXPECT_EQ(*moveTrack(moved, id(1), -1), open);
    EXPECT_FALSE(moveTrack(song_, id(3), -1));  // into the set
    EXPECT_FALSE(moveTrack(song_, id(3), 1));   // past the last
}

TEST_F(Editing, RefusesWhatIsNotThere)
{
    const TrackId ghost{9999};

    EXPECT_FALSE(renameTrack(song_, ghost, "x"));
    EXPECT_FALSE(renameTrack(song_, id(0), ""));
    EXPECT_FALSE(removeTrack(song_, ghost));
    EXPECT_FALSE(hideTrack(song_, ghost, true));
    EXPECT_FALSE(moveTrack(song_, ghost, 1));
    EXPECT_FALSE(moveTrack(song_, id(0), -1));
    EXPECT_FALSE(changeMix(song_, ghost, {}));
    EXPECT_FALSE(openSet(song_, SetId{9999}));
    EXPECT_FALSE(foldSet(song_, SetId{9999}, true));
    EXPECT_FALSE(setLead(song_, ghost, true));
    EXPECT_FALSE(addTakes(song_, {}));
}

TEST_F(Editing, KeepsLevelAndPanWithinTheirRange)
{
    const Song song = *changeMix(song_, id(0), {.gainDecibels = 99.0, .pan = -7.0});

    EXPECT_EQ(song.tracks[0]->gainDecibels, 12.0);
    EXPECT_EQ(song.tracks[0]->pan, -1.0);
    EXPECT_FALSE(song.tracks[0]->isMuted);
}

TEST_F(Editing, KeepsMarksInOrderAndWithinTheTake)
{
    Song song = song_;
    for (const std::int64_t at : {300, 100, 200}) {
        song = *addMark(song, id(0), Frames(at));
    }
    const auto& marks = song.tracks[0]->marks;

    ASSERT_EQ(marks.size(), 3U);
    EXPECT_TRUE(std::ranges::is_sorted(marks, {}, &Mark::at));
    EXPECT_FALSE(addMark(song, id(0), Frames(200)));
    EXPECT_FALSE(addMark(song, id(0), Frames(-1)));
    EXPECT_FALSE(addMark(song, id(0), Frames(480000)));
    EXPECT_FALSE(moveMark(song, id(0), marks[0].id, Frames(500000)));

    const Song moved = *moveMark(song, id(0), marks[0].id, Frames(400));
    EXPECT_EQ(moved.tracks[0]->marks.back().id, marks[0].id);
    EXPECT_EQ(moved.tracks[0]->marks.back().beatPoint, Frames(400));
    // One whose beat point lies before it never leaves the take.
    const Song before = *setBeatPoint(song, id(0), marks[0].id, Frames(50));
    EXPECT_EQ(
        moveMark(before, id(0), marks[0].id, Frames(1))->tracks[0]->marks[0].beatPoint, Frames(0)
    );
    const Song apart = *setBeatPoint(song, id(0), marks[0].id, Frames(150));
    EXPECT_EQ(
        moveMark(apart, id(0), marks[0].id, Frames(110))->tracks[0]->marks[0].beatPoint, Frames(160)
    );
    EXPECT_FALSE(switchMark(song, id(0), marks[0].id, false)->tracks[0]->marks[0].isOn);
    EXPECT_TRUE(confirmMark(song, id(0), marks[1].id)->tracks[0]->marks[1].byHand);
    EXPECT_EQ(setMarkLine(song, id(0), marks[1].id, 5)->tracks[0]->marks[1].line, 5);
    EXPECT_EQ(deleteMarks(song, id(0), {marks[0].id, marks[2].id})->tracks[0]->marks.size(), 1U);
    EXPECT_FALSE(deleteMarks(song, id(0), {MarkId{9999}}));
}

TEST_F(Editing, WhatIsDoneToAMarkByHandIsByHand)
{
    Song found = song_;
    Track track = *found.tracks[0];
    track.marks = {{MarkId{80}, Frames(1000), Frames(1000), 1.0, 0.4}};
    putTrack(found, track);
    const MarkId mark{80};
    const auto isByHand = [](const Result<Song>& song, std::size_t place = 0) {
        EXPECT_TRUE(song);
        return song->tracks[0]->marks[place].byHand;
    };
    EXPECT_TRUE(isByHand(addMark(found, id(0), Frames(2000)), 1));
    EXPECT_TRUE(isByHand(moveMark(found, id(0), mark, Frames(1200))));
    EXPECT_EQ(moveMark(found, id(0), mark, Frames(1200))->tracks[0]->marks[0].confidence, 1.0);
    EXPECT_TRUE(isByHand(confirmMark(found, id(0), mark)));
    EXPECT_TRUE(isByHand(setBeatPoint(found, id(0), mark, Frames(1100))));
    EXPECT_TRUE(isByHand(setMarkLine(found, id(0), mark, 3)));
    EXPECT_FALSE(isByHand(setMarkLine(found, id(0), mark, std::nullopt)));
    EXPECT_TRUE(isByHand(setMarkLine(*confirmMark(found, id(0), mark), id(0), mark, std::nullopt)));
    EXPECT_FALSE(isByHand(switchMark(found, id(0), mark, false)));
}

TEST_F(Editing, DetectionLeavesWhatWasSetByHandAndWhatWasSwitchedOff)
{
    LeadAnalysis analysis;
    for (const std::int64_t at : {10000, 30000, 50000}) {
        analysis.candidates.push_back({{Frames(at), 0.9}, Frames(at), 30.0, false, false, 20.0});
    }
    const SetId set = song_.sets[0].id;
    Song song = *placeMarks(song_, set, {{id(0), analysis}}, {});
    ASSERT_EQ(song.tracks[0]->marks.size(), 3U);
    song = *moveMark(song, id(0), song.tracks[0]->marks[0].id, Frames(10400));
    song = *switchMark(song, id(0), song.tracks[0]->marks[1].id, false);

    const Song again = *placeMarks(song, set, {{id(0), analysis}}, {});

    ASSERT_EQ(again.tracks[0]->marks.size(), 3U);
    EXPECT_EQ(again.tracks[0]->marks[0].at, Frames(10400));
    EXPECT_FALSE(again.tracks[0]->marks[1].isOn);
    EXPECT_TRUE(again.tracks[0]->marks[2].isOn);
    EXPECT_EQ(countMarks(analysis, song.rate, {0.0, milliseconds(20.0), 0.95}), 0U);
}

TEST_F(Editing, HowHitsAreListenedForIsOfATrack)
{
    OnsetSettings weak;
    weak.way = OnsetWay::Weak;
    weak.band = FrequencyBand{Hertz(40.0), Hertz(180.0)};
    const Song set = *setDetection(song_, id(1), weak);
    EXPECT_EQ(set.tracks[1]->detection, weak);
    EXPECT_EQ(set.tracks[0], song_.tracks[0]);
    weak.band = FrequencyBand{Hertz(180.0), Hertz(180.0)};
    EXPECT_FALSE(setDetection(song_, id(1), weak));
    EXPECT_FALSE(setDetection(song_, TrackId{99999}, {}));
    EXPECT_TRUE(hideTrack(song_, id(1), true)->tracks[1]->isHidden);
    EXPECT_EQ(*hideTrack(*hideTrack(song_, id(1), true), id(1), false), song_);
}

TEST_F(Editing, SetsTempoGridAndFirstDownbeatWithinReason)
{
    EXPECT_EQ(setTempo(song_, 87.5, {6, 8})->tempo.tempi()[0].bpm, 87.5);
    EXPECT_EQ(setFirstDownbeat(song_, Seconds(1.25))->tempo.firstDownbeat(), Seconds(1.25));
    EXPECT_FALSE(setTempo(song_, 5.0, {}));
    EXPECT_FALSE(setTempo(song_, 120.0, {4, 5}));
    EXPECT_FALSE(setGrid(song_, {16, false, 80.0}));
    EXPECT_EQ(setGrid(song_, {8, true, 50.0})->grid.division, 8);
}

TEST_F(Editing, KeepsGroovesUnderNamesOfTheirOwn)
{
    Groove groove;
    groove.name = "late";
    groove.steps = {{Beats(1.0), Beats(0.02), 1.0, Beats(0.0)}};

    const Song song = *addGroove(*addGroove(song_, groove), groove);

    EXPECT_EQ(song.grooves[0].name, "late");
    EXPECT_EQ(song.grooves[1].name, "late 2");
    EXPECT_EQ(removeGroove(song, "late")->grooves.size(), 1U);
    EXPECT_FALSE(removeGroove(song, "none"));
    EXPECT_FALSE(addGroove(song_, {}));
}

TEST_F(Editing, AChangedMarkOrGridPutsAFitOutOfDate)
{
    Song song = *addMark(song_, id(0), Frames(1000));
    FitRecipe recipe;
    recipe.madeFrom = fitFingerprint(song, song.sets[0]);
    song.sets[0].recipe = std::make_shared<const FitRecipe>(recipe);
    EXPECT_FALSE(isOutOfDate(song, song.sets[0]));

    const Song moved = *moveMark(song, id(0), song.tracks[0]->marks[0].id, Frames(1001));
    const Song faster = *setTempo(song, 121.0, {});
    const Song muted = *changeMix(song, id(0), {.muted = true});
    const Song other = *renameTrack(song, id(1), "z");

    EXPECT_TRUE(isOutOfDate(moved, moved.sets[0]));
    EXPECT_TRUE(isOutOfDate(faster, faster.sets[0]));
    EXPECT_FALSE(isOutOfDate(muted, muted.sets[0]));
    EXPECT_FALSE(isOutOfDate(other, other.sets[0]));
}

TEST(History, UndoesRedoesAndDropsWhatWasUndoneOnANewEdit)
{
    Song song;
    History history(song, "Start");
    for (const char* name : {"a", "b", "c"}) {
        song.name = name;
        history.add(song, name);
    }

    history.undo();
    history.undo();
    EXPECT_EQ(history.song()->name, "a");
    EXPECT_EQ(history.redoName(), "b");
    EXPECT_EQ(history.undoName(), "a");
    song.name = "d";
    history.add(song, "d");
    EXPECT_FALSE(history.canRedo());
    history.undo();
    EXPECT_EQ(history.song()->name, "a");
}

TEST(History, KeepsTheLastTwoHundredSteps)
{
    Song song;
    History history(song);
    for (int i = 0; i < 500; ++i) {
        song.name = std::to_string(i);
        history.add(song, song.name);
    }
    int steps = 0;
    while (history.canUndo()) {
        history.undo();
        ++steps;
    }

    EXPECT_EQ(steps, 200);
    EXPECT_EQ(history.song()->name, "299");
}

TEST(TakeFromFile, NamesTakesRelativeToTheSongAndConvertsTheirLength)
{
    const testkit::Folder folder;
    std::filesystem::create_directory(folder / "takes");
    const auto path = folder / "takes/Kick in.wav";
    testkit::writeSound(
        path,
        testkit::soundOf(
            1.0, [](std::int64_t) { return 0.1; }, Hertz(44100.0)
        ),
        PrintFormat::Wav16,
        Hertz(44100.0)
    );

    const auto take = takeFromFile(path, Hertz(48000.0), folder.path());

    ASSERT_TRUE(take);
    EXPECT_EQ(take->name, "Kick in");
    EXPECT_EQ(take->path, "takes/Kick in.wav");
    EXPECT_EQ(take->frames, Frames(48000));
    EXPECT_EQ(take->rate, Hertz(44100.0));
    EXPECT_EQ(take->hash.size(), 32U);
    EXPECT_TRUE(
        std::filesystem::path(takeFromFile(path, Hertz(48000.0), "/elsewhere")->path).is_absolute()
    );
    EXPECT_FALSE(takeFromFile(folder / "none.wav", Hertz(48000.0), folder.path()));
}

// As many of the song's frames as hold all of it.
TEST(TakeFromFile, IsAsLongAtTheSongsRateAsHoldsAllOfIt)
{
    const testkit::Folder folder;
    for (const auto& [frames, wanted] : {std::pair{1, 2}, {44101, 48002}, {441, 480}}) {
        const AudioBuffer sound(1, Frames(frames));
        const auto path = folder / (std::to_string(frames) + ".wav");
        testkit::writeSound(path, sound, PrintFormat::Wav16, Hertz(44100.0));
        EXPECT_EQ(takeFromFile(path, Hertz(48000.0), folder.path())->frames, Frames(wanted));
    }
}

}  // namespace
}  // namespace orthochron
