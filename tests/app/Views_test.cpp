#include "app/WindowFixture.h"
#include "app/views/FeelDial.h"
#include "app/views/JoinViews.h"
#include "app/views/TimingChart.h"

#include <set>
#include <thread>

// What the views say and show, by what is under the pointer.
namespace orthochron::app {
namespace {

class Views : public Window {
protected:
    Views()
    {
        openSong();
        press(Qt::Key_3);
        press(Qt::Key_F);
        press(Qt::Key_4);
    }
    void hover(QWidget* widget, QPoint at)
    {
        session_->say(QString());  // what was said last comes before a hint
        QMouseEvent move(
            QEvent::MouseMove, at, widget->mapToGlobal(at), Qt::NoButton, Qt::NoButton, {}
        );
        QApplication::sendEvent(widget, &move);
        settle();
    }
    TimingChart* chart() { return window_->findChild<TimingChart*>(); }
    FeelDial* dial() { return window_->findChild<FeelDial*>(); }
    [[nodiscard]] int pixelsLike(QWidget* widget, const QColor& colour)
    {
        const QImage image = widget->grab().toImage();
        int count = 0;
        for (int y = 0; y < image.height(); ++y) {
            for (int x = 0; x < image.width(); ++x) {
                const QColor here = image.pixelColor(x, y);
                count += std::abs(here.red() - colour.red()) < 24 &&
                                 std::abs(here.green() - colour.green()) < 24 &&
                                 std::abs(here.blue() - colour.blue()) < 24
                             ? 1
                             : 0;
            }
        }
        return count;
    }
};

TEST_F(Views, TheChartSaysOfAHitWhereItIsAndHowFarOff)
{
    bool isSaid = false;
    for (int x = 40; x < chart()->width() - 10 && !isSaid; x += 3) {
        for (int y = 12; y < chart()->height() - 12 && !isSaid; y += 6) {
            hover(chart(), {x, y});
            isSaid = status().find("drift") != std::string::npos &&
                     status().find("ms") != std::string::npos;
        }
    }
    EXPECT_TRUE(isSaid) << status();
}

TEST_F(Views, TheChartShowsOneLeadAloneWhenItIsInFocus)
{
    const int early = pixelsLike(chart(), Theme::palette().early);
    const int late = pixelsLike(chart(), Theme::palette().late);
    choose("focusLead", 1);
    EXPECT_LT(
        pixelsLike(chart(), Theme::palette().early) + pixelsLike(chart(), Theme::palette().late),
        (early + late) * 8 / 10
    );
    choose("focusLead", 0);
    EXPECT_NEAR(pixelsLike(chart(), Theme::palette().late), late, late / 20 + 4);
}

TEST_F(Views, TheDialSaysWhichToothIsHeldAndEmptiesWhenFeelIsTakenOut)
{
    const int teeth = pixelsLike(dial(), Theme::palette().late);
    EXPECT_GT(teeth, 20);
    const QPoint right(dial()->width() / 2 + 62, (dial()->height() - 34) / 2);
    hover(dial(), right);
    EXPECT_NE(status().find("feel of step 5"), std::string::npos) << status();
    // All of the feel taken out: the teeth of what would be left are gone from the preview.
    set("feel", 100.0);
    EXPECT_EQ(session_->fitting.preview().moves.figures.feel.after.count(), 0.0);
}

TEST_F(Views, TheRibbonIsColouredWhereThePlayerIsOffAndCalmerAfterTheFit)
{
    LanesView& lanes = window_->lanes();
    const auto coloured = [&] {
        const QImage ribbon =
            lanes.grab(QRect(lanes.headWidth(), 0, 1000, LanesView::kRibbonHeight)).toImage();
        int count = 0;
        for (int y = 0; y < ribbon.height(); ++y) {
            for (int x = 0; x < ribbon.width(); ++x) {
                const QColor here = ribbon.pixelColor(x, y);
                count += here.hsvSaturation() > 90 ? 1 : 0;
            }
        }
        return count;
    };
    // At full size the mark of the view covers it all: look at a part.
    press(Qt::Key_Up);
    press(Qt::Key_Up);
    press(Qt::Key_Up);
    press(Qt::Key_Up);
    const int before = coloured();
    EXPECT_GT(before, 100);
    set("feel", 100.0);
    set("stray", 100.0);
    press(Qt::Key_F);
    EXPECT_LT(coloured(), before * 2 / 3);
}

TEST_F(Views, HintsSayWhatTheMouseWouldDoInEveryStage)
{
    LanesView& lanes = window_->lanes();
    const QPoint middle = onLane(0, song().tracks[0]->marks[4].at + Frames(9000));
    std::set<std::string> said;
    for (const int stage : {1, 2, 3, 4}) {
        window_->showStage(stage);
        settle();
        hover(&lanes, middle);
        EXPECT_FALSE(status().empty());
        said.insert(status());
    }
    EXPECT_GE(said.size(), 2U);
    hover(&lanes, {400, 20});
    EXPECT_NE(status().find("Drag to scroll"), std::string::npos) << status();
    hover(&lanes, {400, LanesView::kRibbonHeight + 8});
    EXPECT_NE(status().find("playhead"), std::string::npos) << status();
}

TEST_F(Views, NumbersThatDifferAreADashUntilOneIsTyped)
{
    auto* field = child<NumberField>("leaveWithin");
    field->setValue(3.0);
    const QImage plain = field->grab().toImage();
    field->setMixed(true);
    EXPECT_NE(field->grab().toImage(), plain);
    field->setMixed(false);
    EXPECT_EQ(field->grab().toImage(), plain);
    field->setMixed(true);
    field->setFocus();
    QTest::keyClick(field, Qt::Key_Up);
    EXPECT_GT(field->value(), 3.0);
    QTest::keyClick(field, Qt::Key_Return);
    QTest::keyClick(field->findChild<QLineEdit*>(), Qt::Key_Delete);
    EXPECT_EQ(field->value(), 0.0);
}

TEST_F(Views, TheNightSheetTurnsPaperDarkAndBackAgain)
{
    LanesView& lanes = window_->lanes();
    const auto lightness = [&] { return lanes.grab().toImage().pixelColor(400, 60).lightness(); };
    const int day = lightness();
    press(Qt::Key_F9);
    EXPECT_LT(lightness(), day - 80);
    EXPECT_TRUE(window_->action(Command::DarkTheme)->isChecked());
    press(Qt::Key_F9);
    EXPECT_EQ(lightness(), day);
}

TEST_F(Views, AnErrorStaysUntilItIsPutAwayAndASentenceDoesNot)
{
    Q_EMIT session_->failed({ErrorKind::Failed, "the disk is full"});
    session_->say(QStringLiteral("something else"));
    EXPECT_EQ(status(), "the disk is full");
    hover(&window_->lanes(), {400, 20});
    EXPECT_EQ(status(), "the disk is full");
    child<QPushButton>("putAway")->click();
    EXPECT_NE(status(), "the disk is full");
}

TEST_F(Views, LongWorkIsShownAndCanBeStopped)
{
    bool isToldStopped = false;
    session_->jobs.run(
        {.key = {}, .title = QStringLiteral("Counting sheep")},
        window_.get(),
        [](const Work& work) {
            while (!work.stopped()) {
                work.report(0.4);
                std::this_thread::yield();
            }
            return work.stopped();
        },
        [&](bool wasStopped) { isToldStopped = wasStopped; }
    );
    QCoreApplication::processEvents();
    auto* stop = child<QPushButton>("stopWork");
    EXPECT_TRUE(stop->isVisible());
    EXPECT_NE(child<QLabel>("progress")->text().indexOf(QStringLiteral("Counting sheep")), -1);
    stop->click();
    settle();
    EXPECT_FALSE(session_->jobs.isBusy());
    EXPECT_TRUE(isToldStopped);
    EXPECT_FALSE(stop->isVisible());
}

TEST(FindingText, SaysEachKindAsItIsMeasured)
{
    EXPECT_EQ(
        findingText({.kind = FindingKind::Strain, .value = 1.618}), QStringLiteral("strain ×1.62")
    );
    EXPECT_EQ(findingText({.kind = FindingKind::Dip, .value = -4.2}), QStringLiteral("dip −4 dB"));
    EXPECT_EQ(
        findingText({.kind = FindingKind::CutInAttack, .value = 1.54}),
        QStringLiteral("cut in attack 1.5 ms")
    );
}

}  // namespace
}  // namespace orthochron::app
