#include "app/document/Document.h"

#include <QCoreApplication>
#include <QSignalSpy>
#include <QTest>

#include <gtest/gtest.h>

#include "app/document/WaveCache.h"
#include "core/base/Hash.h"
#include "core/edits/TakeEdits.h"
#include "testkit/Folder.h"

// The open song and what is kept beside it.
namespace orthochron::app {
namespace {

using testkit::Folder;

class DocumentTest : public testing::Test {
protected:
    DocumentTest()
    {
        for (const char* name : {"one", "two"}) {
            testkit::writeSound(
                folder_ / (std::string(name) + ".wav"),
                testkit::soundOf(
                    1.0,
                    [&](std::int64_t f) {
                        return *name == 'o' ? 0.5 * std::sin(0.05 * static_cast<double>(f)) : 0.25;
                    }
                )
            );
        }
    }
    ~DocumentTest() override
    {
        document_.discard();
        jobs_.finish();
    }
    Song songOfTakes()
    {
        Song song;
        song.name = "Two takes";
        for (const char* name : {"one.wav", "two.wav"}) {
            song = *addTakes(
                song, {{*takeFromFile(folder_ / name, song.rate, folder_.path()), false}}
            );
        }
        return song;
    }
    QString path(const char* name) { return QString::fromStdString((folder_ / name).string()); }
    void settle()
    {
        for (int i = 0; i < 3; ++i) {
            jobs_.finish();
            QCoreApplication::processEvents();
        }
    }

