#include "app/WindowFixture.h"
#include "app/stages/grid/loop/SeamView.h"

// A loop taken out of a recording by ear: its edges moved by mouse, keys and numbers while it goes round.
namespace orthochron::app {
namespace {

class GridLoop : public Window {
protected:
    GridLoop()
    {
        openSong();
        session_->choice.setTrack(song().tracks[2]->id);
        press(Qt::Key_2);
        click("wayLoop");
        session_->shown.zoomTo({frames(0.0), frames(10.0)});
        settle();
    }
    Frames frames(double seconds) { return toFrames(Seconds(seconds), song().rate); }
    void chooseSpan(double from, double to)
    {
        session_->choice.setRange(TimeRange{frames(from), frames(to)});
        settle();
    }
    double shown(const char* name) { return child<NumberField>(name)->value(); }
    TimeRange span() { return session_->choice.range().value(); }
    void dragSeam(int from, int to)
    {
        auto* view = child<SeamView>("seam");
        QTest::mousePress(view, Qt::LeftButton, {}, QPoint(from, 60));
        for (int x = from; x != to; x += to > from ? 1 : -1) {
            QMouseEvent move(
                QEvent::MouseMove,
                QPointF(x, 60),
                view->mapToGlobal(QPointF(x, 60)),
                Qt::NoButton,
                Qt::LeftButton,
                {}
            );
            QApplication::sendEvent(view, &move);
        }
        QTest::mouseRelease(view, Qt::LeftButton, {}, QPoint(to, 60));
        settle();
    }
};

TEST_F(GridLoop, SaysLiveHowManyBeatsItHasAndAtWhatTempo)
{
    EXPECT_FALSE(child<QPushButton>("takeLoop")->isEnabled());
    chooseSpan(1.0, 3.0);
    EXPECT_TRUE(child<QPushButton>("takeLoop")->isEnabled());
    EXPECT_NEAR(shown("loopFrom"), 1.0, 1e-4);
    EXPECT_NEAR(shown("loopTo"), 3.0, 1e-4);
    set("loopBeats", 4.0);
    EXPECT_NEAR(shown("loopBpm"), 120.0, 1e-3);
    EXPECT_NEAR(shown("loopBars"), 1.0, 1e-6);
    // A tempo typed moves the end; the beats stay.
    set("loopBpm", 100.0);
    EXPECT_NEAR(shown("loopTo"), 3.4, 1e-3);
    EXPECT_NEAR(shown("loopBeats"), 4.0, 1e-6);
    set("loopTo", 3.5);
    EXPECT_NEAR(shown("loopBpm"), 96.0, 1e-2);
    // Another stretch is counted anew.
    const TempoMap& map = song().tempo;
    chooseSpan(map.timeAt(map.startOfBar(2)).count(), map.timeAt(map.startOfBar(4)).count());
    EXPECT_NEAR(shown("loopBeats"), 8.0, 1e-6);
    // An end before the beginning cannot be.
    set("loopTo", 0.5);
    EXPECT_GT(span().to, span().from);
    EXPECT_TRUE(document_->song()->tracks.size() == 8);
}

TEST_F(GridLoop, EdgesAreDraggedInTheLanesAndNudgedByKeys)
{
    chooseSpan(2.0, 4.0);
    const int lane = 2;
    drag(onLane(lane, frames(4.0)), onLane(lane, frames(5.0)), Qt::ControlModifier);
    EXPECT_NEAR(toSeconds(span().to, song().rate).count(), 5.0, 0.02);
    EXPECT_EQ(span().from, frames(2.0));
    drag(onLane(lane, frames(2.0)), onLane(lane, frames(1.5)), Qt::ControlModifier);
    EXPECT_NEAR(toSeconds(span().from, song().rate).count(), 1.5, 0.02);

    const TimeRange before = span();
    press(Qt::Key_Right);  // the edge that was held last
    EXPECT_EQ(span().from, before.from + Frames(1));
    press(Qt::Key_D);  // the end now
    press(Qt::Key_Left, Qt::ControlModifier);
    EXPECT_EQ(span().to, before.to - frames(0.001));
}

TEST_F(GridLoop, EitherSideOfTheSeamIsDragged)
{
    chooseSpan(2.0, 4.0);
    const int width = child<SeamView>("seam")->width();
    const Frames perPixel(2 * frames(0.020).count() / width);
    dragSeam(width / 4, width / 4 + 20);
    EXPECT_NEAR(
        static_cast<double>((span().to - frames(4.0)).count()),
        -20.0 * static_cast<double>(perPixel.count()),
        40.0
    );
    EXPECT_EQ(span().from, frames(2.0));
    dragSeam(3 * width / 4, 3 * width / 4 - 20);
    EXPECT_GT(span().from, frames(2.0));
}

TEST_F(GridLoop, GoesRoundAloneWhileItsEdgesMoveAndAllIsAsBeforeAfterwards)
{
    chooseSpan(2.0, 4.0);
    click("hearLoop");
    EXPECT_TRUE(player_->isWanted());
    ASSERT_TRUE(player_->loop());
    EXPECT_EQ(player_->loop()->from, frames(2.0));
    set("loopTo", 3.0);
    EXPECT_EQ(player_->loop()->to, frames(3.0));
    EXPECT_TRUE(player_->isWanted());
    click("hearLoop");
    EXPECT_FALSE(player_->isWanted());
    EXPECT_FALSE(player_->loop());
}

TEST_F(GridLoop, TheSeamIsClosedAndTheLoopTakenOutAndUndone)
{
    // Two bars of the drummer: the end goes to where it is more like the beginning.
    const TempoMap& map = song().tempo;
    const double bar = (map.timeAt(map.startOfBar(3)) - map.timeAt(map.startOfBar(2))).count();
    chooseSpan(1.0, 1.0 + 2.0 * bar);
    const auto likeness = [&] {
        const Channel channel = document_->sources()->channel(song().tracks[2]->markedTake, 0);
        return seamOf(channel, song().rate, span().from, span().to)->likeness;
    };
    const double before = likeness();
    click("closeSeam");
    EXPECT_GT(likeness(), before);
    EXPECT_NE(status().find("Loop end moved"), std::string::npos) << status();
    EXPECT_LE(std::abs((span().to - frames(1.0 + 2.0 * bar)).count()), frames(0.025).count());
    set("loopTimes", 4.0);
    const TimeRange taken = span();
    click("takeLoop");
    ASSERT_EQ(song().tracks.size(), 16U);
    const auto loop = song().track(session_->choice.track());
    EXPECT_EQ(loop->name, song().tracks[2]->name + " loop");
    EXPECT_EQ(loop->clips.size(), 4U);
    EXPECT_EQ(loop->clips.back().end(), taken.from + (taken.to - taken.from) * 4);
    EXPECT_NE(status().find("loop placed on a new track below"), std::string::npos) << status();
    press(Qt::Key_Z, Qt::ControlModifier);
    EXPECT_EQ(song().tracks.size(), 8U);
    press(Qt::Key_F);  // the stage's main action is to take it out
    EXPECT_EQ(song().tracks.size(), 16U);
    // Where nothing lies before the beginning, too.
    session_->choice.setTrack(song().tracks[2]->id);
    chooseSpan(0.0, 1.0);
    click("closeSeam");
    click("takeLoop");
    EXPECT_EQ(song().tracks.size(), 24U);
}

}  // namespace
}  // namespace orthochron::app
