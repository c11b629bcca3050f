#include "core/files/SongWriter.h"

#include <gtest/gtest.h>

#include "core/edits/GridEdits.h"
#include "core/edits/MarkEdits.h"
#include "testkit/CutSong.h"

#include <random>

// What is written of a song in few words, and in pieces.
namespace orthochron {
namespace {

using Json = nlohmann::json;
using testkit::cutSong;

// One clip of all microphones is laid elsewhere, and all later ones with it.
Song moved(const Song& song, std::size_t piece)
{
    Song next = song;
    for (const auto& old : song.tracks) {
        Track track = *old;
        for (std::size_t i = piece; i < track.clips.size(); ++i) {
            track.clips[i].at += Frames(3);
        }
        track.clips[piece].in.length = Frames(200);
        putTrack(next, std::move(track));
    }
    return next;
}

void expectSame(const History& read, const History& written)
{
    ASSERT_EQ(read.size(), written.size());
    EXPECT_EQ(read.current(), written.current());
    for (std::size_t i = 0; i < written.size(); ++i) {
        EXPECT_EQ(*read.version(i).song, *written.version(i).song) << i;
        EXPECT_EQ(read.version(i).song->lastId, written.version(i).song->lastId) << i;
        EXPECT_EQ(read.version(i).name, written.version(i).name) << i;
    }
}

TEST(SongWriter, AnEditOfAllMicrophonesCostsAFewBytesForEach)
{
    History history(cutSong(6, 200));
    const std::size_t once = writeSong({history, {}}).size();
    for (std::size_t i = 0; i < 100; ++i) {
        history.add(moved(*history.song(), 17 * i % 200), "Move");
    }
    const std::string text = writeSong({history, {}});
    EXPECT_LT(text.size(), 8 * once);
    // The five other microphones tell their clips from the first one's.
    EXPECT_LT(once, 2 * writeSong({History(cutSong(1, 200)), {}}).size());
    const auto read = readSong(text, "s");
    ASSERT_TRUE(read) << read.error().message;
    expectSame(read->history, history);
}

TEST(SongWriter, OfAPlainTempoOnlyItsPlaceAndPaceAreWritten)
{
    Song song;
    const auto mapOf = [&](double sureness, bool isPinned) {
        std::vector<TempoPoint> tempi{{Beats(0.0), 97.25}, {Beats(8.0), 98.5}};
        tempi[1].sureness = sureness;
        tempi[1].isPinned = isPinned;
        song.tempo = *TempoMap::create(Seconds(0.0), tempi, song.tempo.meters());
        return writeSong({History(song, "s"), {}});
    };
    EXPECT_NE(mapOf(1.0, false).find("[8.0,98.5]"), std::string::npos);
    EXPECT_NE(mapOf(0.5, false).find("[8.0,98.5,false,false,0.5]"), std::string::npos);
    EXPECT_NE(mapOf(1.0, true).find("[8.0,98.5,false,true,1.0]"), std::string::npos);
}

// Random editing, now and then undone, as the autosave sees it.
TEST(SongWriter, WhatIsAppendedReadsAsIfWrittenWhole)
{
    std::mt19937 random(3);
    SongDocument document{History(cutSong(3, 20)), {}, 1};
    SongWriter writer;
    EXPECT_FALSE(writer.more(document));
    std::string text = writer.whole(document);
    for (int step = 0; step < 500; ++step) {
        History& history = document.history;
        ++document.generation;
        const auto what = random() % 6;
        if (what == 0 && history.canUndo()) {
            history.undo();
        } else if (what == 1 && history.canRedo()) {
            history.redo();
        } else if (what == 2) {
            history.add(
                *addMark(
                    *history.song(),
                    history.song()->tracks[0]->id,
                    Frames(static_cast<std::int64_t>(random() % 90000))
                ),
                "Mark"
            );
        } else if (what == 3) {
            history.add(
                *setTempo(*history.song(), 60.0 + static_cast<double>(random() % 100), {4, 4}),
                "Tempo"
            );
        } else {
            history.add(moved(*history.song(), random() % 20), "Move");
        }
        if (random() % 3 == 0) {
            continue;  // the autosave saw only the next one
        }
        const auto more = writer.more(document);
        ASSERT_TRUE(more);
        EXPECT_EQ(std::ranges::count(*more, '\n'), 1);
        text += *more;
        if (step % 25 == 0) {
            const auto read = readSong(text, "s");
            ASSERT_TRUE(read) << read.error().message;
            EXPECT_EQ(read->generation, document.generation);
            expectSame(read->history, history);
        }
    }
}

TEST(SongWriter, OfALineCutShortNothingCounts)
{
    SongDocument document{History(cutSong(2, 10)), {}, 1};
    SongWriter writer;
    const std::string first = writer.whole(document);
    document.history.add(moved(*document.history.song(), 3), "Move");
    const std::string second = *writer.more(document);
    document.history.add(moved(*document.history.song(), 5), "Move again");
    const std::string third = *writer.more(document);
    for (std::size_t size = 0; size < third.size(); ++size) {
        const auto read = readSong(first + second + third.substr(0, size), "s");
        ASSERT_TRUE(read) << size;
        EXPECT_EQ(read->history.size(), 2U);
    }
    EXPECT_EQ(readSong(first + second + third, "s")->history.size(), 3U);
    // A line of another song does not fit.
    EXPECT_FALSE(readSong(first + third, "s"));
}

TEST(SongWriter, AnotherHistoryIsWrittenWhole)
{
    SongWriter writer;
    (void)writer.whole({History(cutSong(1, 3)), {}});
    EXPECT_FALSE(writer.more({History(cutSong(2, 3)), {}}));
}

TEST(SongWriter, FieldsOfANewerProgramAreKeptAtEveryLevel)
{
    History history(cutSong(2, 4));
    FitRecipe recipe;
    recipe.recorded = {history.song()->tracks[0]->clips, history.song()->tracks[1]->clips};
    Song song = *history.song();
    song.sets[0].recipe = std::make_shared<const FitRecipe>(recipe);
    song.sets[0].variants = {std::make_shared<const Variant>(Variant{
        "version 1", BarRange{3, 8}, recipe.recorded, song.sets[0].recipe, {}})};
    history.add(song, "Fit");
    Json json = Json::parse(writeSong({history, {}}));
    const Json mood = {{"colour", "straw"}, {"id", 7}};
    json["mood"] = mood;
    for (Json* part :
         {&json["takes"][0],
          &json["clips"][0][0],
          &json["tracks"][0],
          &json["recipes"][0],
          &json["variants"][0],
          &json["versions"][0],
          &json["versions"][1]["sets"][0]}) {
        ASSERT_TRUE(part->is_object());
        (*part)["mood"] = mood;
    }
    // Twice, and after an edit of what they stand in.
    auto read = readSong(json.dump(), "s");
    ASSERT_TRUE(read) << read.error().message;
    read->history.add(moved(*read->history.song(), 0), "Move");
    read = readSong(writeSong(*read), "s");
    ASSERT_TRUE(read) << read.error().message;
    json = Json::parse(writeSong(*read));
    for (const Json* part :
         {&json,
          &json["takes"][0],
          &json["clips"][0][0],
          &json["tracks"][0],
          &json["recipes"][0],
          &json["variants"][0],
          &json["versions"][0],
          &json["versions"][1]["sets"][0]}) {
        EXPECT_EQ((*part)["mood"], mood);
    }
    EXPECT_TRUE(read->history.song()->tracks[0]->clips[0].extras.text);
}

TEST(SongWriter, ReadsTheFormatsBeforeTheThird)
{
    const std::string clip = R"([5,1,0,100,2000,3000,0.5,9,[240,"matched",0.25],)"
                             R"([480,"equal-gain",0,0.75]])";
    const std::string text =
        R"({"format":"orthochron song","version":2,"rate":48000,"current":1,"takes":[{"id":1,)"
        R"("name":"Kick","path":"Kick.wav","bytes":5,"hash":"","rate":48000,"frames":90000,)"
        R"("channels":1,"format":"","timeStamp":0}],"tracks":[{"id":2,"name":"Kick","clips":[)" +
        clip +
        R"(],"marks":[[7,10,12,0.5,1,0,null,null]],"detection":{"sensitivity":50,"minGap":0.02,)"
        R"("threshold":null},"lead":true,"hidden":false,"muted":false,"soloed":false,)"
        R"("locked":false,"gain":-3,"pan":0}],"recipes":[],"versions":[)"
        R"({"edit":"New song","name":"","tempo":{"firstDownbeat":0,"tempi":[[0,120]],)"
        R"("meters":[[1,4,4]]},"grid":{"division":16,"triplet":false,"swing":50},"takes":[],)"
        R"("tracks":[],"sets":[],"accepted":[],"lastId":0},)"
        R"({"edit":"Import","name":"x","tempo":{"firstDownbeat":0,"tempi":[[0,97]],)"
        R"("meters":[[1,4,4]]},"grid":{"division":16,"triplet":false,"swing":50},"takes":[0],)"
        R"("tracks":[0],"sets":[{"id":3,"name":"Kit","folded":true,"tracks":[2],"recipe":null,)"
        R"("variantName":"way 1","variants":[{"name":"way 2","bars":null,"clips":[[)" +
        clip + R"(]],"recipe":null}]}],"accepted":[],"lastId":9}]})";
    const auto read = readSong(text, "s");
    ASSERT_TRUE(read) << read.error().message;
    const Song& song = *read->history.song();
    const Clip& clip0 = song.tracks[0]->clips.at(0);
    EXPECT_EQ(clip0.at, Frames(2000));
    EXPECT_TRUE(clip0.isLocked && clip0.byHand && !clip0.isMuted);
    EXPECT_EQ(clip0.out.middle, 0.75F);
    EXPECT_EQ(song.tracks[0]->marks.at(0).beatPoint, Frames(12));
    EXPECT_TRUE(song.tracks[0]->isLead);
    EXPECT_TRUE(song.sets[0].isFolded);
    EXPECT_EQ(song.sets[0].variants.at(0)->clips[0], song.tracks[0]->clips);
    EXPECT_TRUE(read->history.version(0).song->tracks.empty());
    // As the third format it is the same song.
    const auto again = readSong(writeSong(*read), "s");
    ASSERT_TRUE(again);
    expectSame(again->history, read->history);
}

TEST(SongWriter, ATakeWhoseNameIsNoUtf8IsFoundAgain)
{
    Song song = cutSong(1, 1);
    song.takes[0].path = "Gro\xDF"
                         "e Trommel.wav";
    song.takes[0].name = "Gro\xDF"
                         "e Trommel";
    const auto read = readSong(writeSong({History(song), {}}), "s");
    ASSERT_TRUE(read) << read.error().message;
    EXPECT_EQ(read->history.song()->takes[0].path, song.takes[0].path);
}

TEST(SongWriter, ATextOfNothingButBracketsIsRefused)
{
    std::string many = R"({"format":"orthochron song","strange":[)";
    for (int i = 0; i < 8'000'000; ++i) {
        many += "[],";
    }
    many += "[]]}";
    EXPECT_FALSE(readSong(many, "s"));
}

}  // namespace
}  // namespace orthochron
