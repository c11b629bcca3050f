#include <QAbstractButton>

#include "app/WindowFixture.h"
#include "app/views/StrainChart.h"
#include "core/edits/StretchEdits.h"

// Stretching in the real window: the Stretch way of Fit, its pins, and clips by hand.
namespace orthochron::app {
namespace {

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
    EXPECT_TRUE(child<QLabel>("fitState")->text().contains(QStringLiteral("hits suits it")));
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
    EXPECT_GT(session_->review.heardAt(at), at);
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
    pitch->setValue(0.0);
    Q_EMIT pitch->finished(0.0);
    length->setValue(100.0);
    Q_EMIT length->finished(100.0);
    settle();
    EXPECT_EQ(clip(5).sound.treatment, nullptr);
}

}  // namespace
}  // namespace orthochron::app
