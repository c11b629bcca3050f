#include "app/WindowFixture.h"
#include "app/stages/tune/Ladder.h"
#include "core/edits/ClipEdits.h"
#include "core/edits/GridEdits.h"
#include "core/edits/SectionEdits.h"
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
    // Opens the menu of a button and takes one of its entries.
    void pickFromMenu(const char* button, const QString& entry)
    {
        click(button);
        auto* menu = qobject_cast<QMenu*>(QApplication::activePopupWidget());
        ASSERT_NE(menu, nullptr);
        const auto actions = menu->actions();
        const auto found = std::ranges::find(actions, entry, &QAction::text);
        ASSERT_NE(found, actions.end());
        QTest::mouseClick(menu, Qt::LeftButton, {}, menu->actionGeometry(*found).center());
        settle();
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
    press(Qt::Key_PageDown, Qt::AltModifier);
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

TEST_F(TuneWindow, NotesAreBroughtIntoTimeAndTheOneThatIsRightStays)
{
    // Sixteenths of a quarter of a second each from the first note on: the others are 50 ms off.
    const auto before = notes();
    ASSERT_EQ(before.size(), 5U);
    const Seconds first = toSeconds(before[0].start, song().rate);
    ASSERT_TRUE(document_->apply(setTempo(song(), 60.0, {4, 4}, first), QString()));
    session_->fitting.request.fit.drift = 1.0;
    session_->fitting.request.fit.feel = 1.0;
    session_->fitting.request.fit.stray = 1.0;
    session_->fitting.requestChanged();
    settle();
    click("intoTime");
    const auto after = notes();
    ASSERT_EQ(after.size(), 5U);
    const std::array<double, 5> lines{0.4, 1.15, 2.15, 3.15, 4.15};
    for (std::size_t i = 0; i < 5; ++i) {
        EXPECT_NEAR(toSeconds(after[i].start, song().rate).count(), lines[i], 0.02) << i;
        EXPECT_NEAR(after[i].centre, before[i].centre, 0.03) << i;
    }
    EXPECT_EQ(song().tracks[0]->clips[0].sound.soundTimeOf(before[0].start), before[0].start);
    EXPECT_NE(status().find("mean distance to grid"), std::string::npos) << status();
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

TEST_F(TuneWindow, NotesAreSplitMergedDroppedAndDrawnAndNothingSoundsOtherwise)
{
    const auto count = [&] { return figures().section(QLatin1Char(' '), 0, 0).toInt(); };
    const AudioBuffer sung = heard();
    ASSERT_EQ(count(), 5);
    // A double click splits where it falls.
    QTest::mouseDClick(&window_->lanes(), Qt::LeftButton, {}, on(2.9, 62.22));
    QTest::mouseRelease(&window_->lanes(), Qt::LeftButton, {}, on(2.9, 62.22));
    settle();
    EXPECT_EQ(count(), 6);
    EXPECT_EQ(document_->history().undoName(), "Split note");
    ASSERT_EQ(song().tracks[0]->notes.size(), 2U);
    const Frames split = song().tracks[0]->notes[0].end;
    EXPECT_NEAR(toSeconds(split, song().rate).count(), 2.9, 0.02);
    // Both chosen by a band and made one of again.
    drag(on(2.3, 63.2), on(3.05, 61.2));
    click("mergeNotes");
    EXPECT_EQ(count(), 5);
    // What is no note is none; taken back it is one again.
    drag(on(1.3, 60.3), on(1.8, 59.2));
    click("noNote");
    EXPECT_EQ(count(), 4);
    press(Qt::Key_Escape);
    click("asFound");
    EXPECT_EQ(count(), 5);
    EXPECT_TRUE(song().tracks[0]->notes.empty());
    // Drawn where none was found, in the pause.
    drag(on(1.95, 58.0), on(2.15, 58.0), Qt::ControlModifier);
    EXPECT_EQ(count(), 6);
    EXPECT_NEAR(song().tracks[0]->notes[0].pitch, 58.0, 0.2);
    EXPECT_EQ(heard(), sung);
    EXPECT_FALSE(song().tracks[0]->clips[0].sound.treatment);
    // At the playhead, by the button; a second time there is nothing to split.
    session_->player.seek(toFrames(Seconds(0.8), song().rate));
    click("splitNote");
    EXPECT_EQ(count(), 7);
    const auto path = folder_ / "decided.orthochron";
    ASSERT_TRUE(document_->save(QString::fromStdString(path.string())));
    EXPECT_EQ(*loadSong(path)->history.song(), song());
    for (int i = 0; i < 6; ++i) {
        press(Qt::Key_Z, Qt::ControlModifier);
    }
    EXPECT_EQ(count(), 5);
}

TEST_F(TuneWindow, AWrongOctaveIsReadRightByOneKeyAndOnlyTheReadingMoves)
{
    const AudioBuffer sung = heard();
    drag(on(1.3, 60.3), on(1.8, 59.2));
    press(Qt::Key_PageUp, Qt::ControlModifier);
    ASSERT_EQ(song().tracks[0]->notes.size(), 1U);
    EXPECT_EQ(song().tracks[0]->notes[0].octaves, 1);
    EXPECT_EQ(heard(), sung);
    // Alone an octave up beside what it touches it may have been found wrong: it is offered.
    auto* offered = child<QPushButton>("octavesRight");
    ASSERT_TRUE(offered->isVisible());
    EXPECT_TRUE(offered->text().startsWith(QStringLiteral("Correct octaves (1)")))
        << offered->text().toStdString();
    click("octavesRight");
    EXPECT_EQ(song().tracks[0]->notes[0].octaves, 0);
    EXPECT_FALSE(offered->isVisible());
}

TEST_F(TuneWindow, TuningStaysWhereNotesAreDecidedAnew)
{
    drag(on(1.3, 60.3), on(1.8, 59.2));
    set("noteShift", 0.5);
    const auto before = notes();
    QTest::mouseDClick(&window_->lanes(), Qt::LeftButton, {}, on(1.5, 60.25));
    QTest::mouseRelease(&window_->lanes(), Qt::LeftButton, {}, on(1.5, 60.25));
    settle();
    ASSERT_EQ(song().tracks[0]->notes.size(), 2U);
    const auto after = notes();
    ASSERT_EQ(after.size(), before.size());
    EXPECT_NEAR(after[1].centre, before[1].centre, 0.05);
}

TEST_F(TuneWindow, RungsLieWhereTheSongIsTunedTo)
{
    // Everything a quarter tone sharp of a low A4: the errors say so.
    const auto off = [&] {
        return figures()
            .section(QStringLiteral(", "), 1, 1)
            .section(QLatin1Char(' '), 2, 2)
            .toInt();
    };
    const int equal = off();
    set("a4", 415.0);
    EXPECT_EQ(song().temperament.a4, Hertz(415.0));
    EXPECT_NEAR(off(), equal, 2);  // a semitone lower: the same distances
    set("a4", 427.0);
    EXPECT_GT(off(), equal);
    choose("temperament", 1);
    EXPECT_EQ(song().temperament.cents, *parseTemperament("just", 0));
    // Twelve numbers of one's own, and what is no twelve numbers.
    QTimer::singleShot(0, [] {
        auto* dialog = qobject_cast<QInputDialog*>(QApplication::activeModalWidget());
        ASSERT_NE(dialog, nullptr);
        dialog->setTextValue(QStringLiteral("0 1 2 3 4 5 6 7 8 9 10 11"));
        dialog->accept();
    });
    choose("temperament", 4);
    EXPECT_EQ(song().temperament.cents[11], 11.0);
    QTimer::singleShot(0, [] {
        auto* dialog = qobject_cast<QInputDialog*>(QApplication::activeModalWidget());
        ASSERT_NE(dialog, nullptr);
        dialog->setTextValue(QStringLiteral("0 1 2 x"));
        dialog->accept();
    });
    choose("temperament", 4);
    EXPECT_EQ(song().temperament.cents[11], 11.0);
    EXPECT_NE(status().find("twelve numbers"), std::string::npos) << status();
}

TEST_F(TuneWindow, ASectionHasItsOwnKeyAndATakeItsOwnGlide)
{
    ASSERT_TRUE(document_->apply(addSection(song(), "Bridge", {2, 3}), QStringLiteral("Section")));
    settle();
    ASSERT_TRUE(child<QComboBox>("keyFor")->isVisible());
    choose("keyFor", 1);
    choose("scale", 1);
    ASSERT_TRUE(song().sections[0].key);
    EXPECT_EQ(*song().sections[0].key, *parseScale("C", "major"));
    EXPECT_EQ(song().key, Scale());
    EXPECT_EQ(rungsAt(song(), 2).key, *parseScale("C", "major"));
    EXPECT_EQ(rungsAt(song(), 5).key, Scale());
    set("noteOffset", 100.0);
    set("glide", 40.0);
    EXPECT_EQ(song().tracks[0]->glide, milliseconds(40.0));
    EXPECT_EQ(notes().size(), 5U);
    set("glide", 0.0);
    EXPECT_FALSE(song().tracks[0]->glide);
}

TEST_F(TuneWindow, ADoubleFollowsItsGuideInPitchAndTime)
{
    const testkit::Voice late = testkit::singMelody(
        {{0.46, 0.0}, {0.8, 56.9}, {0.66, 60.1}, {0.32, 0.0}, {0.88, 61.8}, {0.8, 60.3}, {0.6, 0.0}}
    );
    auto writer = SoundFileWriter::create(
        folder_ / "Double.wav",
        {Hertz(48000.0), 1, PrintFormat::Wav24, 0, false, late.sound.frames()}
    );
    ASSERT_TRUE(writer && (*writer)->write(late.sound) && (*writer)->finish());
    window_->openFiles({QString::fromStdString((folder_ / "Double.wav").string())});
    settle();
    ASSERT_EQ(song().tracks.size(), 2U);
    const auto guide = notes();
    session_->choice.setTrack(song().tracks[1]->id);
    settle();
    choose("guide", 1);
    settle();
    set("towardsPitch", 100.0);
    set("towardsTime", 100.0);
    click("follow");
    EXPECT_NE(status().find("4 of 4 notes follow"), std::string::npos) << status();
    AudioBuffer sound(1, song().length());
    ASSERT_TRUE(renderTrack(song(), *song().tracks[1], *document_->sources(), Frames(0), sound));
    const auto followed = sungNotes(
        *pitchOfAnyVoice(channelOver(sound.channel(0)), song().rate), song().rate, Scale()
    );
    ASSERT_GE(followed.size(), 4U);
    for (std::size_t i = 0; i < 4; ++i) {
        EXPECT_NEAR(followed[i].centre, guide[i].centre, 0.06) << i;
        EXPECT_NEAR(
            toSeconds(followed[i].start, song().rate).count(),
            toSeconds(guide[i].start, song().rate).count(),
            0.03
        ) << i;
    }
    press(Qt::Key_Z, Qt::ControlModifier);
    EXPECT_FALSE(song().tracks[1]->clips[0].sound.treatment);
    press(Qt::Key_6);
    session_->shown.zoomToAll();
    settle();
    // The guide lies beside it on the ladder: a click on one of its beams takes it up, and back.
    EXPECT_NE(child<QPushButton>("beside")->text().indexOf(QStringLiteral("Alto")), -1);
    QTest::mouseClick(&window_->lanes(), Qt::LeftButton, {}, on(2.65, guide[2].centre));
    settle();
    EXPECT_EQ(session_->choice.track(), song().tracks[0]->id);
    EXPECT_NE(child<QPushButton>("beside")->text().indexOf(QStringLiteral("Double")), -1);
    choose("guide", 0);
    pickFromMenu("beside", QStringLiteral("Double"));
    EXPECT_EQ(child<QPushButton>("beside")->text().indexOf(QStringLiteral("Double")), -1);
    pickFromMenu("beside", QStringLiteral("Double"));
    EXPECT_NE(child<QPushButton>("beside")->text().indexOf(QStringLiteral("Double")), -1);
    session_->choice.setTrack(song().tracks[1]->id);
    settle();
    // Onto the grid: the starts of notes become marks that Fit takes.
    click("markStarts");
    EXPECT_EQ(song().tracks[1]->marks.size(), 4U);
}

TEST_F(TuneWindow, ANoteIsHeardAloneOrAgainstAToneOnItsRung)
{
    auto& card = dynamic_cast<engine::SimulatedDevice&>(player_->device());
    drag(on(2.3, 63.2), on(3.05, 61.2));
    // What sounds at a pitch, in the middle of what is played.
    const auto levelAt = [&](double hertz) {
        press(Qt::Key_H);
        std::vector<float> all;
        for (int i = 0; i < 120; ++i) {
            player_->settle();
            QTest::qWait(i < 12 ? 12 : 0);
            const auto some = card.pump(Frames(256));
            all.insert(all.end(), some.begin(), some.end());
        }
        player_->stop();
        (void)card.pump(Frames(2048));
        QTest::qWait(40);
        double re = 0.0;
        double im = 0.0;
        for (std::size_t i = 10'000; i < 25'000; ++i) {
            const double turn = 2.0 * 3.14159265358979 * hertz * static_cast<double>(i) / 48000.0;
            re += static_cast<double>(all[2 * i]) * std::cos(turn);
            im += static_cast<double>(all[2 * i]) * std::sin(turn);
        }
        return std::hypot(re, im) / 15'000.0;
    };
    const double rung = 440.0 * std::exp2((62.0 - 69.0) / 12.0);
    choose("hearing", 1);
    const double alone = levelAt(rung);
    choose("hearing", 2);
    const double withTone = levelAt(rung);
    EXPECT_GT(withTone, alone + 0.02);
    // A fifth above D in D major, and only with the chord.
    choose("scale", 1);
    choose("tonic", 2);
    drag(on(2.3, 63.2), on(3.05, 61.2));
    const double fifth = 440.0 * std::exp2((69.0 - 69.0) / 12.0);
    const double without = levelAt(fifth);
    choose("hearing", 3);
    EXPECT_GT(levelAt(fifth), without + 0.01);
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