    Folder folder_;
    JobQueue jobs_;
    Document document_;
};

TEST_F(DocumentTest, SavesAndOpensWithItsHistory)
{
    ASSERT_TRUE(document_.save(path("song.orthochron")));
    ASSERT_TRUE(document_.apply(songOfTakes(), QStringLiteral("Import")));
    ASSERT_TRUE(document_.apply(
        renameTrack(*document_.song(), document_.song()->tracks[0]->id, "Low"),
        QStringLiteral("Rename")
    ));
    EXPECT_TRUE(document_.isChanged());
    ASSERT_TRUE(document_.save(path("song.orthochron")));
    EXPECT_FALSE(document_.isChanged());

    ASSERT_TRUE(document_.open(path("song.orthochron")));
    EXPECT_EQ(document_.song()->tracks[0]->name, "Low");
    document_.undo();
    EXPECT_EQ(document_.song()->tracks[0]->name, "one");
    EXPECT_TRUE(document_.history().canRedo());
    document_.redo();
    EXPECT_EQ(document_.song()->tracks[0]->name, "Low");
}

TEST_F(DocumentTest, SaysOnceThatAnotherSongIsOpenBeforeItsSongIsShown)
{
    ASSERT_TRUE(document_.save(path("song.orthochron")));
    std::vector<int> order;
    QObject::connect(&document_, &Document::opened, &document_, [&] { order.push_back(1); });
    QObject::connect(&document_, &Document::songChanged, &document_, [&] { order.push_back(2); });
    ASSERT_TRUE(document_.open(path("song.orthochron")));
    EXPECT_EQ(order, (std::vector{1, 2}));
    order.clear();
    document_.apply(songOfTakes(), QStringLiteral("Import"));
    document_.undo();
    EXPECT_EQ(order, (std::vector{2, 2}));  // an edit is the same song
}

TEST_F(DocumentTest, AFailedEditChangesNothingAndIsSaid)
{
    std::vector<std::string> said;
    QObject::connect(&document_, &Document::failed, [&](const Error& error) {
        said.push_back(error.message);
    });
    const auto before = document_.song();
    EXPECT_FALSE(document_.apply(
        Result<Song>(badArgument("there is nothing to do")), QStringLiteral("Nothing")
    ));
    EXPECT_EQ(document_.song(), before);
    EXPECT_EQ(said, std::vector<std::string>{"there is nothing to do"});
}

TEST_F(DocumentTest, WhatWasNotSavedComesBackOnlyUntilItIsDiscarded)
{
    ASSERT_TRUE(document_.save(path("song.orthochron")));
    document_.apply(songOfTakes(), QStringLiteral("Import"));
    document_.autosave();
    settle();
    {
        Document after;
        // The lock is the first document's: another program has to be told.
        EXPECT_FALSE(after.open(path("song.orthochron")));
    }
    const auto opened = document_.open(path("song.orthochron"));
    ASSERT_TRUE(opened);
    EXPECT_TRUE(opened->isRecovered);
    EXPECT_EQ(document_.song()->tracks.size(), 2U);
    EXPECT_TRUE(document_.isChanged());

    document_.discard();
    const auto again = document_.open(path("song.orthochron"));
    ASSERT_TRUE(again);
    EXPECT_FALSE(again->isRecovered);
    EXPECT_TRUE(document_.song()->tracks.empty());
}

TEST_F(DocumentTest, AnOlderAutosaveNeverWins)
{
    ASSERT_TRUE(document_.save(path("song.orthochron")));
    document_.apply(songOfTakes(), QStringLiteral("Import"));
    document_.autosave();
    const auto kept = autosavePath(folder_ / "song.orthochron");
    std::filesystem::copy_file(kept, folder_ / "late");
    document_.apply(renameSong(*document_.song(), "Newer"), QStringLiteral("Rename"));
    ASSERT_TRUE(document_.save(path("song.orthochron")));
    EXPECT_FALSE(std::filesystem::exists(kept));

    // It lands after the save all the same, as a lagging disk might have it.
    std::filesystem::copy_file(folder_ / "late", kept);
    auto opened = document_.open(path("song.orthochron"));
    ASSERT_TRUE(opened);
    EXPECT_FALSE(opened->isRecovered);
    EXPECT_EQ(document_.song()->name, "Newer");

    // Nor does one of another song that stood under the name.
    ASSERT_TRUE(document_.save(path("other.orthochron")));
    std::filesystem::copy_file(folder_ / "late", autosavePath(folder_ / "other.orthochron"));
    opened = document_.open(path("other.orthochron"));
    ASSERT_TRUE(opened);
    EXPECT_FALSE(opened->isRecovered);
}

TEST_F(DocumentTest, WhatCouldNotBeSavedStillReachesTheAutosave)
{
    ASSERT_TRUE(document_.save(path("song.orthochron")));
    document_.apply(renameSong(*document_.song(), "Kept"), QStringLiteral("Rename"));
    std::filesystem::create_directory(folder_ / "folder.orthochron");
    EXPECT_FALSE(document_.save(path("folder.orthochron")));
    document_.autosave();
    const auto kept = loadSong(autosavePath(folder_ / "song.orthochron"));
    ASSERT_TRUE(kept);
    EXPECT_EQ(kept->history.song()->name, "Kept");
}

TEST_F(DocumentTest, ASongWithoutANameIsKeptUntilItIsSavedOrDiscarded)
{
    const auto left = [&](const char* name) {
        Document crashed;
        Song song = songOfTakes();
        for (Take& take : song.takes) {
            take.path = (folder_ / take.path).string();  // as imported into a song without a name
        }
        crashed.apply(renameSong(song, name), QStringLiteral("Import"));
        crashed.autosave();
        EXPECT_TRUE(unsavedSongs().empty()) << "it is at work on it";
    };
    left("First");
    const auto kept = unsavedSongs();
    ASSERT_EQ(kept.size(), 1U);
    EXPECT_EQ(kept[0].song->name, "First");
    EXPECT_EQ(kept[0].song->tracks.size(), 2U);

    // The next song without a name has a place of its own.
    document_.apply(renameSong(songOfTakes(), "Second"), QStringLiteral("Import"));
    document_.autosave();
    ASSERT_EQ(unsavedSongs().size(), 1U);
    document_.discard();

    ASSERT_TRUE(document_.openUnsaved(kept[0].file));
    EXPECT_EQ(document_.song()->name, "First");
    EXPECT_TRUE(document_.isChanged());
    EXPECT_TRUE(document_.troubles().empty());
    document_.apply(renameSong(*document_.song(), "First again"), QStringLiteral("Rename"));
    document_.autosave();
    EXPECT_TRUE(std::filesystem::exists(kept[0].file));
    ASSERT_TRUE(document_.save(path("song.orthochron")));
    EXPECT_FALSE(std::filesystem::exists(kept[0].file));
    EXPECT_TRUE(unsavedSongs().empty());
}

TEST(AutosaveLane, SteadyEditingNeverPutsItOff)
{
    const Folder folder;
    Autosave lane(std::chrono::milliseconds(50), [](const std::string&) {});
    Song song;
    int edits = 0;
    // Every edit comes sooner than the delay after the one before.
    while (!std::filesystem::exists(folder / "kept") && edits < 1000) {
        song.name = std::to_string(++edits);
        lane.changed({History(song), {}}, folder / "kept");
        std::this_thread::sleep_for(std::chrono::milliseconds(10));
    }
    EXPECT_LT(edits, 1000);
    lane.flush();
    EXPECT_EQ(loadSong(folder / "kept")->history.song()->name, std::to_string(edits));
}

TEST(AutosaveLane, WritesWhatWaitsBeforeItGoesAndNothingThatWasDropped)
{
    const Folder folder;
    {
        Autosave lane(std::chrono::hours(1), [](const std::string&) {});
        lane.changed({History(Song{}), {}}, folder / "dropped");
        lane.drop();
        lane.changed({History(Song{}), {}}, folder / "kept");
    }
    EXPECT_FALSE(std::filesystem::exists(folder / "dropped"));
    EXPECT_TRUE(std::filesystem::exists(folder / "kept"));
}

TEST(AutosaveLane, SaysWhatWentWrong)
{
    const Folder folder;
    std::string said;
    {
        Autosave lane(std::chrono::hours(1), [&](const std::string& sentence) { said = sentence; });
        lane.changed({History(Song{}), {}}, folder / "no/such/folder");
        lane.flush();
    }
    EXPECT_NE(said.find("no/such/folder"), std::string::npos) << said;
}

TEST_F(DocumentTest, GoesBackToWhatTheFileHolds)
{
    ASSERT_TRUE(document_.save(path("song.orthochron")));
    document_.apply(songOfTakes(), QStringLiteral("Import"));
    ASSERT_TRUE(document_.save(path("song.orthochron")));
    document_.apply(renameSong(*document_.song(), "Other"), QStringLiteral("Rename"));
    ASSERT_TRUE(document_.revert());
    EXPECT_EQ(document_.song()->name, "Two takes");
    EXPECT_FALSE(document_.isChanged());
}

TEST_F(DocumentTest, AMovedTakeIsFoundAgainByItsContentOnly)
{
    ASSERT_TRUE(document_.save(path("song.orthochron")));
    document_.apply(songOfTakes(), QStringLiteral("Import"));
    ASSERT_TRUE(document_.save(path("song.orthochron")));
    std::filesystem::create_directories(folder_ / "moved");
    std::filesystem::rename(folder_ / "one.wav", folder_ / "moved/first.wav");
    ASSERT_TRUE(document_.open(path("song.orthochron")));
    ASSERT_EQ(document_.troubles().size(), 1U);
    const TakeId lost = document_.troubles()[0].take;

    EXPECT_FALSE(document_.relocate(lost, path("two.wav"), *hashOfFile(folder_ / "two.wav")));
    ASSERT_EQ(document_.troubles().size(), 1U);
    ASSERT_TRUE(
        document_.relocate(lost, path("moved/first.wav"), *hashOfFile(folder_ / "moved/first.wav"))
    );
    EXPECT_TRUE(document_.troubles().empty());
    AudioBuffer sound(1, Frames(100));
    ASSERT_TRUE(document_.sources()->read(lost, Frames(0), sound));
    EXPECT_NE(sound.channel(0)[40], 0.0F);
}

TEST_F(DocumentTest, RemembersWhatWasOpenedLatelyNewestFirst)
{
    for (const char* name : {"a.orthochron", "b.orthochron", "a.orthochron"}) {
        ASSERT_TRUE(document_.save(path(name)));
        ASSERT_TRUE(document_.open(path(name)));
    }
    const QStringList recent = Document::recent();
    ASSERT_GE(recent.size(), 2);
    EXPECT_EQ(recent[0], path("a.orthochron"));
    EXPECT_EQ(recent[1], path("b.orthochron"));
    EXPECT_EQ(recent.count(path("a.orthochron")), 1);
}

TEST_F(DocumentTest, PeaksAndSamplesComeInByJobs)
{
    ASSERT_TRUE(document_.save(path("song.orthochron")));
    document_.apply(songOfTakes(), QStringLiteral("Import"));
    ASSERT_TRUE(document_.save(path("song.orthochron")));
    WaveCache waves(jobs_, nullptr);
    QSignalSpy changed(&waves, &WaveCache::changed);
    const TakeId take = document_.song()->takes[1].id;
    waves.setSources(*document_.song(), document_.sources());
    EXPECT_EQ(waves.peaks(take), nullptr);
    settle();
    ASSERT_NE(waves.peaks(take), nullptr);
    EXPECT_NEAR(waves.peaks(take)->loudest(), 0.25, 1e-4);
    EXPECT_GT(changed.count(), 0);

    EXPECT_TRUE(waves.samples(take, 0, Frames(1000), 200).empty());
    settle();
    const auto samples = waves.samples(take, 0, Frames(1000), 200);
    ASSERT_EQ(samples.size(), 200U);
    EXPECT_NEAR(samples[100], 0.25F, 1e-5F);
    // Beyond the take there is silence, not somebody else's sound.
    (void)waves.samples(take, 0, Frames(47990), 20);
    settle();
    const auto end = waves.samples(take, 0, Frames(47990), 20);
    if (end.size() == 20) {
        EXPECT_EQ(end[15], 0.0F);
    }
    EXPECT_EQ(waves.peaks(TakeId{999}), nullptr);
}

}  // namespace
}  // namespace orthochron::app
