#include "app/WindowFixture.h"
#include "app/stages/tune/Ladder.h"
#include "core/edits/ClipEdits.h"
#include "core/edits/TuneEdits.h"
#include "core/pitch/AnyVoice.h"
#include "core/render/Print.h"
#include "core/render/Render.h"
#include "testkit/Voice.h"

// Tune in the real window, on one take of one voice.
namespace orthochron::app {
namespace {

// Seven notes some cents off, in a file of its own.
class TuneWindow : public Window {
protected:
    TuneWindow()
    {
        const testkit::Voice voice = testkit::singMelody(
            {{0.4, 0.0},
             {0.8, 57.30},
             {0.7, 59.75},
             {0.3, 0.0},
             {0.9, 62.22, 0.35},
             {0.8, 60.04},
             {0.3, 0.0},
             {0.7, 57.0},
             {0.4, 0.0}}
        );
        auto writer = SoundFileWriter::create(
            folder_ / "Alto.wav",
            {Hertz(48000.0), 1, PrintFormat::Wav24, 0, false, voice.sound.frames()}
        );
        EXPECT_TRUE(writer && (*writer)->write(voice.sound) && (*writer)->finish());
        window_->openFiles({QString::fromStdString((folder_ / "Alto.wav").string())});
        settle();
        press(Qt::Key_6);
        session_->shown.zoomToAll();
        settle();
    }
    [[nodiscard]] AudioBuffer heard()
    {
        AudioBuffer sound(1, song().length());
        EXPECT_TRUE(renderTrack(song(), *song().tracks[0], *document_->sources(), Frames(0), sound)
        );
        return sound;
    }
    [[nodiscard]] std::vector<SungNote> notes()
    {
        const AudioBuffer sound = heard();
        return sungNotes(
            *pitchOfAnyVoice(channelOver(sound.channel(0)), song().rate), song().rate, Scale()
        );
    }
    // Where a note of a pitch stands on the ladder: between the lowest and highest of the take.
    [[nodiscard]] QPoint on(double seconds, double midi)
    {
        const QRect foot = window_->lanes().foot();
        const double low = 57.0 - 1.5;
        const double high = 62.22 + 1.5;
        return {
            static_cast<int>(
                std::lround(window_->lanes().xOf(toFrames(Seconds(seconds), song().rate)))
            ),
            static_cast<int>(
                std::lround(foot.bottom() - (midi - low) / (high - low) * foot.height())
            )};
    }
    [[nodiscard]] QString figures() { return child<QLabel>("tuneFigures")->text(); }

