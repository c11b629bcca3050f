#include "core/song/History.h"

#include <gtest/gtest.h>

#include "core/edits/TakeEdits.h"
#include "core/song/ListDiff.h"

#include <random>

namespace orthochron {
namespace {

std::vector<Clip> clips(std::initializer_list<std::pair<std::uint32_t, std::int64_t>> all)
{
    std::vector<Clip> list;
    for (const auto& [id, at] : all) {
        Clip clip;
        clip.id = ClipId{id};
        clip.at = Frames(at);
        clip.length = Frames(10);
        list.push_back(clip);
    }
    return list;
}

TEST(ListDiff, TellsMovedSplitAndNewClipsApart)
{
    const auto before = clips({{1, 0}, {2, 10}, {3, 20}, {4, 30}, {5, 40}});
    // One gone, one new, the rest laid later together.
    const auto after = clips({{1, 0}, {9, 10}, {3, 25}, {4, 35}, {5, 45}});

    const auto diff = diffOf<Clip>(before, after);

    ASSERT_EQ(diff.size(), 3U);
    EXPECT_EQ(std::get<ListRun>(diff[0]), (ListRun{0, 1, Frames(0)}));
    EXPECT_EQ(std::get<Clip>(diff[1]), after[1]);
    EXPECT_EQ(std::get<ListRun>(diff[2]), (ListRun{2, 3, Frames(5)}));
    EXPECT_EQ(patched<Clip>(before, diff), after);
}

TEST(ListDiff, GivesBackAnyList)
{
    std::mt19937 random(1);
    for (int round = 0; round < 300; ++round) {
        const auto list = [&] {
            std::vector<Clip> made;
            const auto count = random() % 12;
            for (std::uint32_t i = 0; i < count; ++i) {
                Clip clip;
                clip.id = ClipId{static_cast<std::uint32_t>(random() % 8)};
                clip.at = Frames(static_cast<std::int64_t>(random() % 3));
                clip.gain = random() % 4 == 0 ? 0.5F : 1.0F;
                made.push_back(clip);
            }
            return made;
        };
        const auto before = list();
        const auto after = list();
        EXPECT_EQ(patched<Clip>(before, diffOf<Clip>(before, after)), after);
    }
}

TEST(ListDiff, RefusesWhatIsNotOfThisList)
{
    const auto before = clips({{1, 0}, {2, 10}});
    EXPECT_FALSE(patched<Clip>(before, {ListRun{1, 2, Frames(0)}}));
    EXPECT_FALSE(patched<Clip>(before, {ListRun{3, 0, Frames(0)}}));
    EXPECT_FALSE(patched<Clip>(before, {ListRun{1, 0xFFFFFFFFU, Frames(0)}}));
}

// Songs of some tracks with many clips, each an edit of the one before.
std::vector<Song> manyVersions(int count)
{
    Song song;
    Take take;
    take.frames = Frames(1'000'000);
    for (int i = 0; i < 3; ++i) {
        song = *addTakes(song, {{take, false}});
    }
    for (const auto& old : std::vector(song.tracks)) {
        Track track = *old;
        const Clip whole = track.clips.front();
        track.clips.clear();
        for (int i = 0; i < 50; ++i) {
            Clip clip = whole;
            clip.id = ClipId{++song.lastId};
            clip.part = PartId{clip.id.value};
            clip.at = clip.soundStart = Frames(i * 1000);
            clip.length = Frames(1000);
            track.clips.push_back(clip);
        }
        putTrack(song, std::move(track));
    }
    std::mt19937 random(7);
    std::vector<Song> versions{song};
    while (versions.size() < static_cast<std::size_t>(count)) {
        Song next = versions.back();
        Track track = *next.tracks[random() % next.tracks.size()];
        if (random() % 10 == 0) {
            next = *removeTrack(next, track.id);
            next = next.tracks.empty() ? versions.back() : next;
        } else if (random() % 2 == 0) {
            track.name = std::to_string(random());
            // Whatever else a track has comes back with it.
            track.noHits.emplace_back(static_cast<std::int64_t>(random() % 1000));
            track.level.points.push_back({HeldPlace(static_cast<double>(random() % 100)), -6.0});
            track.hushes.push_back({.from = HeldPlace(1.0), .to = HeldPlace(2.0)});
            track.notes.push_back({.start = Frames(10), .end = Frames(20)});
            track.glide = milliseconds(static_cast<double>(random() % 50));
            track.isMuted = random() % 2 == 0;
            track.pan = random() % 2 == 0 ? 0.5 : 0.0;
            putTrack(next, std::move(track));
        } else {
            const auto first = random() % track.clips.size();
            for (auto i = first; i < track.clips.size(); ++i) {
                track.clips[i].at += Frames(5);
            }
            track.clips[first].id = ClipId{++next.lastId};
            putTrack(next, std::move(track));
        }
        versions.push_back(std::move(next));
    }
    return versions;
}

TEST(History, GivesBackEveryVersionHoweverFarOneGoes)
{
    const auto songs = manyVersions(120);
    History history(songs[0]);
    for (std::size_t i = 1; i < songs.size(); ++i) {
        history.add(songs[i], std::to_string(i));
    }
    for (std::size_t i = 0; i < songs.size(); ++i) {
        EXPECT_EQ(*history.version(i).song, songs[i]) << i;
    }
    std::size_t seen = 40;
    history.visit(40, [&](const History::Version& version) {
        EXPECT_EQ(*version.song, songs[seen]) << seen;
        EXPECT_EQ(version.name, std::to_string(seen));
        ++seen;
    });
    EXPECT_EQ(seen, songs.size());

    // Back, forth, and another way from the middle.
    std::size_t place = songs.size() - 1;
    for (; place > 30; --place) {
        EXPECT_EQ(*history.song(), songs[place]);
        history.undo();
    }
    for (; place < 80; ++place) {
        EXPECT_EQ(*history.song(), songs[place]);
        history.redo();
    }
    History other = history;
    other.add(songs[3], "elsewhere");
    EXPECT_FALSE(other.canRedo());
    EXPECT_EQ(*other.version(70).song, songs[70]);
    other.undo();
    EXPECT_EQ(*other.song(), songs[80]);
    // A copy goes its own way.
    history.redo();
    EXPECT_EQ(*history.song(), songs[81]);
    EXPECT_NE(history.serial(81), other.serial(81));
}

TEST(Song, IsAnotherByItsTemperamentOrItsGuideAlone)
{
    const Song song = manyVersions(1).front();
    Song tuned = song;
    tuned.temperament.a4 = Hertz(442.0);
    EXPECT_FALSE(tuned == song);
    Song guided = song;
    guided.guide = std::make_shared<const MidiGuide>(MidiGuide{"Played", {{Seconds(1.0)}}});
    EXPECT_FALSE(guided == song);
    // By what it says, not by where it lies.
    Song again = song;
    again.guide = std::make_shared<const MidiGuide>(*guided.guide);
    EXPECT_EQ(again, guided);
}

TEST(History, AMoveOfManyClipsIsKeptAsADifference)
{
    Song song = manyVersions(1).front();
    History history(song);
    for (int i = 0; i < 20; ++i) {
        Track track = *song.tracks[0];
        for (Clip& clip : track.clips) {
            clip.at += Frames(1);
        }
        putTrack(song, std::move(track));
        history.add(song, "Move");
    }
    // What is far from the present is not held whole: it is made each time it is asked for.
    EXPECT_NE(history.version(5).song, history.version(5).song);
    EXPECT_EQ(history.version(19).song, history.version(19).song);
    // What an edit did not touch is one and the same.
    EXPECT_EQ(history.version(5).song->tracks[1], history.version(15).song->tracks[1]);
}

TEST(History, WhereTakesAreFoundIsChangedInAllVersions)
{
    const auto songs = manyVersions(60);
    History history(songs[0]);
    for (const Song& song : songs) {
        history.add(song, "step");
    }
    history.changeTakes([](Take& take) { take.path = "here"; });
    for (std::size_t i = 0; i < history.size(); ++i) {
        EXPECT_EQ(history.version(i).song->takes.front().path, "here");
    }
}

}  // namespace
}  // namespace orthochron
