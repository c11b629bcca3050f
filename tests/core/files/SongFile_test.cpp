#include "core/files/SongFile.h"

#include <gtest/gtest.h>
#include <sys/stat.h>

#include "core/base/Hash.h"
#include "core/edits/GridEdits.h"
#include "core/edits/GuideEdits.h"
#include "core/edits/MarkEdits.h"
#include "core/edits/SectionEdits.h"
#include "core/edits/TakeEdits.h"
#include "core/edits/TuneEdits.h"
#include "core/files/MidiTempo.h"
#include "testkit/Folder.h"

#include <fstream>

namespace orthochron {
namespace {

using testkit::Folder;
using Json = nlohmann::json;

// A song with a bit of everything, without any audio.
History history()
{
    Song song;
    song.name = "Näme with \"quotes\"";
    History history(song, "New song");
    Take take;
    take.name = "Kick";
    take.path = "Kick.wav";
    take.hash = "00ff00ff00ff00ff00ff00ff00ff00ff";
    take.frames = Frames(480000);
    song = *addTakes(song, {{take, false}, {take, false}});
    history.add(song, "Import");
    song = *makeSet(song, {song.tracks[0]->id, song.tracks[1]->id}, "Kit");
    song = *setLead(song, song.tracks[0]->id, true);
    song = *addMark(song, song.tracks[0]->id, Frames(12345));
    song = *setMarkLine(song, song.tracks[0]->id, song.tracks[0]->marks[0].id, 7);
    Track marked = *song.tracks[0];
    marked.marks[0].wanted = milliseconds(-4.0);
    marked.marks[0].confidence = 0.375;
    marked.noHits = {Frames(77), Frames(4000)};
    putTrack(song, marked);
    song = *setTempo(song, 97.25, {6, 8});
    history.add(song, "Marks");
    FitRecipe recipe;
    recipe.recorded = {song.tracks[0]->clips, song.tracks[1]->clips};
    recipe.madeFrom = 0xFFFFFFFFFFFFFFFFULL;
    recipe.fit.pieces = FitPieces::ByBar;
    recipe.fit.own = {{SectionId{90}, song.tracks[0]->id, 0.5, 0.25, 1.0}};
    recipe.fit.teeth = {{{}, song.tracks[0]->id, 4, milliseconds(7.5)}};
    recipe.fit.driftLine = {{Beats(0.0), milliseconds(3.0)}, {Beats(16.0), milliseconds(-2.0)}};
    song.sets[0].recipe = std::make_shared<const FitRecipe>(recipe);
    song.sets[0].variantName = "way 2";
    song.sets[0].variants = {std::make_shared<const Variant>(Variant{
        "version 1", BarRange{3, 8}, recipe.recorded, song.sets[0].recipe})};
    song.sections = {{SectionId{90}, "verse", {1, 8}}};
    song.accepted.push_back({"dip", Frames(99)});
    Track track = *song.tracks[1];
    track.clips[0].in = {Frames(240), FadeShape::Matched};
    track.clips[0].isLocked = true;
    track.clips[0].isMuted = true;
    track.clips[0].byHand = true;
    track.clips[0].out = {Frames(480), FadeShape::EqualGain, 0.75F};
    track.isLocked = true;
    track.detection.way = OnsetWay::Weak;
    track.detection.band = FrequencyBand{Hertz(40.0), Hertz(180.0)};
    track.detection.threshold = 0.5;
    track.markedChannel = 1;
    Treatment turned;
    turned.material = Material::Line;
    turned.pitch = {{Frames(100), 0.5}, {Frames(900), -1.25, true}};
    track.clips[0].sound = {
        track.clips[0].sound.take, Sound::kAllChannels, std::make_shared<const Treatment>(turned)};
    putTrack(song, track);
    song.grooves = {
        {"push",
         {6, 8},
         {{Beats(0.0), Beats(-0.01), 0.5, Beats(0.002)}, {Beats(1.5), Beats(0.02)}}}};
    song.tempo = *TempoMap::create(
        Seconds(0.25),
        {{Beats(0.0), 97.25, true, true},
         {Beats(8.0), 101.0, false, true, 0.625},
         {Beats(12.0), 99.0, true, false, 0.5}},
        song.tempo.meters()
    );
    history.add(song, "Fit");
    return history;
}

TEST(SongFile, ReadsBackEverythingItWroteWithItsHistory)
{
    History before = history();
    before.undo();

    const auto after = readSong(writeSong({before, {}}), "s");

    ASSERT_TRUE(after) << after.error().message;
    EXPECT_EQ(after->history.current(), before.current());
    ASSERT_EQ(after->history.size(), before.size());
    for (std::size_t i = 0; i < before.size(); ++i) {
        EXPECT_EQ(*after->history.version(i).song, *before.version(i).song) << i;
        EXPECT_EQ(after->history.version(i).name, before.version(i).name);
    }
    EXPECT_EQ(after->history.song()->lastId, before.song()->lastId);
}

TEST(SongFile, WritesSharedTracksOnce)
{
    History many = history();
    for (int i = 0; i < 100; ++i) {
        Song song = *many.song();
        song.name = std::to_string(i);
        many.add(song, "Rename");
    }

    const Json json = Json::parse(writeSong({many, {}}));

    EXPECT_EQ(json["versions"].size(), 104U);
    EXPECT_LE(json["tracks"].size(), 8U);
}

TEST(SongFile, KeepsFieldsItDoesNotKnowAndRefusesANewerFormat)
{
    Json json = Json::parse(writeSong({history(), {}}));
    json["moodBoard"] = {{"colour", "straw"}};
    const auto read = readSong(json.dump(), "s");
    ASSERT_TRUE(read);
    EXPECT_EQ(Json::parse(writeSong(*read))["moodBoard"]["colour"], "straw");

    json["version"] = kSongFormat + 1;
    const auto newer = readSong(json.dump(), "s");
    ASSERT_FALSE(newer);
    EXPECT_NE(newer.error().message.find("newer"), std::string::npos);
}

// What the formats before the fourth did not say.
Json asOlder(Json json)
{
    json["version"] = 3;
    for (Json& list : json["clips"]) {
        Json& parts = list.is_object() && list.contains("parts") ? list["parts"] : list;
        for (Json& clip : parts) {
            if (clip.is_object()) {
                clip.erase("part");
                if (clip.contains("in")) {
                    clip["in"]["correlation"] = 0.25;
                }
            }
        }
        if (list.is_object() && list.contains("take")) {
            list["correlations"] = Json::array({0.5, 0.5});
        }
    }
    for (Json& track : json["tracks"]) {
        track.erase("take");
        track.erase("channel");
    }
    for (Json& version : json["versions"]) {
        if (version.contains("sets")) {
            auto& sets = version["sets"];
            sets.erase(
                std::remove_if(
                    sets.begin(),
                    sets.end(),
                    [](const Json& set) { return set["tracks"].size() == 1; }
                ),
                sets.end()
            );
        }
    }
    return json;
}

TEST(SongFile, GivesOlderSongsWhatTheyDidNotSay)
{
    const auto read = readSong(asOlder(Json::parse(writeSong({history(), {}}))).dump(), "old");

    ASSERT_TRUE(read) << read.error().message;
    ASSERT_EQ(read->history.size(), 4U);
    const Song imported = *read->history.version(1).song;
    ASSERT_EQ(imported.sets.size(), 2U);  // a track by itself is a set of one
    EXPECT_TRUE(imported.sets[0].isLone());
    for (std::size_t i = 2; i < 4; ++i) {
        const Song song = *read->history.version(i).song;
        ASSERT_EQ(song.sets.size(), 1U);
        EXPECT_EQ(song.tracks[0]->clips[0].part, song.tracks[1]->clips[0].part);
        EXPECT_TRUE(song.tracks[0]->clips[0].part.isValid());
        EXPECT_EQ(song.tracks[1]->markedTake, song.takes[1].id);
    }
    const Song song = *read->history.song();
    EXPECT_EQ(song.sets[0].recipe->recorded[0][0].part, song.sets[0].recipe->recorded[1][0].part);
    EXPECT_EQ(read->guessedClips, 0);
    // Written in today's format it reads back as it is.
    const auto again = readSong(writeSong(*read), "new");
    ASSERT_TRUE(again) << again.error().message;
    EXPECT_EQ(*again->history.song(), song);
}

TEST(SongFile, SaysHowManyClipsOfAnOlderSongHadToBeGuessed)
{
    Song song;
    for (const std::int64_t frames : {48000, 47999}) {
        Take take;
        take.hash = "00ff00ff00ff00ff00ff00ff00ff00ff";
        take.frames = Frames(frames);
        song = *addTakes(song, {{take, false}});
    }
    song = *makeSet(song, {song.tracks[0]->id, song.tracks[1]->id}, "Kit");
    const auto read = readSong(asOlder(Json::parse(writeSong({History(song), {}}))).dump(), "old");
    ASSERT_TRUE(read) << read.error().message;
    EXPECT_EQ(read->guessedClips, 1);
    const Song now = *read->history.song();
    EXPECT_EQ(now.tracks[0]->clips[0].part, now.tracks[1]->clips[0].part);
}

TEST(SongFile, RefusesATextCutShortAtEveryByte)
{
    const std::string text = writeSong({history(), {}});
    // The end of the line is no part of it.
    for (std::size_t size = 0; size + 1 < text.size(); size += 7) {
        EXPECT_FALSE(readSong(std::string_view(text).substr(0, size), "s")) << size;
    }
}

// Spoils every value of a document in turn and calls `check` with each result.
void spoilEach(Json& whole, Json& part, const std::function<void(const std::string&)>& check)
{
    if (part.is_structured()) {
        for (auto& child : part) {
            spoilEach(whole, child, check);
        }
    }
    const Json kept = part;
    for (const Json& bad :
         {Json(),
          Json(-1),
          Json(1e300),
          Json("x"),
          Json::array(),
          Json::object(),
          Json(true),
          Json(4e9)}) {
        part = bad;
        check(whole.dump());
    }
    part = kept;
}

TEST(SongFile, SurvivesEveryFieldSpoiled)
{
    Json json = Json::parse(writeSong({history(), {}}));
    int refused = 0;
    int taken = 0;

    spoilEach(json, json, [&](const std::string& text) {
        const auto read = readSong(text, "s");
        refused += read ? 0 : 1;
        taken += read ? 1 : 0;
        if (read) {
            // What is taken is a song that can be written and read again.
            EXPECT_TRUE(readSong(writeSong(*read), "s"));
        } else {
            EXPECT_EQ(read.error().kind, ErrorKind::BadInput);
        }
    });

    EXPECT_GT(refused, 5 * taken);
    EXPECT_FALSE(readSong(std::string(100000, '['), "s"));
}

TEST(SongFile, ATakesHashIsNothingButDigits)
{
    Json json = Json::parse(writeSong({history(), {}}));
    for (const char* bad :
         {"../../../../tmp/x", "/etc/passwd", "00ff", "00FF00ff00ff00ff00ff00ff00ff00fg"}) {
        json["takes"][0]["hash"] = bad;
        EXPECT_FALSE(readSong(json.dump(), "s")) << bad;
    }
}

TEST(SongFile, AClipsChannelIsOneOfItsTake)
{
    Json json = Json::parse(writeSong({history(), {}}));
    json["clips"][0][0]["channel"] = 63;
    EXPECT_FALSE(readSong(json.dump(), "s"));
}

TEST(SongFile, KeepsWhatWasDecidedAboutNotesKeysAndTemperaments)
{
    Song song = *history().song();
    const TrackId id = song.tracks[0]->id;
    song = *layNoteByHand(song, id, {Frames(4800), Frames(9600), true, -1, 61.5});
    song = *layNoteByHand(song, id, {Frames(9600), Frames(20000), false});
    song = *setGlide(song, id, milliseconds(35.0));
    song = *addSection(song, "Bridge", {9, 12});
    song = *setSectionKey(song, song.sections[1].id, *parseScale("F", "dorian"));
    song = *setTemperament(song, {Hertz(442.0), *parseTemperament("meantone", 5)});
    const std::string text = writeSong({History(song), {}});
    const auto read = readSong(text, "s");
    ASSERT_TRUE(read) << read.error().message;
    EXPECT_EQ(*read->history.song(), song);
    // Nothing of it that cannot be is taken.
    const auto refuses = [&](const auto& spoil) {
        Json json = Json::parse(text);
        spoil(json);
        const auto spoilt = readSong(json.dump(), "s");
        return !spoilt.has_value();
    };
    EXPECT_TRUE(refuses([](Json& json) { json["tracks"][0]["notes"][1][0] = 9000; }));
    EXPECT_TRUE(refuses([](Json& json) { json["tracks"][0]["notes"][0][3] = 9; }));
    EXPECT_TRUE(refuses([](Json& json) { json["tracks"][0]["notes"][0].erase(4); }));
    EXPECT_TRUE(refuses([](Json& json) { json["tracks"][0]["glide"] = -1.0; }));
    EXPECT_TRUE(refuses([](Json& json) { json["versions"][0]["temperament"]["a4"] = 20.0; }));
    EXPECT_TRUE(refuses([](Json& json) { json["versions"][0]["temperament"]["cents"] = {1, 2}; }));
    EXPECT_TRUE(refuses([](Json& json) {
        json["versions"][0]["sections"][1][4]["degrees"] = Json::array();
    }));
}

TEST(SongFile, KeepsTheGuideAndWhereItWasTakenAway)
{
    const Song without = *history().song();
    const Song with = *takeGuide(
        without, {"Played", {{Seconds(0.1234567890123), Seconds(0.5), 61, 3, 15}, {Seconds(0.2)}}}
    );
    History history(with);
    history.add(*renameSong(with, "still there"), "name");
    history.add(*removeGuide(*history.song()), "away");
    const std::string text = writeSong({history, {}});
    const auto read = readSong(text, "s");
    ASSERT_TRUE(read) << read.error().message;
    EXPECT_EQ(read->history.song()->guide, nullptr);
    for (std::size_t i = 0; i < 3; ++i) {
        EXPECT_EQ(*read->history.version(i).song, *history.version(i).song) << i;
    }
    const auto refuses = [&](const auto& spoil) {
        Json json = Json::parse(text);
        spoil(json["versions"][0]["guide"]);
        return !readSong(json.dump(), "s").has_value();
    };
    EXPECT_TRUE(refuses([](Json& guide) { guide["notes"] = Json::array(); }));
    EXPECT_TRUE(refuses([](Json& guide) { guide["notes"][0][0] = 0.3; }));
    EXPECT_TRUE(refuses([](Json& guide) { guide["notes"][1][2] = 128; }));
    EXPECT_TRUE(refuses([](Json& guide) { guide.erase("name"); }));
}

TEST(SongFile, WhatCanBeSavedCanBeOpened)
{
    Song song = *history().song();
    song.name = std::string(100'000, 'x');
    const auto read = readSong(writeSong({History(song), {}}), "s");
    ASSERT_TRUE(read) << read.error().message;
    EXPECT_EQ(read->history.song()->name, song.name);

    // Fields nobody knows, nested so deeply that writing them back would end the program.
    Json json = Json::parse(writeSong({history(), {}}));
    std::string text = json.dump();
    text.insert(1, "\"strange\":" + std::string(70'000, '[') + std::string(70'000, ']') + ",");
    EXPECT_FALSE(readSong(text, "s"));
    json["strange"] = {{"[[[[", {"}\"{", 1}}};
    const auto kept = readSong(json.dump(), "s");
    ASSERT_TRUE(kept);
    EXPECT_EQ(Json::parse(writeSong(*kept))["strange"], json["strange"]);
}

TEST(SongFile, KeepsItsGeneration)
{
    EXPECT_EQ(readSong(writeSong({history(), {}, 17}), "s")->generation, 17U);
    Json json = Json::parse(writeSong({history(), {}, 17}));
    json.erase("generation");
    EXPECT_EQ(readSong(json.dump(), "s")->generation, 0U);
}

TEST(SongFile, NothingIsReadFromAPipe)
{
    const Folder folder;
    ::mkfifo((folder / "s.orthochron").c_str(), 0600);
    EXPECT_FALSE(loadSong(folder / "s.orthochron"));
    EXPECT_FALSE(loadSong("/dev/zero"));
    EXPECT_FALSE(SoundFileReader::open(folder / "s.orthochron"));
    EXPECT_FALSE(hashOfFile(folder / "s.orthochron"));
}

TEST(SongFile, SavingNeverHarmsWhatWasThere)
{
    const Folder folder;
    ASSERT_TRUE(saveSong({history(), {}}, folder / "s.orthochron"));

    EXPECT_FALSE(saveSong({history(), {}}, folder / "none/s.orthochron"));
    std::filesystem::create_directory(folder / "d.orthochron");
    EXPECT_FALSE(saveSong({history(), {}}, folder / "d.orthochron"));

    EXPECT_TRUE(loadSong(folder / "s.orthochron"));
    EXPECT_EQ(std::distance(std::filesystem::directory_iterator(folder.path()), {}), 2);
    EXPECT_FALSE(loadSong(folder / "missing.orthochron"));
}

TEST(SongLock, IsHeldByOneAtATime)
{
    const Folder folder;
    auto first = SongLock::acquire(folder / "s.orthochron");
    ASSERT_TRUE(first);

    EXPECT_FALSE(SongLock::acquire(folder / "s.orthochron"));
    *first = SongLock();
    EXPECT_TRUE(SongLock::acquire(folder / "s.orthochron"));
}

TEST(SongLock, IsOfTheFileAndNotOfALinkToIt)
{
    const Folder folder;
    std::filesystem::create_directory(folder / "real");
    ASSERT_TRUE(saveSong({history(), {}}, folder / "real/s.orthochron"));
    std::filesystem::create_symlink("real/s.orthochron", folder / "link.orthochron");
    auto first = SongLock::acquire(folder / "real/s.orthochron");
    ASSERT_TRUE(first);

    EXPECT_FALSE(SongLock::acquire(folder / "link.orthochron"));
}

TEST(MidiTempo, ReadsTempiAndMetersAndSurvivesEveryTruncation)
{
    const Folder folder;
    // Format 0, 480 ticks: 120 bpm in 3/4, then 100 bpm after two bars.
    std::string track;
    const auto bytes = [](std::initializer_list<int> values) {
        std::string text;
        for (const int value : values) {
            text += static_cast<char>(value);
        }
        return text;
    };
    track += bytes({0, 0xFF, 0x58, 4, 3, 2, 24, 8});
    track += bytes({0, 0xFF, 0x51, 3, 0x07, 0xA1, 0x20});
    track += bytes({0, 0x90, 60, 100, 0, 60, 0});  // a note, and its end by running status
    track += bytes({0x96, 0x40, 0xFF, 0x51, 3, 0x09, 0x27, 0xC0});
    track += bytes({0, 0xFF, 0x2F, 0});
    std::string file = "MThd" + bytes({0, 0, 0, 6, 0, 0, 0, 1, 0x01, 0xE0}) + "MTrk" +
                       bytes({0, 0, 0, static_cast<int>(track.size())}) + track;
    std::ofstream(folder / "m.mid", std::ios::binary) << file;

    const auto map = readMidiTempo(folder / "m.mid", {4, 4}, Seconds(0.5));

    ASSERT_TRUE(map) << map.error().message;
    EXPECT_EQ(map->meterOfBar(1), (Meter{3, 4}));
    EXPECT_DOUBLE_EQ(map->bpmAt(Beats(0.0)), 120.0);
    EXPECT_DOUBLE_EQ(map->bpmAt(Beats(6.1)), 100.0);
    EXPECT_DOUBLE_EQ(map->timeAt(Beats(0.0)).count(), 0.5);
    for (std::size_t size = 0; size < file.size(); ++size) {
        std::ofstream(folder / "cut.mid", std::ios::binary | std::ios::trunc)
            << file.substr(0, size);
        (void)readMidiTempo(folder / "cut.mid", {4, 4}, Seconds(0.0));
    }
    EXPECT_FALSE(readMidiTempo(folder / "none.mid", {4, 4}, Seconds(0.0)));
}

}  // namespace
}  // namespace orthochron