    testkit::Folder folder_;
};

TEST_F(TuneWindow, OneFlatNoteIsPutRightOnATakeOfOneTrack)
{
    ASSERT_TRUE(figures().startsWith(QStringLiteral("5 notes"))) << figures().toStdString();
    const auto before = notes();
    ASSERT_EQ(before.size(), 5U);
    // Taken by its middle and let go near its rung: caught.
    drag(on(1.6, 59.75), on(1.6, 59.98));
    const auto after = notes();
    ASSERT_EQ(after.size(), 5U);
    EXPECT_NEAR(after[1].centre, 60.0, 0.02);
    EXPECT_NEAR(after[0].centre, before[0].centre, 0.01);
    EXPECT_NEAR(after[2].centre, before[2].centre, 0.01);
    EXPECT_EQ(song().tracks.size(), 1U);
    EXPECT_EQ(document_->history().undoName(), "Move notes in pitch");
    // By a typed value; 0 puts it back, to the sample.
    set("noteShift", -0.3);
    EXPECT_NEAR(notes()[1].centre, before[1].centre - 0.3, 0.02);
    set("noteShift", 0.0);
    EXPECT_FALSE(song().tracks[0]->clips[0].sound.treatment);
}

TEST_F(TuneWindow, AVerseIsPutRightGentlyAndItsVibratoStays)
{
    const auto before = notes();
    press(Qt::Key_F);
    const auto after = notes();
    ASSERT_EQ(after.size(), before.size());
    for (std::size_t i = 0; i < after.size(); ++i) {
        EXPECT_LT(std::abs(after[i].offset()), 0.12) << i;
    }
    const auto swing = [](const SungNote& note) {
        return std::ranges::max(note.vibrato) - std::ranges::min(note.vibrato);
    };
    EXPECT_NEAR(swing(after[2]) / swing(before[2]), 1.0, 0.08);
    EXPECT_NE(status().find("vibrato kept"), std::string::npos) << status();
    // What was right already is as it was, sample for sample.
    AudioBuffer now = heard();
    press(Qt::Key_Z, Qt::ControlModifier);
    const AudioBuffer sung = heard();
    const auto from = static_cast<std::size_t>(4.3 * 48000.0);
    EXPECT_TRUE(std::ranges::equal(
        now.channel(0).subspan(from, 14400), sung.channel(0).subspan(from, 14400)
    ));
}

TEST_F(TuneWindow, APhraseIsMovedByASemitoneAndAnOctaveByKeys)
{
    const auto before = notes();
    // The two notes of the second phrase, by a band around them.
    drag(on(2.25, 63.0), on(3.8, 59.5));
    press(Qt::Key_Up, Qt::AltModifier);
    auto after = notes();
    ASSERT_EQ(after.size(), 5U);
    EXPECT_NEAR(after[2].centre, before[2].centre + 1.0, 0.03);
    EXPECT_NEAR(after[3].centre, before[3].centre + 1.0, 0.05);
    EXPECT_NEAR(after[1].centre, before[1].centre, 0.01);
    press(Qt::Key_Down, Qt::AltModifier);
    EXPECT_FALSE(song().tracks[0]->clips[0].sound.treatment);
    press(Qt::Key_Down, Qt::ControlModifier | Qt::AltModifier);
    after = notes();
    EXPECT_NEAR(after[2].centre, before[2].centre - 12.0, 0.06);
    // Fine steps, and the formants.
    press(Qt::Key_Z, Qt::ControlModifier);
    press(Qt::Key_Up, Qt::AltModifier | Qt::ShiftModifier);
    EXPECT_NEAR(notes()[2].centre, before[2].centre + 0.05, 0.02);
    choose("noteFormants", 1);
    const auto& pitch = song().tracks[0]->clips[0].sound.treatment->pitch;
    EXPECT_TRUE(std::ranges::any_of(pitch, &PitchPoint::movesFormants));
    press(Qt::Key_Delete);
    EXPECT_FALSE(song().tracks[0]->clips[0].sound.treatment);
}

TEST_F(TuneWindow, ALongNoteIsShortenedAndItsNeighboursStay)
{
    const auto before = notes();
    const double end = toSeconds(before[1].end, song().rate).count();
    // Its right end, drawn to the left; free of the grid.
    drag(on(end - 0.005, 59.75), on(end - 0.155, 59.75), Qt::ControlModifier);
    EXPECT_EQ(document_->history().undoName(), "Move notes in time");
    const auto after = notes();
    ASSERT_EQ(after.size(), 5U);
    EXPECT_NEAR(toSeconds(after[1].end, song().rate).count(), end - 0.15, 0.03);
    const auto near = [&](Frames a, Frames b) { return std::abs((a - b).count()) < 480; };
    EXPECT_TRUE(near(after[0].start, before[0].start));
    EXPECT_TRUE(near(after[2].start, before[2].start));
    EXPECT_TRUE(near(after[3].end, before[3].end));
    press(Qt::Key_Z, Qt::ControlModifier);
    EXPECT_FALSE(song().tracks[0]->clips[0].sound.treatment);
}

TEST_F(TuneWindow, TheKeyIsGuessedTakenAndShownOnTheRungs)
{
    EXPECT_TRUE(child<QPushButton>("likelyKey0")->isVisible());
    click("likelyKey0");
    EXPECT_FALSE(song().key == Scale());
    EXPECT_EQ(document_->history().undoName(), "Key");
    choose("scale", 1);
    choose("tonic", 5);
    EXPECT_EQ(song().key, *parseScale("F", "major"));
    EXPECT_FALSE(song().key.has(66));
    press(Qt::Key_Z, Qt::ControlModifier);
    press(Qt::Key_Z, Qt::ControlModifier);
    press(Qt::Key_Z, Qt::ControlModifier);
    EXPECT_EQ(song().key, Scale());
}

TEST_F(TuneWindow, WhatIsTunedSurvivesCuttingSavingAndPrinting)
{
    press(Qt::Key_F);
    const AudioBuffer whole = heard();
    ASSERT_TRUE(document_->apply(
        splitClips(
            song(), {song().tracks[0]->clips.front().id}, {Frames(2 * 48000)}, HandSettings{}
        ),
        QStringLiteral("Split")
    ));
    ASSERT_EQ(song().tracks[0]->clips.size(), 2U);
    const AudioBuffer split = heard();
    for (std::size_t i = 0; i < split.channel(0).size(); ++i) {
        ASSERT_NEAR(split.channel(0)[i], whole.channel(0)[i], 1e-6F);
    }
    const auto path = folder_ / "tuned.orthochron";
    ASSERT_TRUE(document_->save(QString::fromStdString(path.string())));
    const auto read = loadSong(path);
    ASSERT_TRUE(read);
    EXPECT_EQ(*read->history.song(), song());
    PrintSettings settings;
    settings.format = PrintFormat::Wav32Float;
    settings.to = song().length();
    ASSERT_TRUE(printTracks(
        song(), *document_->sources(), {{song().tracks[0]->id, folder_ / "out.wav", 0}}, settings
    ));
    EXPECT_EQ(testkit::readSound(folder_ / "out.wav"), split);
}

class NothingToTune : public Window {};

TEST_F(NothingToTune, IsSaidPlainly)
{
    openSong();
    press(Qt::Key_6);
    session_->choice.setTrack(song().tracks[5]->id);  // an overhead
    settle();
    press(Qt::Key_F);
    EXPECT_NE(status().find("No single pitch"), std::string::npos) << status();
    EXPECT_FALSE(document_->history().canUndo());
}

}  // namespace
}  // namespace orthochron::app
