#include <QTableWidget>

#include "app/WindowFixture.h"
#include "core/render/PrintedWork.h"

#include <set>

// Takes, Grid and Print in the real window.
namespace orthochron::app {
namespace {

class TakesBench : public Window {
protected:
    QTableWidget* table() { return child<QTableWidget>("takesTable"); }
    [[nodiscard]] static QString file(const char* name)
    {
        return QString::fromStdString((Kit::shared().folder() / name).string());
    }
};

TEST_F(TakesBench, SaysOfEachTakeHowLongAndWhatItIs)
{
    openSong();
    ASSERT_EQ(table()->rowCount(), 8);
    EXPECT_EQ(table()->item(0, 0)->text(), QStringLiteral("Kick in"));
    EXPECT_NE(table()->item(0, 2)->text().indexOf(QStringLiteral("48")), -1);
    EXPECT_NE(table()->item(0, 3)->text().indexOf(QStringLiteral("24 bit")), -1);
    for (int row = 0; row < 8; ++row) {
        EXPECT_EQ(table()->item(row, 1)->text(), table()->item(0, 1)->text());
        EXPECT_FALSE(table()->item(row, 4)->text().isEmpty());
    }
}

TEST_F(TakesBench, ImportsChosenFilesAndAFolderAsOneEdit)
{
    chooseFileNext(Kit::shared().folder() / "Tom.wav");
    click("importTakes");
    ASSERT_EQ(song().tracks.size(), 1U);
    EXPECT_EQ(song().tracks[0]->name, "Tom");

    const auto folder = Kit::shared().folder().path() / "more";
    std::filesystem::create_directories(folder / "inside");
    std::filesystem::copy_file(
        Kit::shared().folder() / "Room.wav",
        folder / "inside/Room.wav",
        std::filesystem::copy_options::overwrite_existing
    );
    std::ofstream(folder / "notes.txt") << "No sound";
    drop({QString::fromStdString(folder.string())});
    ASSERT_EQ(song().tracks.size(), 2U);
    EXPECT_EQ(song().tracks[1]->name, "Room");
    press(Qt::Key_Z, Qt::ControlModifier);
    EXPECT_EQ(song().tracks.size(), 1U);
}

TEST_F(TakesBench, OpensAMicSetAndMakesItAgain)
{
    openSong();
    click("openSet");
    EXPECT_TRUE(std::ranges::all_of(song().sets, &MicSet::isLone));
    EXPECT_EQ(song().tracks.size(), 8U);
    table()->selectRow(0);
    table()->setSelectionMode(QAbstractItemView::MultiSelection);
    table()->selectRow(1);
    click("makeSet");
    EXPECT_EQ(song().sets.size(), 7U);
    EXPECT_EQ(song().sets[0].tracks.size(), 2U);
}

TEST_F(TakesBench, FoldsTheSetToItsLeads)
{
    openSong();
    const auto& lanes = window_->lanes().lanes();
    ASSERT_EQ(lanes.size(), 8U);
    click("foldSet");
    EXPECT_EQ(lanes.size(), 2U);
    press(Qt::Key_B, Qt::ControlModifier);
    EXPECT_EQ(lanes.size(), 8U);
}

TEST_F(TakesBench, RenamesMovesHidesAndRemovesTracksWithKeys)
{
    openSong();
    session_->choice.setTrack(song().tracks[3]->id);
    typeNext(QStringLiteral("Snare below"));
    press(Qt::Key_F2);
    EXPECT_EQ(song().tracks[3]->name, "Snare below");

    press(Qt::Key_Up, Qt::ControlModifier);
    EXPECT_EQ(song().tracks[2]->name, "Snare below");
    press(Qt::Key_Down, Qt::ControlModifier);
    EXPECT_EQ(song().tracks[3]->name, "Snare below");

    press(Qt::Key_H, Qt::ControlModifier);
    EXPECT_EQ(window_->lanes().lanes().size(), 7U);
    press(Qt::Key_H, Qt::ControlModifier | Qt::ShiftModifier);
    EXPECT_EQ(window_->lanes().lanes().size(), 8U);

    press(Qt::Key_Delete, Qt::ControlModifier);
    EXPECT_EQ(song().tracks.size(), 7U);
    EXPECT_TRUE(std::filesystem::exists(Kit::shared().folder() / "Snare under.wav"));
    press(Qt::Key_Z, Qt::ControlModifier);
    EXPECT_EQ(song().tracks.size(), 8U);
}

class GridBench : public Window {
protected:
    GridBench()
    {
        openSong();
        press(Qt::Key_2);
    }
};

TEST_F(GridBench, TypesTempoMeterAndBarOne)
{
    set("bpm", 120.5);
    EXPECT_DOUBLE_EQ(song().tempo.tempi().front().bpm, 120.5);
    set("firstDownbeat", 1.25);
    EXPECT_DOUBLE_EQ(song().tempo.firstDownbeat().count(), 1.25);
    auto* meter = child<QComboBox>("meter");
    meter->setCurrentText(QStringLiteral("7/8"));
    Q_EMIT meter->textActivated(QStringLiteral("7/8"));
    settle();
    EXPECT_EQ(song().tempo.meterOfBar(1), (Meter{7, 8}));
    EXPECT_NE(status().find("7/8"), std::string::npos) << status();
}

TEST_F(GridBench, RefusesAMeterThatIsNoneAndShowsTheOldOneAgain)
{
    const Song before = song();
    auto* meter = child<QComboBox>("meter");
    for (const char* wrong : {"4", "0/4", "4/3", "four", "99/4"}) {
        meter->setCurrentText(QLatin1String(wrong));
        Q_EMIT meter->textActivated(QLatin1String(wrong));
        settle();
        EXPECT_EQ(song(), before) << wrong;
        EXPECT_EQ(meter->currentText(), QStringLiteral("4/4")) << wrong;
    }
}

TEST_F(GridBench, HalvesAndDoublesTheTempoWithinReason)
{
    click("doubleTime");
    EXPECT_DOUBLE_EQ(song().tempo.tempi().front().bpm, 184.0);
    click("halfTime");
    click("halfTime");
    EXPECT_DOUBLE_EQ(song().tempo.tempi().front().bpm, 46.0);
    click("halfTime");
    const Song slow = song();
    click("halfTime");  // 11.5 bpm is no tempo
    EXPECT_EQ(song(), slow);
}

TEST_F(GridBench, PutsBarOneAtThePlayheadAndNudgesItWithKeys)
{
    player_->seek(toFrames(Seconds(0.75), song().rate));
    click("downbeatHere");
    EXPECT_NEAR(song().tempo.firstDownbeat().count(), 0.75, 1e-9);
    press(Qt::Key_Right, Qt::ControlModifier);
    EXPECT_NEAR(song().tempo.firstDownbeat().count(), 0.751, 1e-9);
    press(Qt::Key_Left, Qt::ShiftModifier);
    EXPECT_NEAR(song().tempo.firstDownbeat().count(), 0.7509, 1e-9);
    press(Qt::Key_Right);  // a whole sample
    EXPECT_NEAR(song().tempo.firstDownbeat().count(), 0.7509 + 1.0 / 48000.0, 1e-9);
    // The audio does not move.
    EXPECT_EQ(song().tracks[0]->clips[0].at, Frames(0));
}

class PrintBench : public Window {
protected:
    PrintBench()
    {
        openSong();
        press(Qt::Key_9);
        folder_ = Kit::shared().folder().path() /
                  ("prints-" +
                   std::string(testing::UnitTest::GetInstance()->current_test_info()->name()));
        child<QLineEdit>("printFolder")->setText(QString::fromStdString(folder_.string()));
    }
    std::string says() { return child<QLabel>("printSays")->text().toStdString(); }

