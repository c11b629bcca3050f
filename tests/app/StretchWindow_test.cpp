#include <QAbstractButton>
#include <QLineEdit>

#include "app/WindowFixture.h"
#include "app/stages/hand/PitchKeys.h"
#include "app/views/StrainChart.h"
#include "core/edits/ClipEdits.h"
#include "core/edits/StretchEdits.h"
#include "core/edits/TakeEdits.h"
#include "core/render/Render.h"

// Stretching in the real window: the Stretch way of Fit, its pins, and clips by hand.
namespace orthochron::app {
namespace {

// How alike what the card was given is to what was wanted, from shortly after its start on; 0 of silence.
double alikeness(const std::vector<float>& interleaved, const AudioBuffer& wanted)
{
    double alike = 0.0;
    double heard = 0.0;
    double own = 0.0;
    for (std::size_t i = 1024; 2 * i < interleaved.size(); ++i) {
        const auto a = static_cast<double>(interleaved[2 * i]);
        const auto b = static_cast<double>(wanted.channel(0)[i]);
        alike += a * b;
        heard += a * a;
        own += b * b;
    }
    return heard > 0.0 ? alike / std::sqrt(heard * own) : 0.0;
}

class StretchWindow : public Window {
protected:
    StretchWindow()
    {
        openSong();
        press(Qt::Key_3);
        press(Qt::Key_F);
        press(Qt::Key_4);
        window_->findChild<QAbstractButton*>(QStringLiteral("wayStretch"))->click();
        settle();
    }
    [[nodiscard]] const FitPreview& preview() { return session_->fitting.preview(); }
    [[nodiscard]] const Clip& clip(std::size_t track) { return song().tracks[track]->clips[0]; }
    [[nodiscard]] QString mainButton() { return child<QPushButton>("cutAndJoin")->text(); }
    // A main hit of the first lead that has room on both sides, some bars in.
    [[nodiscard]] std::size_t someHit()
    {
        const auto& hits = preview().performance.hits;
        for (std::size_t i = hits.size() / 2; i + 1 < hits.size(); ++i) {
            const Frames apart = toFrames(milliseconds(120.0), song().rate);
            if (hits[i].role == HitRole::Main && hits[i].played.lead == 0 &&
                hits[i].played.start - hits[i - 1].played.start > apart &&
                hits[i + 1].played.start - hits[i].played.start > apart && hits[i - 1].main != i &&
                hits[i + 1].main != i) {
                return i;
            }
        }
        return 0;
    }
    [[nodiscard]] QPoint footOf(std::size_t hit)
    {
        const Frames at =
            session_->review.heardAt(preview().performance.hits[hit].played.beatPoint);
        const QRect lane = laneOf(song().tracks[0]->id);
        return {static_cast<int>(std::lround(window_->lanes().xOf(at))), lane.bottom() - 6};
    }
    // What the card is given in so many blocks.
    std::vector<float> pump(int blocks)
    {
        auto& card = dynamic_cast<engine::SimulatedDevice&>(player_->device());
        std::vector<float> all;
        for (int i = 0; i < blocks; ++i) {
            player_->settle();
            const auto some = card.pump(Frames(512));
            all.insert(all.end(), some.begin(), some.end());
        }
        return all;
    }
    [[nodiscard]] QRect laneOf(TrackId track)
    {
        for (const Lane& lane : window_->lanes().lanes()) {
            if (lane.track == track) {
                return lane.area;
            }
        }
        return {};
    }
    void showAround(std::size_t hit)
    {
        const Frames at = preview().performance.hits[hit].played.beatPoint;
        const Frames reach = toFrames(Seconds(0.6), song().rate);
        session_->shown.zoomTo({at - reach, at + reach});
        settle();
    }
    void drag(QPoint from, QPoint to, Qt::KeyboardModifiers modifiers)
    {
        LanesView& lanes = window_->lanes();
        QTest::mousePress(&lanes, Qt::LeftButton, modifiers, from);
        QTest::mouseMove(&lanes, from + QPoint(4, 0));
        QMouseEvent move(
            QEvent::MouseMove,
            QPointF(to),
            lanes.mapToGlobal(QPointF(to)),
            Qt::NoButton,
            Qt::LeftButton,
            modifiers
        );
        QApplication::sendEvent(&lanes, &move);
        QTest::mouseRelease(&lanes, Qt::LeftButton, modifiers, to);
        settle();
    }
};

TEST_F(StretchWindow, ProposesAMaterialWithItsReasonAndShowsTheStrainBeforeAnythingIsDone)
{
    EXPECT_EQ(session_->fitting.request.way.material, Material::Hits);
    EXPECT_TRUE(child<QAbstractButton>("material_hits")->isChecked());
    EXPECT_FALSE(child<QAbstractButton>("material_tape")->isEnabled());
    EXPECT_TRUE(child<QLabel>("fitState")->text().contains(QStringLiteral("Suggested: hits")));
    EXPECT_FALSE(child<QComboBox>("shape")->isVisible());
    ASSERT_FALSE(session_->fitting.strain().empty());
    EXPECT_EQ(clip(0).sound.treatment, nullptr);
    EXPECT_TRUE(mainButton().startsWith(QStringLiteral("Stretch to ")));
}

TEST_F(StretchWindow, OneKeyStretchesTheSetUndoTakesItBackAndCuttingIsStillThere)
{
    press(Qt::Key_F);
    ASSERT_NE(clip(0).sound.treatment, nullptr);
    EXPECT_EQ(clip(0).sound.treatment, clip(7).sound.treatment);
    EXPECT_TRUE(mainButton().startsWith(QStringLiteral("Fit again")));
    press(Qt::Key_Z, Qt::ControlModifier);
    EXPECT_EQ(clip(0).sound.treatment, nullptr);
    press(Qt::Key_Z, Qt::ControlModifier | Qt::ShiftModifier);
    ASSERT_NE(clip(0).sound.treatment, nullptr);
    window_->findChild<QAbstractButton*>(QStringLiteral("wayCut"))->click();
    press(Qt::Key_F);
    EXPECT_EQ(clip(0).sound.treatment, nullptr);
    EXPECT_GT(song().tracks[0]->clips.size(), 10U);
}

TEST_F(StretchWindow, DraggingAPinMovesItsHitAndItsNeighboursStay)
{
    const std::size_t hit = someHit();
    showAround(hit);
    const auto heard = [&](std::size_t i) {
        return session_->review.heardAt(preview().performance.hits[i].played.beatPoint);
    };
    const Frames was = heard(hit);
    const Frames before = heard(hit - 1);
    const Frames after = heard(hit + 1);
    const QPoint foot = footOf(hit);

    drag(foot, foot + QPoint(24, 0), Qt::AltModifier);

    const double pixel = session_->shown.scale().framesPerPixel;
    EXPECT_NEAR(static_cast<double>((heard(hit) - was).count()), 24.0 * pixel, 1.5 * pixel);
    EXPECT_EQ(heard(hit - 1), before);
    EXPECT_EQ(heard(hit + 1), after);

    // A double click puts it back; nothing else had moved.
    QTest::mouseDClick(&window_->lanes(), Qt::LeftButton, Qt::NoModifier, footOf(hit));
    settle();
    EXPECT_EQ(heard(hit), was);
}

TEST_F(StretchWindow, WhereMoreIsAskedThanAMaterialBearsItIsSaidWhatHelps)
{
    auto* chart = window_->findChild<StrainChart*>();
    EXPECT_EQ(chart->worstRelief(), QString());
    const std::size_t hit = someHit();
    showAround(hit);
    const auto& hits = preview().performance.hits;
    const Frames room = hits[hit + 1].played.beatPoint - hits[hit].played.beatPoint;
    const int far = static_cast<int>(
        0.6 * static_cast<double>(room.count()) / session_->shown.scale().framesPerPixel
    );
    drag(footOf(hit), footOf(hit) + QPoint(far, 0), Qt::AltModifier);
    ASSERT_TRUE(chart->worst());
    EXPECT_FALSE(strainLimits(Material::Hits).hold(chart->worst()->ratio));
    EXPECT_TRUE(chart->worstRelief().contains(QStringLiteral("delete 1 pin beside it")))
        << chart->worstRelief().toStdString();
    EXPECT_TRUE(chart->worstRelief().endsWith(QStringLiteral("cut instead")));
    // Among what Joins finds, though no join lies there, one after the other, until it is accepted.
    press(Qt::Key_5);
    const auto findings = session_->review.findings();
    ASSERT_FALSE(findings.empty());
    auto* about = child<QLabel>("aboutStrain");
    EXPECT_TRUE(about->isVisible());
    const auto told = [&] { return about->text().toStdString(); };
    EXPECT_NE(told().find(fmt::format("1 of {} · ", findings.size())), std::string::npos) << told();
    EXPECT_NE(told().find("delete 1 pin beside it"), std::string::npos) << told();
    child<QPushButton>("nextStrain")->click();
    EXPECT_TRUE(std::ranges::any_of(findings, [&](const Finding& finding) {
        return finding.at == player_->position();
    }));
    for (std::size_t i = 0; i < findings.size(); ++i) {
        child<QPushButton>("acceptStrain")->click();
        settle();
    }
    EXPECT_TRUE(session_->review.findings().empty());
    EXPECT_FALSE(about->isVisible());
    EXPECT_EQ(document_->history().undoName(), "Accept strain");
    for (std::size_t i = 0; i < findings.size(); ++i) {
        press(Qt::Key_Z, Qt::ControlModifier);
    }
    EXPECT_EQ(session_->review.findings().size(), findings.size());
    press(Qt::Key_4);
    press(Qt::Key_Z, Qt::ControlModifier);
    EXPECT_EQ(chart->worstRelief(), QString());
}

TEST_F(StretchWindow, PinsOfTheChosenRangeGoAlongAndWithCtrlAreDrawnOut)
{
    const std::size_t hit = someHit();
    showAround(hit);
    const Frames was = session_->review.heardAt(preview().performance.hits[hit].played.beatPoint);
    const Frames reach = toFrames(Seconds(0.4), song().rate);
    session_->choice.setRange(TimeRange{was - Frames(100), was + reach});
    settle();
    const auto inside = movedAlong(
        song(), song().sets[0].id, preview(), {was - Frames(100), was + reach}, Frames(0)
    );
    ASSERT_GT(inside.size(), 1U);
    drag(footOf(hit), footOf(hit) + QPoint(14, 0), Qt::AltModifier);
    EXPECT_EQ(
        document_->history().undoName(), "Stretch " + std::to_string(inside.size()) + " hits"
    );
    const auto by =
        session_->review.heardAt(preview().performance.hits[hit].played.beatPoint) - was;
    EXPECT_GT(by, Frames(100));
    for (const HitMove& move : inside) {
        const Frames now =
            session_->review.heardAt(preview().performance.hits[move.hit].played.beatPoint);
        EXPECT_NEAR(static_cast<double>((now - *move.target - by).count()), 0.0, 1.0);
    }
    press(Qt::Key_Z, Qt::ControlModifier);
    // The last of them drawn with Ctrl: the range's beginning stays.
    const std::size_t last = inside.back().hit;
    session_->choice.setRange(TimeRange{was - Frames(100), was + reach});
    settle();
    drag(footOf(last), footOf(last) + QPoint(10, 0), Qt::AltModifier | Qt::ControlModifier);
    const auto moved = [&](std::size_t i) {
        return session_->review.heardAt(preview().performance.hits[i].played.beatPoint) -
               *std::ranges::find(inside, i, &HitMove::hit)->target;
    };
    EXPECT_GT(moved(last), Frames(50));
    EXPECT_LT(moved(hit), moved(last));
}

TEST_F(StretchWindow, APinIsNudgedByKeysAndRefusesToPassItsNeighbour)
{
    const std::size_t hit = someHit();
    showAround(hit);
    const QPoint foot = footOf(hit);
    QTest::mouseClick(&window_->lanes(), Qt::LeftButton, Qt::NoModifier, foot);
    settle();
    const Song untouched = song();
    drag(foot, foot + QPoint(700, 0), Qt::AltModifier);
    EXPECT_TRUE(song() == untouched);
    const Frames at = preview().performance.hits[hit].played.beatPoint;
    window_->action(Command::NudgeOn)->trigger();
    settle();
    const Frames nudged = session_->review.heardAt(at);
    EXPECT_GT(nudged, at);
    window_->action(Command::NudgeOnFine)->trigger();
    settle();
    EXPECT_EQ(session_->review.heardAt(at), nudged + Frames(1));
}

TEST_F(StretchWindow, AClipsPitchAndLengthAreTypedAndItIsListenedToFirst)
{
    window_->findChild<QAbstractButton*>(QStringLiteral("wayByHand"))->click();
    session_->choice.setClips({clip(0).id});
    settle();
    auto* pitch = child<NumberField>("handPitch");
    pitch->setValue(-2.5);
    Q_EMIT pitch->finished(-2.5);
    settle();
    ASSERT_NE(clip(3).sound.treatment, nullptr);
    EXPECT_EQ(clip(3).sound.treatment->semitones, -2.5);
    EXPECT_EQ(clip(3).sound.treatment->material, Material::Hits);
    auto* length = child<NumberField>("handLength");
    length->setValue(110.0);
    Q_EMIT length->finished(110.0);
    settle();
    EXPECT_NEAR(stretchedBy(clip(5)), 1.1, 1e-3);
    // Played at another tempo than the song's it is as much longer, whatever it was stretched by before.
    auto* lasts = child<NumberField>("handBeats");
    QTest::mouseClick(lasts, Qt::LeftButton);
    QTest::keyClicks(lasts->findChild<QLineEdit*>(), QStringLiteral("115 bpm"));
    QTest::keyClick(lasts->findChild<QLineEdit*>(), Qt::Key_Return);
    settle();
    EXPECT_NEAR(stretchedBy(clip(5)), 115.0 / song().tempo.tempi()[0].bpm, 1e-3);
    EXPECT_NEAR(lasts->value(), 115.0, 0.1);
    // Said in the other unit it is the same clip.
    const Song as = song();
    const QString tip = lasts->toolTip();
    EXPECT_TRUE(tip.startsWith(QStringLiteral("Length in beats")));
    lasts->switchUnit();
    // What it means is said in either unit, and how it is changed.
    EXPECT_TRUE(lasts->toolTip().startsWith(QStringLiteral("Length in beats")));
    EXPECT_TRUE(lasts->toolTip().contains(QStringLiteral("Type or drag")));
    EXPECT_NE(lasts->toolTip(), tip);
    EXPECT_NEAR(
        lasts->value(),
        toSeconds(clip(0).length, song().rate).count() * song().tempo.tempi()[0].bpm / 60.0,
        0.01
    );
    EXPECT_TRUE(song() == as);
    // By the keys, from the pitch each has.
    window_->lanes().setFocus();
    press(Qt::Key_PageUp, Qt::AltModifier);
    EXPECT_EQ(clip(3).sound.treatment->semitones, 9.5);
    press(Qt::Key_Down, Qt::AltModifier);
    press(Qt::Key_Down, Qt::AltModifier | Qt::ShiftModifier);
    EXPECT_NEAR(clip(3).sound.treatment->semitones, 8.45, 1e-9);
    pitch->setValue(0.0);
    Q_EMIT pitch->finished(0.0);
    length->setValue(100.0);
    Q_EMIT length->finished(100.0);
    settle();
    EXPECT_EQ(clip(5).sound.treatment, nullptr);
}

TEST_F(StretchWindow, AnEdgeDraggedWithShiftStretchesTheClipOntoABarLine)
{
    window_->findChild<QAbstractButton*>(QStringLiteral("wayByHand"))->click();
    const Frames start = clip(0).at;
    const Frames end = clip(0).end();
    const auto barLine = [&](int bar) {
        return toFrames(song().tempo.timeAt(Beats(4.0 * bar)), song().rate);
    };
    session_->shown.zoomTo({start, end + barLine(2)});
    settle();
    const int lastBar =
        static_cast<int>(song().tempo.beatsAt(toSeconds(end, song().rate)).count() / 4.0);
    const Frames target = barLine(lastBar);
    const QRect lane = laneOf(song().tracks[0]->id);
    const auto at = [&](Frames time) {
        return QPoint(
            static_cast<int>(std::lround(window_->lanes().xOf(time))),
            lane.top() + lane.height() / 3
        );
    };
    const Frames recorded = song().tracks[2]->clips[0].length;
    drag(at(end) - QPoint(2, 0), at(target) - QPoint(2, 0), Qt::ShiftModifier);
    for (const auto& track : song().tracks) {
        ASSERT_EQ(track->clips.size(), 1U);
        EXPECT_EQ(track->clips[0].at, start);
        EXPECT_NE(track->clips[0].sound.treatment, nullptr);
    }
    EXPECT_EQ(clip(0).end(), target);
    EXPECT_NEAR(stretchedBy(clip(0)), (target - start) / (end - start), 1e-4);
    press(Qt::Key_Z, Qt::ControlModifier);
    EXPECT_EQ(clip(2).length, recorded);
    // Without Shift the same drag trims.
    drag(at(end) - QPoint(2, 0), at(target) - QPoint(2, 0), Qt::NoModifier);
    EXPECT_EQ(clip(0).end(), target);
    EXPECT_EQ(clip(0).sound.treatment, nullptr);
}

TEST_F(StretchWindow, AMarkInsideCatchesOnABeatWhileAnEdgeIsStretched)
{
    window_->findChild<QAbstractButton*>(QStringLiteral("wayByHand"))->click();
    const Frames start = clip(0).at;
    const Frames end = clip(0).end();
    const Frames near = toFrames(Seconds(2.5), song().rate);
    session_->shown.zoomTo({end - near, end + near});
    settle();
    LanesView& lanes = window_->lanes();
    const auto marks = markTimes(song(), *song().set(song().sets[0].id), {start, end}, Frames(0));
    ASSERT_FALSE(marks.empty());
    const QRect lane = laneOf(song().tracks[0]->id);
    const QPoint grip(
        static_cast<int>(std::lround(lanes.xOf(end))) - 2, lane.top() + lane.height() / 3
    );
    // A step of the mouse at a time until the reading says that one was caught.
    QTest::mousePress(&lanes, Qt::LeftButton, Qt::ShiftModifier, grip);
    for (int by = 1; by < 60; ++by) {
        const QPointF to = grip - QPoint(by, 0);
        QMouseEvent move(
            QEvent::MouseMove,
            to,
            lanes.mapToGlobal(to),
            Qt::NoButton,
            Qt::LeftButton,
            Qt::ShiftModifier
        );
        QApplication::sendEvent(&lanes, &move);
    }
    QTest::mouseRelease(&lanes, Qt::LeftButton, Qt::ShiftModifier, grip - QPoint(59, 0));
    settle();
    const double ratio = (clip(0).end() - start) / (end - start);
    ASSERT_NE(ratio, 1.0);
    std::int64_t nearest = 1'000'000;
    for (const Frames mark : marks) {
        const Frames now = clip(0).sound.soundTimeOf(mark - start) + clip(0).offset();
        const Beats beat(std::round(song().tempo.beatsAt(toSeconds(now, song().rate)).count()));
        const Frames away = toFrames(song().tempo.timeAt(beat), song().rate) - now;
        nearest = std::min(nearest, std::abs(away.count()));
    }
    EXPECT_LE(nearest, 2) << ratio;
}

// Of a long clip the passage is tried that the song is at, wherever that is.
TEST_F(StretchWindow, PitchesOfALongClipAreTriedWhereTheSongIs)
{
    window_->findChild<QAbstractButton*>(QStringLiteral("wayByHand"))->click();
    settle();
    // Of one microphone.
    ASSERT_TRUE(document_->apply(openSet(song(), song().sets[0].id), QStringLiteral("Open")));
    settle();
    session_->choice.setClips({clip(0).id});
    settle();
    auto* keys = child<QWidget>("pitchKeys");
    press(Qt::Key_P);  // no click
    player_->seek(toFrames(Seconds(17.0), song().rate));
    keys->setFocus();
    const auto isMade = [&] {
        QTest::keyClick(keys, Qt::Key_S);
        return status().find("not ready yet") == std::string::npos;
    };
    ASSERT_TRUE(QTest::qWaitFor(isMade, 60000));
    player_->play();
    (void)pump(30);
    const Frames before = player_->position();
    QTest::keyPress(keys, Qt::Key_S);
    const auto tried = pump(60);
    QTest::keyRelease(keys, Qt::Key_S);
    player_->stop();
    const auto moved = stretchClips(song(), session_->choice.clips(), {.semitones = 1.0});
    ASSERT_TRUE(moved) << moved.error().message;
    AudioBuffer wanted(2, Frames(60 * 512));
    ASSERT_TRUE(renderMix(*moved, *document_->sources(), before, wanted));
    EXPECT_GT(alikeness(tried, wanted), 0.98);
    // Elsewhere it is made anew.
    player_->seek(toFrames(Seconds(2.0), song().rate));
    EXPECT_FALSE(isMade());
    session_->choice.setClips({});  // and no more
    settle();
}

TEST_F(StretchWindow, PitchesAreTriedFromKeysWhileTheSongPlaysAndOneIsKept)
{
    window_->findChild<QAbstractButton*>(QStringLiteral("wayByHand"))->click();
    const Frames cut = toFrames(Seconds(4.0), song().rate);
    ASSERT_TRUE(document_->apply(
        splitClips(song(), {clip(0).id}, {cut}, HandSettings{}), QStringLiteral("Split")
    ));
    settle();
    session_->choice.setClips(withTheirSet(song(), {clip(0).id}));
    settle();
    auto* keys = child<QWidget>("pitchKeys");
    keys->setFocus();
    settle();
    player_->seek(Frames(0));
    player_->play();
    (void)pump(20);
    const Frames before = player_->position();
    QTest::keyPress(keys, Qt::Key_D);  // two up
    const auto tried = pump(60);
    // It is what the set sounds like there, two semitones up.
    Song moved = *stretchClips(song(), session_->choice.clips(), {.semitones = 2.0});
    AudioBuffer wanted(2, Frames(60 * 512));
    ASSERT_TRUE(renderMix(moved, *document_->sources(), before, wanted));
    EXPECT_GT(alikeness(tried, wanted), 0.98);
    QTest::keyRelease(keys, Qt::Key_D);
    (void)pump(4);
    // On a MIDI keyboard, middle C as it is; what is more than an octave away is none of these keys.
    auto* row = dynamic_cast<PitchKeys*>(keys);
    row->playNote(61, true);
    row->playNote(75, true);
    (void)pump(4);
    row->playNote(61, false);
    EXPECT_EQ(clip(0).sound.treatment, nullptr);  // nothing is applied yet
    QTest::keyClick(keys, Qt::Key_Return);
    settle();
    ASSERT_NE(clip(0).sound.treatment, nullptr);
    EXPECT_EQ(clip(0).sound.treatment->semitones, 1.0);
    EXPECT_EQ(song().tracks[5]->clips[0].sound.treatment->semitones, 1.0);
    EXPECT_EQ(song().tracks[0]->clips[1].sound.treatment, nullptr);
    // With the mouse, on the key of the pitch as it is; without clips it says so.
    QTest::mouseMove(keys);
    QTest::mousePress(keys, Qt::LeftButton, {}, QPoint(62 + (keys->width() - 62) / 2, 20));
    (void)pump(4);
    QTest::mouseRelease(keys, Qt::LeftButton, {}, QPoint(62 + (keys->width() - 62) / 2, 20));
    QTest::keyClick(keys, Qt::Key_Escape);  // enough tried: nothing more is made
    EXPECT_EQ(PitchKeys::semitonesOf(Qt::Key_A), 0);
    EXPECT_EQ(PitchKeys::semitonesOf(Qt::Key_P), 12);
    EXPECT_EQ(PitchKeys::semitonesOf(Qt::Key_Q), -12);
    EXPECT_EQ(PitchKeys::semitonesOf(Qt::Key_M), -7);
    EXPECT_FALSE(PitchKeys::semitonesOf(Qt::Key_1));
}

}  // namespace
}  // namespace orthochron::app
