#include <QSignalSpy>

#include "app/WindowFixture.h"
#include "core/edits/GridEdits.h"
#include "testkit/Voice.h"

// What is done while something else is still under way, or was undone again.
namespace orthochron::app {
namespace {

class TwoAtOnce : public Window {
protected:
    // A second of a tone, at a rate of its own.
    QString toneAt(double rate, const char* name)
    {
        AudioBuffer sound(1, Frames(static_cast<std::int64_t>(rate)));
        for (std::size_t i = 0; i < sound.channel(0).size(); ++i) {
            sound.channel(0)[i] = static_cast<float>(0.4 * std::sin(0.05 * static_cast<double>(i)));
        }
        const auto path = folder_ / name;
        auto writer = SoundFileWriter::create(
            path, {Hertz(rate), 1, PrintFormat::Wav24, 0, false, sound.frames()}
        );
        EXPECT_TRUE(writer && (*writer)->write(sound) && (*writer)->finish());
        return QString::fromStdString(path.string());
    }

    Folder folder_;
};

TEST_F(TwoAtOnce, ALeadIsRemovedWhileItsHitsAreFound)
{
    openSong();
    session_->hits.detect();
    ASSERT_TRUE(session_->jobs.isRunning(QStringLiteral("hits")));
    const TrackId gone = song().tracks[0]->id;
    ASSERT_TRUE(song().isLead(*song().tracks[0]));
    ASSERT_TRUE(document_->apply(removeTrack(song(), gone), QStringLiteral("Remove")));
    settle();

    EXPECT_EQ(song().track(gone), nullptr);
    EXPECT_NE(status().find("Found"), std::string::npos) << status();
}

TEST_F(TwoAtOnce, AnotherSongIsListenedToAfterOneWasLeftInTheMiddle)
{
    const testkit::Voice voice = testkit::singMelody({{0.3, 0.0}, {0.8, 57.3}, {0.3, 0.0}});
    auto writer = SoundFileWriter::create(
        folder_ / "Alto.wav",
        {Hertz(48000.0), 1, PrintFormat::Wav24, 0, false, voice.sound.frames()}
    );
    ASSERT_TRUE(writer && (*writer)->write(voice.sound) && (*writer)->finish());
    openSong();
    QTest::keyClick(&window_->lanes(), Qt::Key_6);
    ASSERT_TRUE(session_->jobs.isRunning(QStringLiteral("notes")));
    document_->startNew();
    window_->openFiles({QString::fromStdString((folder_ / "Alto.wav").string())});
    settle();
    press(Qt::Key_6);

    const QString figures = child<QLabel>("tuneFigures")->text();
    EXPECT_TRUE(figures.startsWith(QStringLiteral("1 note"))) << figures.toStdString();
}

TEST_F(TwoAtOnce, TwoImportsIntoAnEmptySongAreCountedAtOneRate)
{
    window_->openFiles({toneAt(44100.0, "a.wav")});
    window_->openFiles({toneAt(96000.0, "b.wav")});
    settle();

    ASSERT_EQ(song().takes.size(), 2U);
    EXPECT_EQ(song().rate, Hertz(44100.0));
    EXPECT_EQ(song().takes[0].frames, Frames(44100));
    EXPECT_EQ(song().takes[1].frames, Frames(44100));
}

TEST_F(TwoAtOnce, AnImportThatEndsWhileOneIsAskedAboutIsNotLost)
{
    answerNext(QMessageBox::YesRole);
    window_->openFiles({toneAt(48000.0, "a.wav"), toneAt(48000.0, "b.wav")});
    window_->openFiles({toneAt(48000.0, "c.wav")});
    settle();

    EXPECT_EQ(song().takes.size(), 3U);
    const MicSet* set = song().setOf(song().tracks[0]->id);
    ASSERT_NE(set, nullptr);
    EXPECT_EQ(set->tracks.size(), 2U);
}

TEST_F(TwoAtOnce, UndoOfAMuteTouchesNeitherSourcesNorWaves)
{
    openSong();
    const auto sources = document_->sources();
    const Peaks* peaks = session_->waves.peaks(song().takes[0].id);
    ASSERT_NE(peaks, nullptr);
    QSignalSpy drawn(&session_->waves, &WaveCache::peaksChanged);
    ASSERT_TRUE(document_->apply(
        changeMix(song(), song().tracks[0]->id, {.muted = true}), QStringLiteral("Mute track")
    ));
    document_->undo();
    document_->redo();
    document_->undo();
    settle();

    EXPECT_EQ(document_->sources(), sources);
    EXPECT_EQ(session_->waves.peaks(song().takes[0].id), peaks);
    EXPECT_EQ(drawn.count(), 0);
}

TEST_F(TwoAtOnce, AnUndoneImportComesBackWithItsWaveAndTheOthersKeepTheirs)
{
    openSong();
    const Peaks* first = session_->waves.peaks(song().takes[0].id);
    window_->openFiles({toneAt(48000.0, "a.wav")});
    settle();
    EXPECT_EQ(session_->waves.peaks(song().takes[0].id), first);
    const Peaks* own = session_->waves.peaks(song().takes.back().id);
    ASSERT_NE(own, nullptr);
    const auto sources = document_->sources();
    document_->undo();
    document_->redo();

    EXPECT_EQ(session_->waves.peaks(song().takes.back().id), own);
    EXPECT_EQ(document_->sources(), sources);
}

TEST_F(TwoAtOnce, TheGridOfTheFitIsTheSongsAndUndoneWithIt)
{
    findHitsAndFit();
    const GridSettings before = song().grid;
    choose("grid", 0);
    ASSERT_NE(song().grid, before);
    EXPECT_EQ(session_->fitting.request.grid, song().grid);
    const GridSettings coarse = song().grid;
    document_->undo();
    settle();
    EXPECT_EQ(song().grid, before);
    EXPECT_EQ(session_->fitting.request.grid, before);
    EXPECT_NE(child<QComboBox>("grid")->currentIndex(), 0);
    document_->apply(setGrid(song(), coarse), QStringLiteral("Set grid"));
    settle();
    EXPECT_EQ(child<QComboBox>("grid")->currentIndex(), 0);
    set("swing", 60.0);
    EXPECT_EQ(song().grid.swing, 60.0);
}

TEST_F(TwoAtOnce, ATakeOfAnotherRateIsAsLongInBeatsAsItIs)
{
    window_->openFiles({toneAt(48000.0, "a.wav")});
    settle();
    window_->openFiles({toneAt(44100.0, "b.wav")});
    settle();
    document_->apply(setTempo(song(), 120.0, {}), QStringLiteral("Set tempo"));
    session_->choice.setTrack(song().tracks[1]->id);
    press(Qt::Key_2);
    set("takeBpm", 120.0);

    EXPECT_NEAR(child<NumberField>("lastsBeats")->value(), 2.0, 0.005);
}

TEST_F(TwoAtOnce, TheDemoAsksBeforeItTakesThePlaceOfWhatWasDoneMeanwhile)
{
    const QStringList kept{toneAt(48000.0, "a.wav")};
    window_->openDemo();
    window_->openFiles(kept);
    answerNext(QMessageBox::RejectRole);
    settle();

    ASSERT_EQ(song().takes.size(), 1U);
    EXPECT_EQ(song().takes[0].name, "a");
    EXPECT_NE(status().find("demo song is in"), std::string::npos) << status();
}

}  // namespace
}  // namespace orthochron::app