    std::filesystem::path folder_;
};

TEST_F(PrintBench, SaysBeforehandWhatWillBeWrittenAndWritesThat)
{
    EXPECT_NE(says().find("1 file: Small kit.wav"), std::string::npos) << says();
    EXPECT_NE(says().find(folder_.string()), std::string::npos);
    EXPECT_EQ(says().find("replaced"), std::string::npos);

    click("print");

    const AudioBuffer mix = testkit::readSound(folder_ / "Small kit.wav");
    EXPECT_EQ(mix.frames(), song().length());
    EXPECT_EQ(mix.channels(), 2);
    EXPECT_NE(status().find("Printed 1 file, peak"), std::string::npos) << status();
    EXPECT_NE(says().find("1 existing file(s) will be replaced"), std::string::npos) << says();
}

TEST_F(PrintBench, WritesTheChosenRangeOfEachTrackInTheChosenFormat)
{
    session_->choice.setRange(TimeRange{Frames(48000), Frames(96000)});
    choose("printWhat", 1);
    choose("printRange", 1);
    choose("printFormat", 3);
    click("print");

    std::set<std::string> names;
    for (const auto& entry : std::filesystem::directory_iterator(folder_)) {
        names.insert(entry.path().filename().string());
    }
    EXPECT_EQ(names.size(), 8U);
    EXPECT_TRUE(names.contains("Over left.flac"));
    const AudioBuffer printed = testkit::readSound(folder_ / "Tom.flac");
    ASSERT_EQ(printed.frames(), Frames(48000));
    AudioBuffer rendered(1, Frames(48000));
    ASSERT_TRUE(renderClips(song().tracks[4]->clips, *document_->sources(), Frames(48000), rendered)
    );
    for (std::size_t i = 0; i < 48000; i += 7) {
        ASSERT_NEAR(printed.channel(0)[i], rendered.channel(0)[i], 1.3e-7F);
    }
}

TEST_F(PrintBench, DitherIsForSixteenBitOnly)
{
    EXPECT_FALSE(child<QCheckBox>("dither")->isEnabled());
    choose("printFormat", 1);
    EXPECT_TRUE(child<QCheckBox>("dither")->isEnabled());
    child<QCheckBox>("dither")->click();
    EXPECT_NE(says().find("with dither"), std::string::npos);
    choose("printFormat", 2);
    EXPECT_EQ(says().find("with dither"), std::string::npos);
}

TEST_F(PrintBench, APrintTakesThePlaceOfItsSetAndIsFittedUndoneAndOpenedAgain)
{
    press(Qt::Key_3);
    press(Qt::Key_F);
    press(Qt::Key_4);
    press(Qt::Key_F);
    const Song before = song();
    ASSERT_GT(before.tracks[0]->clips.size(), 20U);
    press(Qt::Key_9);
    choose("printWhat", 2);
    choose("printLands", 1);
    EXPECT_NE(says().find("8 files of Kit"), std::string::npos) << says();
    EXPECT_FALSE(child<QLineEdit>("printFolder")->isEnabled());
    EXPECT_FALSE(child<QPushButton>("openPrint")->isEnabled());
    click("print");

    ASSERT_EQ(song().tracks[0]->clips.size(), 1U) << status();
    EXPECT_EQ(document_->history().undoName(), "Print Kit");
    EXPECT_EQ(song().set(song().sets[0].id)->tracks.size(), 8U);
    // Its marks are where its hits are: it can be fitted again.
    EXPECT_GT(song().tracks[0]->marks.size(), 20U);
    press(Qt::Key_4);
    press(Qt::Key_F);
    EXPECT_GT(song().tracks[0]->clips.size(), 1U) << status();
    press(Qt::Key_Z, Qt::ControlModifier);

    press(Qt::Key_P, Qt::ShiftModifier);
    EXPECT_EQ(song().tracks[0]->clips, before.tracks[0]->clips);
    press(Qt::Key_P, Qt::ShiftModifier);
    EXPECT_EQ(song().tracks[0]->clips.size(), 1U);
    press(Qt::Key_S, Qt::ControlModifier);
    open();
    openSong();
    press(Qt::Key_9);
    click("openPrint");
    for (std::size_t t = 0; t < before.tracks.size(); ++t) {
        EXPECT_EQ(*song().tracks[t], *before.tracks[t]);
    }
    EXPECT_EQ(song().sets, before.sets);
    // The next print has a name of its own.
    choose("printWhat", 3);
    choose("printLands", 2);
    click("print");
    EXPECT_EQ(song().tracks.size(), 16U) << status();
    EXPECT_TRUE(song().tracks[0]->isMuted);
    EXPECT_EQ(song().takes.back().name.find("print 2") == std::string::npos, false)
        << song().takes.back().name;
    press(Qt::Key_Z, Qt::ControlModifier);
    EXPECT_EQ(song().tracks.size(), 8U);
}

TEST_F(PrintBench, ASongIsCollectedWithItsTakes)
{
    document_->apply(renameTrack(song(), song().tracks[0]->id, "Kick"), QStringLiteral("Rename"));
    window_->action(Command::CollectSong)->trigger();
    EXPECT_NE(status().find("Save the song first"), std::string::npos) << status();
    press(Qt::Key_S, Qt::ControlModifier);
    const auto folder = Kit::shared().folder() / "collected";
    std::filesystem::create_directories(folder);
    chooseFileNext(folder);
    window_->action(Command::CollectSong)->trigger();
    settle();
    EXPECT_TRUE(std::filesystem::exists(folder / "Small kit.orthochron")) << status();
    EXPECT_TRUE(std::filesystem::exists(folder / "takes/Kick in.wav"));
}

TEST_F(PrintBench, TheTableSaysWhatBecomesFixedOfWhatThereIs)
{
    const auto picture = [&] { return child<QWidget>("printTable")->grab().toImage(); };
    const QImage song = picture();
    choose("printWhat", 2);
    EXPECT_NE(picture(), song);
    EXPECT_TRUE(becomesFixed(PrintedWork::Cuts, PrintExtent::Clips));
    EXPECT_FALSE(becomesFixed(PrintedWork::Lines, PrintExtent::Clips));
    EXPECT_TRUE(becomesFixed(PrintedWork::Lines, PrintExtent::Stem));
    EXPECT_FALSE(becomesFixed(PrintedWork::TrackLevel, PrintExtent::Stem));
    EXPECT_FALSE(becomesFixed(PrintedWork::SongLine, PrintExtent::Track));
}

TEST_F(PrintBench, WhatWasEditedWhileItWasPrintedIsLeftAlone)
{
    choose("printWhat", 2);
    choose("printLands", 1);
    QTest::mouseClick(child<QPushButton>("print"), Qt::LeftButton);
    document_->apply(
        changeMix(song(), song().tracks[1]->id, {.gainDecibels = -3.0}), QStringLiteral("Level")
    );
    const Song edited = song();
    settle();
    EXPECT_EQ(song(), edited);
    EXPECT_NE(status().find("changed meanwhile"), std::string::npos) << status();
}

TEST_F(PrintBench, NeverLandsOnATake)
{
    choose("printWhat", 1);
    child<QLineEdit>("printFolder")
        ->setText(QString::fromStdString(Kit::shared().folder().path().string()));
    const auto take = Kit::shared().folder() / "Kick in.wav";
    const auto before = std::filesystem::last_write_time(take);
    click("print");
    EXPECT_EQ(std::filesystem::last_write_time(take), before);
    EXPECT_NE(status().find("is one of the source takes"), std::string::npos) << status();
}

TEST_F(PrintBench, SaysWhenItCannotWriteAndLeavesNothing)
{
    child<QLineEdit>("printFolder")->setText(QStringLiteral("/proc/nowhere"));
    click("print");
    EXPECT_NE(status().find("/proc/nowhere"), std::string::npos) << status();
}

TEST_F(PrintBench, TakesSlashesOutOfTheSongsName)
{
    Song named = song();
    named.name = "Side A/take 2";
    document_->apply(named, QStringLiteral("Name"));
    settle();
    click("print");
    EXPECT_TRUE(std::filesystem::exists(folder_ / "Side A-take 2.wav")) << status();
}

}  // namespace
}  // namespace orthochron::app
