#include <QLineEdit>
#include <QListWidget>

#include "app/WindowFixture.h"
#include "app/views/ShapePainter.h"
#include "core/edits/ShapeEdits.h"
#include "core/edits/SpeedEdits.h"
#include "core/render/Print.h"
#include "core/render/Render.h"

// Shape in the real window: lines, hushes and spins by mouse and keys.
namespace orthochron::app {
namespace {

class ShapeWindow : public Window {
protected:
    ShapeWindow()
    {
        openSong();
        press(Qt::Key_7);
        session_->shown.zoomTo({bar(1), bar(9)});
        settle();
    }
    [[nodiscard]] Frames bar(int number)
    {
        return toFrames(song().tempo.timeAt(song().tempo.startOfBar(number)), song().rate);
    }
    [[nodiscard]] QRectF area(int lane)
    {
        return window_->lanes().lanes()[static_cast<std::size_t>(lane)].area;
    }
    [[nodiscard]] QPoint at(int lane, Frames time, double level)
    {
        return {
            static_cast<int>(std::lround(window_->lanes().xOf(time))),
            static_cast<int>(std::lround(levelY(level, area(lane))))};
    }
    void clickAt(QPoint place)
    {
        QTest::mouseClick(&window_->lanes(), Qt::LeftButton, Qt::NoModifier, place);
        settle();
    }
    [[nodiscard]] const LevelLine& line(std::size_t track) { return song().tracks[track]->level; }
    [[nodiscard]] double levelAt(std::size_t track, Frames time)
    {
        return HeardLine(line(track), song().tempo, song().rate).levelAt(time);
    }
    [[nodiscard]] AudioBuffer heard(std::size_t track, Frames from, Frames to)
    {
        AudioBuffer sound(1, to - from);
        EXPECT_TRUE(renderTrack(song(), *song().tracks[track], *document_->sources(), from, sound));
        return sound;
    }
    [[nodiscard]] static bool isSilent(const AudioBuffer& sound)
    {
        return std::ranges::all_of(sound.channel(0), [](float value) { return value == 0.0F; });
    }
};

TEST_F(ShapeWindow, TwoTracksAndTheSongAreFadedAndPrintedToTheCurve)
{
    // A line on one track: a point at 0 dB, one pulled down, another track's drawn lower at once.
    clickAt(area(1).bottomLeft().toPoint() + QPoint(40, -4));
    clickAt(at(1, bar(3), 0.0));
    ASSERT_EQ(line(1).points.size(), 1U);
    clickAt(at(1, bar(5), 0.0));
    ASSERT_EQ(line(1).points.size(), 2U);
    drag(at(1, bar(5), 0.0), at(1, bar(6), -20.0));
    EXPECT_NEAR(levelAt(1, bar(6)), -20.0, 2.5);
    EXPECT_NEAR(levelAt(1, bar(2)), 0.0, 1e-6);
    // The piece between them is bent over the straight line.
    const double straight = levelAt(1, (bar(3) + bar(6)) / 2);
    drag(at(1, (bar(3) + bar(6)) / 2, straight), at(1, (bar(3) + bar(6)) / 2, straight + 6.0));
    EXPECT_GT(levelAt(1, (bar(3) + bar(6)) / 2), straight + 3.0);
    EXPECT_TRUE(document_->history().undoName().starts_with("Bend line of"));
    // Another track faded at its own end by the fields, the song in and out.
    clickAt(area(2).bottomLeft().toPoint() + QPoint(40, -4));
    choose("fadeWhose", 1);
    set("fadeBars", 2.0);
    click("fadeOut");
    EXPECT_EQ(line(2).points.back().level, kSilence);
    choose("fadeWhose", 0);
    click("fadeOut");
    choose("fadeShape", 1);
    click("fadeIn");
    ASSERT_EQ(song().level.points.size(), 4U);

    const testkit::Folder folder;
    PrintSettings settings;
    settings.format = PrintFormat::Wav32Float;
    settings.to = song().end();
    ASSERT_TRUE(printMix(song(), *document_->sources(), folder / "mix.wav", settings));
    const AudioBuffer printed = testkit::readSound(folder / "mix.wav");
    Song plain = song();
    plain.level = {};
    AudioBuffer mix(2, printed.frames());
    ASSERT_TRUE(renderMix(plain, *document_->sources(), Frames(0), mix));
    const HeardLine whole(song().level, song().tempo, song().rate);
    for (std::int64_t i = 0; i < printed.frames().count(); i += 251) {
        const auto frame = static_cast<std::size_t>(i);
        EXPECT_NEAR(
            static_cast<double>(printed.channel(0)[frame]),
            static_cast<double>(mix.channel(0)[frame]) * whole.gainAt(Frames(i)),
            2e-5
        );
    }
    // All of it step by step back.
    while (document_->history().canUndo()) {
        press(Qt::Key_Z, Qt::ControlModifier);
    }
    EXPECT_TRUE(song().level.isEmpty());
    EXPECT_TRUE(line(1).isEmpty());
}

TEST_F(ShapeWindow, BarsAreHushedByOneKeyAndTheSameTakesItBack)
{
    // Over three lanes at once.
    drag(
        QPoint(
            static_cast<int>(window_->lanes().xOf(bar(3))), static_cast<int>(area(3).bottom()) - 3
        ),
        QPoint(
            static_cast<int>(window_->lanes().xOf(bar(5))), static_cast<int>(area(5).bottom()) - 3
        )
    );
    press(Qt::Key_H, Qt::ShiftModifier);
    for (const std::size_t track : {3U, 4U, 5U}) {
        EXPECT_TRUE(isSilent(heard(track, bar(3), bar(5) - Frames(240))));
    }
    EXPECT_TRUE(song().tracks[2]->hushes.empty());
    EXPECT_EQ(document_->history().undoName(), "Hush 3 tracks, 3 to 5");
    press(Qt::Key_H, Qt::ShiftModifier);
    EXPECT_TRUE(song().tracks[3]->hushes.empty());
    // All but these.
    press(Qt::Key_O, Qt::ShiftModifier);
    EXPECT_TRUE(song().tracks[4]->hushes.empty());
    EXPECT_FALSE(song().tracks[0]->hushes.empty());
}

TEST_F(ShapeWindow, AHushIsCopiedTrimmedMovedAndStepsInTheList)
{
    drag(
        QPoint(
            static_cast<int>(window_->lanes().xOf(bar(2))), static_cast<int>(area(0).bottom()) - 3
        ),
        QPoint(
            static_cast<int>(window_->lanes().xOf(bar(3))), static_cast<int>(area(0).bottom()) - 3
        )
    );
    press(Qt::Key_F);
    ASSERT_EQ(song().tracks[0]->hushes.size(), 1U);
    const auto spanOfHush = [&](std::size_t track, std::size_t index) {
        return spanOf(song().tracks[track]->hushes[index], song().tempo, song().rate);
    };
    const auto middle = [&](int lane, Frames time) {
        return QPoint(
            static_cast<int>(window_->lanes().xOf(time)), static_cast<int>(area(lane).bottom()) - 4
        );
    };
    const Frames inside = bar(2) + (bar(3) - bar(2)) / 2;
    const Frames by = bar(3) - bar(2);
    // Copies: later, on another track, and by the keys.
    drag(middle(0, inside), middle(0, inside + by * 2), Qt::ControlModifier);
    ASSERT_EQ(song().tracks[0]->hushes.size(), 2U);
    EXPECT_EQ(spanOfHush(0, 1).from, bar(4));
    drag(middle(0, inside), middle(2, inside + by), Qt::ControlModifier);
    ASSERT_EQ(song().tracks[2]->hushes.size(), 1U);
    EXPECT_EQ(spanOfHush(2, 0).from, bar(3));
    press(Qt::Key_C, Qt::ControlModifier);
    session_->player.seek(bar(7));
    press(Qt::Key_V, Qt::ControlModifier);
    ASSERT_EQ(song().tracks[2]->hushes.size(), 2U);
    EXPECT_EQ(spanOfHush(2, 1).from, bar(7));
    // Trimmed at its end, moved, both on the grid.
    drag(middle(0, bar(3)), middle(0, bar(3) + by / 2));
    EXPECT_LE(std::abs((spanOfHush(0, 0).to - bar(3) - by / 2).count()), 1);
    drag(middle(0, inside), middle(0, inside + by));
    EXPECT_EQ(spanOfHush(0, 0).from, bar(3));
    EXPECT_EQ(document_->history().undoName(), "Move hush");
    // One of no length is refused, and the field says again how long it is.
    set("hushLength", 0.0);
    EXPECT_NE(status().find("longer than 0"), std::string::npos) << status();
    EXPECT_NEAR(child<NumberField>("hushLength")->value(), 1.5, 1e-3);
    EXPECT_EQ(document_->history().undoName(), "Move hush");
    // Named, listed, taken away.
    child<QLineEdit>("hushLabel")->setText(QStringLiteral("no kick"));
    Q_EMIT child<QLineEdit>("hushLabel")->editingFinished();
    settle();
    EXPECT_EQ(song().tracks[0]->hushes[0].label, "no kick");
    EXPECT_EQ(child<QListWidget>("shapeList")->count(), 4);
    press(Qt::Key_Delete);
    EXPECT_EQ(song().tracks[0]->hushes.size(), 1U);
    press(Qt::Key_D);
    EXPECT_NE(status().find("hush"), std::string::npos);
}

TEST_F(ShapeWindow, TheSpeedOfAClipIsDrawnInItOnAllMicrophonesOfTheSet)
{
    click("drawSpeed");
    const auto speedAt = [&](int lane, Frames time, double speed) {
        return QPoint(
            static_cast<int>(std::lround(window_->lanes().xOf(time))),
            static_cast<int>(std::lround(ShapePainter::speedY(speed, area(lane))))
        );
    };
    const auto points = [&](std::size_t track) {
        return speedPointsOf(song().tracks[track]->clips[0]);
    };
    const Frames begin = song().tracks[0]->clips[0].at;
    const Frames length = song().tracks[0]->clips[0].length;
    // A click on the line makes a point, and the ends to run from and to.
    clickAt(speedAt(1, bar(3), 1.0));
    ASSERT_EQ(points(1).size(), 3U);
    EXPECT_LE(std::abs((begin + points(1)[1].at - bar(3)).count()), 1);
    clickAt(speedAt(1, bar(5), 1.0));
    ASSERT_EQ(points(1).size(), 4U);
    // Dragged up: twice as fast, on every microphone, and the clip as long as it was.
    drag(speedAt(1, bar(3), 1.0), speedAt(1, bar(3), 2.0));
    EXPECT_NEAR(points(1)[1].speed, 2.0, 0.15);
    for (std::size_t t = 0; t < song().tracks.size(); ++t) {
        EXPECT_EQ(
            song().tracks[t]->clips[0].sound.treatment, song().tracks[0]->clips[0].sound.treatment
        );
    }
    EXPECT_EQ(song().tracks[0]->clips[0].length, length);
    // The piece to the next point bent over the straight line; a typed speed for the chosen point.
    const double straight = 0.5 * (points(1)[1].speed + 1.0);
    const Frames middle = (bar(3) + bar(5)) / 2;
    drag(speedAt(1, middle, straight), speedAt(1, middle, straight + 1.2));
    EXPECT_GT(points(1)[1].bend, 0.05);
    clickAt(speedAt(1, bar(3), points(1)[1].speed));
    set("spinSpeed", 50.0);
    EXPECT_EQ(points(1)[1].speed, 0.5);
    EXPECT_EQ(document_->history().undoName(), "Set speed");
    // Its content kept, it takes longer.
    choose("speedKeeps", 1);
    set("spinSpeed", 40.0);
    EXPECT_GT(song().tracks[0]->clips[0].length, length);
    press(Qt::Key_Z, Qt::ControlModifier);
    EXPECT_EQ(song().tracks[0]->clips[0].length, length);
    // The pitch alone, and back.
    choose("speedKeeps", 3);
    EXPECT_TRUE(keepsTime(song().tracks[3]->clips[0]));
    EXPECT_EQ(song().tracks[0]->clips[0].length, length);
    choose("speedKeeps", 0);
    EXPECT_FALSE(keepsTime(song().tracks[3]->clips[0]));
    // A point taken away, the whole line, and all of it back.
    clickAt(speedAt(1, bar(3), 0.5));
    press(Qt::Key_Delete);
    EXPECT_EQ(points(1).size(), 3U);
    click("noSpin");
    EXPECT_TRUE(points(1).empty());
    while (document_->history().canUndo()) {
        press(Qt::Key_Z, Qt::ControlModifier);
    }
    EXPECT_EQ(song().tracks[0]->clips[0].sound.treatment, nullptr);
}

TEST_F(ShapeWindow, APointOfASpeedLineIsTypedAndItsStandstillComesBackWithTheSpeed)
{
    click("drawSpeed");
    clickAt(QPoint(
        static_cast<int>(std::lround(window_->lanes().xOf(bar(3)))),
        static_cast<int>(std::lround(ShapePainter::speedY(1.0, area(1))))
    ));
    const auto point = [&] { return speedPointsOf(song().tracks[1]->clips[0])[1]; };
    const auto placeOf = [&](Frames at) {
        return song().tempo.beatsAt(toSeconds(at, song().rate)).count();
    };
    const Frames begin = song().tracks[1]->clips[0].at;
    // Its place, in beats from where the clip begins; never past its neighbours.
    set("spinBeats", 6.0);
    EXPECT_NEAR(placeOf(begin + point().at) - placeOf(begin), 6.0, 1e-3);
    EXPECT_NEAR(child<NumberField>("spinBeats")->value(), 6.0, 1e-3);
    set("spinBeats", 9999.0);
    EXPECT_LT(point().at, song().tracks[1]->clips[0].length);
    press(Qt::Key_Z, Qt::ControlModifier);
    // Standing still; of the pitch alone that is 24 semitones lower, and with the speed it is still again.
    set("spinSpeed", 0.0);
    EXPECT_EQ(point().speed, 0.0);
    choose("speedKeeps", 3);
    EXPECT_EQ(point().speed, kLeastPitchSpeed);
    choose("speedKeeps", 0);
    EXPECT_EQ(point().speed, 0.0);
    EXPECT_NEAR(placeOf(begin + point().at) - placeOf(begin), 6.0, 1e-3);
    // The level goes along when asked to.
    auto* level = child<QCheckBox>("spinLevel");
    const bool was = level->isChecked();
    level->click();
    settle();
    EXPECT_EQ(song().tracks[4]->clips[0].sound.treatment->speed.followsLevel(), !was);
    EXPECT_EQ(speedPointsOf(song().tracks[4]->clips[0]).size(), 3U);
}

TEST_F(ShapeWindow, APitchLineIsDrawnInASemitoneOfRoomAsExactlyAsInTwentyFour)
{
    click("drawSpeed");
    choose("speedKeeps", 3);
    ASSERT_TRUE(child<NumberField>("pitchRange")->isVisible());
    const auto placeOf = [&](Frames time, double semitones, double range) {
        return QPoint(
            static_cast<int>(std::lround(window_->lanes().xOf(time))),
            static_cast<int>(std::lround(
                ShapePainter::speedY(speedOfPitch(semitones), area(1), SpeedScale{range})
            ))
        );
    };
    const auto pitch = [&] {
        return pitchOfSpeed(speedPointsOf(song().tracks[1]->clips[0])[1].speed);
    };
    clickAt(placeOf(bar(3), 0.0, 24.0));
    ASSERT_TRUE(keepsTime(song().tracks[1]->clips[0]));
    drag(placeOf(bar(3), 0.0, 24.0), placeOf(bar(3), 12.0, 24.0));
    EXPECT_NEAR(pitch(), 12.0, 1.0);
    press(Qt::Key_Z, Qt::ControlModifier);
    // With one semitone from the middle to the edge the same way of the mouse is a 24th of that.
    set("pitchRange", 1.0);
    drag(placeOf(bar(3), 0.0, 1.0), placeOf(bar(3), -0.5, 1.0));
    EXPECT_NEAR(pitch(), -0.5, 0.05);
    // What is typed goes beyond what is shown, and its point stands at the lane's edge then.
    EXPECT_FALSE(child<NumberField>("spinSpeed")->isVisible());
    set("pointPitch", -7.5);
    EXPECT_NEAR(pitch(), -7.5, 1e-9);
    clickAt(placeOf(bar(3), -7.5, 1.0));
    EXPECT_NEAR(child<NumberField>("pointPitch")->value(), -7.5, 1e-9);
    press(Qt::Key_Delete);
    EXPECT_EQ(speedPointsOf(song().tracks[1]->clips[0]).size(), 2U);
}

TEST_F(ShapeWindow, ASpeedThatIsDraggedIsHeardBeforeItIsLetGo)
{
    click("drawSpeed");
    const int x = static_cast<int>(std::lround(window_->lanes().xOf(bar(4))));
    const QPoint asItIs(x, static_cast<int>(std::lround(area(1).center().y())));
    const QPoint still(x, static_cast<int>(area(1).bottom()));
    auto& card = dynamic_cast<engine::SimulatedDevice&>(player_->device());
    const auto loudest = [&] {
        float most = 0.0F;
        for (int block = 0; block < 200; ++block) {
            player_->settle();
            for (const float value : card.pump(Frames(256))) {
                // What was read ahead of a change sounds out first.
                most = block > 40 ? std::max(most, std::abs(value)) : most;
            }
        }
        return most;
    };
    const auto moveTo = [&](QPoint place) {
        QTest::qWait(200);  // it is heard a few times a second
        QMouseEvent move(
            QEvent::MouseMove,
            place,
            window_->lanes().mapToGlobal(place),
            Qt::NoButton,
            Qt::LeftButton,
            Qt::NoModifier
        );
        QApplication::sendEvent(&window_->lanes(), &move);
    };
    press(Qt::Key_P);  // no click
    player_->seek(bar(1));
    player_->play();
    ASSERT_GT(loudest(), 0.1F);
    const Song before = song();
    // The whole clip stands still, and runs again, while the mouse is down.
    QTest::mousePress(&window_->lanes(), Qt::LeftButton, Qt::NoModifier, asItIs);
    moveTo(still);
    EXPECT_LT(loudest(), 1e-3F);
    moveTo(asItIs);
    EXPECT_GT(loudest(), 0.1F);
    EXPECT_EQ(song(), before);
    moveTo(still);
    QTest::mouseRelease(&window_->lanes(), Qt::LeftButton, Qt::NoModifier, still);
    settle();
    EXPECT_NE(song(), before);
    EXPECT_LT(loudest(), 1e-3F);
    press(Qt::Key_Z, Qt::ControlModifier);
    EXPECT_GT(loudest(), 0.1F);
}

TEST_F(ShapeWindow, PointsOfSeveralLinesAreChosenAndMovedTogether)
{
    // Two lines of two points each, that end in different bars.
    for (const auto& [lane, end] : {std::pair{1, bar(5)}, std::pair{2, bar(6)}}) {
        clickAt(area(lane).bottomLeft().toPoint() + QPoint(40, -4));
        clickAt(at(lane, bar(3), 0.0));
        clickAt(at(lane, end, 0.0));
        drag(at(lane, end, 0.0), at(lane, end, -12.0));
    }
    ASSERT_EQ(line(2).points.size(), 2U);
    const auto ends = [&](std::size_t track) {
        return HeardLine(line(track), song().tempo, song().rate).timeOfPoint(1);
    };
    const double first = line(1).points[1].level;
    // Both ends with Ctrl; dragging one takes the other along.
    clickAt(at(1, bar(5), first));
    QTest::mouseClick(
        &window_->lanes(),
        Qt::LeftButton,
        Qt::ControlModifier,
        at(2, bar(6), line(2).points[1].level)
    );
    settle();
    EXPECT_EQ(child<QLabel>("linePoint")->text().left(17).toStdString(), "2 points of 2 lin");
    drag(at(2, bar(6), line(2).points[1].level), at(2, bar(7), line(2).points[1].level));
    EXPECT_LE(std::abs((ends(1) - bar(6)).count()), 1);
    EXPECT_LE(std::abs((ends(2) - bar(7)).count()), 1);
    EXPECT_EQ(document_->history().undoName(), "Move 2 points of 2 lines");
    // What is typed goes to both: one place, one level.
    set("pointPlace", 8.0);
    EXPECT_LE(std::abs((ends(1) - bar(8)).count()), 1);
    EXPECT_LE(std::abs((ends(2) - bar(8)).count()), 1);
    set("pointLevel", -20.0);
    EXPECT_EQ(line(1).points[1].level, -20.0);
    EXPECT_EQ(line(2).points[1].level, -20.0);
    // With Ctrl one is left out again, and Delete takes the other alone.
    QTest::mouseClick(&window_->lanes(), Qt::LeftButton, Qt::ControlModifier, at(1, bar(8), -20.0));
    settle();
    press(Qt::Key_Delete);
    EXPECT_EQ(line(1).points.size(), 2U);
    EXPECT_EQ(line(2).points.size(), 1U);
    press(Qt::Key_Z, Qt::ControlModifier);
    // A span over both lanes: where their lines end, chosen by one button, deleted by one key.
    drag(
        area(1).topLeft().toPoint() + QPoint(30, 3), area(2).bottomLeft().toPoint() + QPoint(90, -3)
    );
    click("lineEnds");
    press(Qt::Key_Delete);
    EXPECT_EQ(line(1).points.size(), 1U);
    EXPECT_EQ(line(2).points.size(), 1U);
    EXPECT_EQ(document_->history().undoName(), "Delete 2 points of 2 lines");
}

TEST_F(ShapeWindow, AClipOfAFittedKitSpinsDownOnAllMicrophonesAndBack)
{
    press(Qt::Key_3);
    press(Qt::Key_F);
    press(Qt::Key_4);
    press(Qt::Key_F);
    press(Qt::Key_7);
    const auto before = song().tracks;
    const auto& clips = song().tracks[0]->clips;
    const auto longest = std::ranges::max_element(clips, {}, &Clip::length);
    const std::size_t place = static_cast<std::size_t>(longest - clips.begin());
    const Clip was = *longest;
    session_->shown.zoomTo({was.at, was.end() + Frames(4800)});
    settle();
    const auto corner = [&](Frames time) {
        return QPoint(
            static_cast<int>(std::lround(window_->lanes().xOf(time))),
            static_cast<int>(area(0).top()) + 3
        );
    };
    drag(corner(was.end()), corner(was.end() - was.length / 2));
    ASSERT_TRUE(song().tracks[0]->clips[place].sound.treatment);
    for (const auto& track : song().tracks) {
        const Clip& clip = track->clips[place];
        EXPECT_EQ(
            clip.sound.treatment->speed, song().tracks[0]->clips[place].sound.treatment->speed
        );
        EXPECT_EQ(clip.length, was.length);
        EXPECT_TRUE(spinsOf(clip).down);
    }
    EXPECT_EQ(document_->history().undoName(), "Spin down");
    press(Qt::Key_Z, Qt::ControlModifier);
    EXPECT_EQ(song().tracks, before);
}

TEST_F(ShapeWindow, TheSongsEndIsDraggedAndItsLineLiesAtTheFoot)
{
    LanesView& lanes = window_->lanes();
    const QRect foot = lanes.foot();
    ASSERT_GT(foot.height(), 0);
    clickAt(QPoint(static_cast<int>(lanes.xOf(bar(4))), foot.center().y()));
    ASSERT_EQ(song().level.points.size(), 1U);
    EXPECT_GT(lanes.foot().height(), foot.height());
    const int lastLane = static_cast<int>(lanes.lanes().size()) - 1;
    EXPECT_LE(area(lastLane).bottom(), lanes.foot().top());
    press(Qt::Key_2);
    EXPECT_EQ(lanes.foot().height(), 0);
    press(Qt::Key_7);
    session_->shown.zoomToAll();
    settle();
    const auto inRuler = [&](Frames time) {
        return QPoint(static_cast<int>(std::lround(lanes.xOf(time))), lanes.sheet().top() - 6);
    };
    drag(inRuler(song().end()), inRuler(bar(9)));
    EXPECT_EQ(song().end(), bar(9));
    click("endHere");
    EXPECT_FALSE(song().endMark);
}

TEST_F(ShapeWindow, ALineIsDrawnTypedClearedAndKeptInTime)
{
    clickAt(area(6).bottomLeft().toPoint() + QPoint(40, -4));
    drag(at(6, bar(2), 0.0), at(6, bar(4), -12.0), Qt::ShiftModifier);
    ASSERT_GE(line(6).points.size(), 2U);
    EXPECT_NEAR(levelAt(6, bar(4)), -12.0, 2.0);
    const std::size_t drawn = line(6).points.size();
    press(Qt::Key_D);
    set("pointLevel", -30.0);
    EXPECT_EQ(line(6).points.front().level, -30.0);
    set("pointPlace", 1.5);
    EXPECT_NEAR(line(6).points.front().at.count(), 2.0, 1e-6);
    child<QPushButton>("pieceOver")->click();
    settle();
    EXPECT_GT(line(6).points.front().bend, 0.0);
    child<QPushButton>("pieceStep")->click();
    settle();
    EXPECT_TRUE(line(6).points.front().isStep);
    child<QCheckBox>("lineStays")->click();
    settle();
    EXPECT_EQ(line(6).keeps, Keeps::Time);
    EXPECT_EQ(line(6).points.size(), drawn);
    click("resetLine");
    EXPECT_TRUE(line(6).isEmpty());
}

TEST_F(ShapeWindow, AFadesLengthIsTypedInBarsOrInSeconds)
{
    NumberField* field = child<NumberField>("fadeBars");
    const auto type = [&field, this](const char* text) {
        QTest::mouseClick(field, Qt::LeftButton);
        QTest::keyClicks(field->findChild<QLineEdit*>(), QLatin1String(text));
        QTest::keyClick(field->findChild<QLineEdit*>(), Qt::Key_Return);
        settle();
    };
    const auto fadedOver = [&] {
        click("fadeOut");
        const HeardLine heard(song().level, song().tempo, song().rate);
        EXPECT_EQ(song().level.points.size(), 2U);
        return toSeconds(heard.timeOfPoint(1) - heard.timeOfPoint(0), song().rate).count();
    };
    type("3.5 s");
    EXPECT_EQ(field->unit(), QStringLiteral("s"));
    EXPECT_NEAR(fadedOver(), 3.5, 1e-3);
    press(Qt::Key_Z, Qt::ControlModifier);
    type("2.5");  // of what it was last
    EXPECT_NEAR(fadedOver(), 2.5, 1e-3);
    press(Qt::Key_Z, Qt::ControlModifier);
    type("12 dB");  // no length at all
    EXPECT_NEAR(fadedOver(), 2.5, 1e-3);
    press(Qt::Key_Z, Qt::ControlModifier);
    type("2 bars");
    EXPECT_EQ(field->unit(), QStringLiteral("bars"));
    (void)fadedOver();
    EXPECT_NEAR((song().level.points[1].at - song().level.points[0].at).count(), 8.0, 1e-6);
    // So is a spin's, which says it in the one it was typed in.
    session_->choice.setClips({song().tracks[0]->clips[0].id});
    settle();
    field = child<NumberField>("spinBeats");
    type("1.5 s");
    click("spinDown");
    const auto spin = spinsOf(song().tracks[0]->clips[0]).down;
    ASSERT_TRUE(spin);
    EXPECT_EQ(spin->length, Frames(72000));
    EXPECT_NEAR(field->value(), 1.5, 1e-3);
    type("2 beats");
    click("spinDown");
    EXPECT_NEAR(field->value(), 2.0, 1e-3);
    EXPECT_NEAR(
        toSeconds(spinsOf(song().tracks[0]->clips[0]).down->length, song().rate).count(),
        120.0 / song().tempo.tempi()[0].bpm,
        1e-3
    );
}

TEST_F(ShapeWindow, PointsCopiedFromALineOfBarsArePastedInTimeOnOneThatStays)
{
    clickAt(area(6).bottomLeft().toPoint() + QPoint(40, -4));
    clickAt(at(6, bar(2), 0.0));
    clickAt(at(6, bar(3), 0.0));
    drag(at(6, bar(3), 0.0), at(6, bar(3), -18.0));
    const double low = line(6).points.back().level;
    press(Qt::Key_C, Qt::ControlModifier);

    clickAt(area(5).bottomLeft().toPoint() + QPoint(40, -4));
    clickAt(at(5, bar(1) + Frames(1000), 0.0));
    child<QCheckBox>("lineStays")->click();
    settle();
    player_->seek(bar(5));
    press(Qt::Key_V, Qt::ControlModifier);
    ASSERT_EQ(line(5).keeps, Keeps::Time);
    ASSERT_EQ(line(5).points.size(), 3U);
    const HeardLine heard(line(5), song().tempo, song().rate);
    const HeardLine copied(line(6), song().tempo, song().rate);
    EXPECT_NEAR((heard.timeOfPoint(1) - bar(5)) / Frames(1), 0.0, 1.0);
    EXPECT_NEAR(
        (heard.timeOfPoint(2) - heard.timeOfPoint(1)) /
            (copied.timeOfPoint(1) - copied.timeOfPoint(0)),
        1.0,
        1e-3
    );
    EXPECT_EQ(line(5).points.back().level, low);
}

}  // namespace
}  // namespace orthochron::app
