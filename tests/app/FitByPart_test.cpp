#include "app/WindowFixture.h"
#include "app/views/FeelDial.h"
#include "app/views/TimingChart.h"
#include "core/edits/SectionEdits.h"

// What is set by hand in Fit: single hits, the drift, teeth, sections, lines.
namespace orthochron::app {
namespace {

class FitWindow : public Window {
protected:
    void findHits()
    {
        openSong();
        press(Qt::Key_3);
        press(Qt::Key_F);
        press(Qt::Key_4);
    }
    void dragOn(QWidget* widget, QPoint from, QPoint to, Qt::KeyboardModifiers held = {})
    {
        QTest::mousePress(widget, Qt::LeftButton, held, from);
        for (int step = 1; step <= 8; ++step) {
            const QPoint place = from + (to - from) * step / 8;
            QMouseEvent move(
                QEvent::MouseMove,
                place,
                widget->mapToGlobal(place),
                Qt::NoButton,
                Qt::LeftButton,
                held
            );
            QApplication::sendEvent(widget, &move);
        }
        QTest::mouseRelease(widget, Qt::LeftButton, held, to);
        settle();
    }
    TimingChart* chart() { return window_->findChild<TimingChart*>(); }
    FeelDial* dial() { return window_->findChild<FeelDial*>(); }
    [[nodiscard]] int placedByHand()
    {
        int count = 0;
        for (const auto& track : song().tracks) {
            count += static_cast<int>(std::ranges::count_if(track->marks, [](const Mark& mark) {
                return mark.wanted.has_value();
            }));
        }
        return count;
    }
};

TEST_F(FitWindow, DraggingAPointInTheChartPlacesThatHit)
{
    findHits();
    const QPoint middle(chart()->width() / 2, chart()->height() / 2);

    dragOn(chart(), middle, middle + QPoint(0, 60));

    ASSERT_EQ(placedByHand(), 1);
    press(Qt::Key_F);
    const auto& preview = session_->fitting.preview();
    const auto hit = std::ranges::find_if(preview.performance.hits, [](const JudgedHit& each) {
        return each.played.wanted.has_value();
    });
    const Frames heard = session_->review.heardAt(hit->played.beatPoint);
    const Seconds off = toSeconds(heard, song().rate) - hit->line.time;
    EXPECT_NEAR(off.count(), hit->played.wanted->count(), 0.0001);
    EXPECT_GT(off, milliseconds(5.0));
}

TEST_F(FitWindow, DraggingAPointInTheChosenRangeMovesAllThere)
{
    findHits();
    session_->choice.setRange(TimeRange{Frames(0), song().length()});
    const QPoint middle(chart()->width() / 2, chart()->height() / 2);

    dragOn(chart(), middle, middle + QPoint(0, -40));

    EXPECT_EQ(placedByHand(), session_->fitting.preview().moves.figures.mains);
    press(Qt::Key_Z, Qt::ControlModifier);
    EXPECT_EQ(placedByHand(), 0);
}

TEST_F(FitWindow, ADriftLineDrawnByHandReplacesTheMeasuredOneWhereItWasDrawn)
{
    findHits();
    const double before = session_->fitting.preview().performance.hits.back().drift.count();
    const int wide = chart()->width();

    dragOn(
        chart(),
        {wide / 3, chart()->height() / 4},
        {wide / 2, chart()->height() / 4},
        Qt::ShiftModifier
    );

    const auto& hits = session_->fitting.preview().performance.hits;
    ASSERT_FALSE(session_->fitting.request.fit.driftLine.empty());
    EXPECT_NEAR(hits.back().drift.count(), before, 1e-9);
    EXPECT_LT(hits[hits.size() * 2 / 5].drift, milliseconds(-4.0));
}

TEST_F(FitWindow, AToothOfTheDialChangesThatStepOfThatLead)
{
    findHits();
    session_->fitting.setFocus(session_->fitting.preview().origin.leads[1], {});
    const QPoint centre(dial()->width() / 2, (dial()->height() - 34) / 2);

    // Straight to the right is a quarter of the bar: step 5 of sixteenths, the first snare.
    dragOn(dial(), centre + QPoint(60, 0), centre + QPoint(75, 0));

    ASSERT_EQ(session_->fitting.request.fit.teeth.size(), 1U);
    const Tooth tooth = session_->fitting.request.fit.teeth.front();
    EXPECT_EQ(tooth.step, 4);
    EXPECT_EQ(tooth.lead, session_->fitting.focusLead());
    for (std::size_t i = 0; i < session_->fitting.preview().performance.hits.size(); ++i) {
        const JudgedHit& hit = session_->fitting.preview().performance.hits[i];
        if (hit.role == HitRole::Main && hit.played.lead == 1 && hit.line.step == 4) {
            const Seconds stray = hit.stray * 0.2;
            EXPECT_NEAR(
                session_->fitting.preview().moves.hits[i].left.count(),
                tooth.feel.count() + stray.count(),
                0.0001
            );
        }
    }
    QTest::mouseDClick(dial(), Qt::LeftButton, {}, centre + QPoint(60, 0));
    EXPECT_TRUE(session_->fitting.request.fit.teeth.empty());
}

TEST_F(FitWindow, AmountsOfOneLeadInOneSectionAreItsOwn)
{
    findHits();
    document_->apply(addSection(song(), "verse", {1, 4}), QStringLiteral("Add section"));
    settle();
    auto* section = child<QComboBox>("focusSection");
    auto* lead = child<QComboBox>("focusLead");
    section->setCurrentIndex(1);
    Q_EMIT section->activated(1);
    lead->setCurrentIndex(2);
    Q_EMIT lead->activated(2);

    child<NumberField>("feel")->setValue(100.0);
    Q_EMIT child<NumberField>("feel")->changed(100.0);

    ASSERT_EQ(session_->fitting.request.fit.own.size(), 1U);
    EXPECT_EQ(session_->fitting.request.fit.own.front().feel, 1.0);
    EXPECT_EQ(session_->fitting.request.fit.feel, 0.0);
    section->setCurrentIndex(0);
    Q_EMIT section->activated(0);
    EXPECT_EQ(child<NumberField>("feel")->value(), 0.0);
    press(Qt::Key_F);
    EXPECT_EQ(song().sets[0].recipe->fit.own.size(), 1U);
}

TEST_F(FitWindow, WholeBarsAreCutAtBarsOnly)
{
    findHits();
    child<QComboBox>("pieces")->setCurrentIndex(2);
    Q_EMIT child<QComboBox>("pieces")->activated(2);
    press(Qt::Key_F);

    EXPECT_LE(session_->review.joins().size(), 12U);
    EXPECT_GE(session_->review.joins().size(), 5U);
}

TEST_F(FitWindow, DraggingTheHeadOfAStrokeGivesItsHitAnotherLine)
{
    findHits();
    session_->shown.zoomTo({Frames(0), toFrames(Seconds(8.0), song().rate)});
    settle();
    const auto& hits = session_->fitting.preview().performance.hits;
    const auto hit = std::ranges::find_if(hits, [](const JudgedHit& each) {
        return each.role == HitRole::Main && each.played.lead == 0 && each.line.bar == 2;
    });
    const MarkId mark = session_->fitting.preview()
                            .origin.origins[static_cast<std::size_t>(hit - hits.begin())]
                            .mark;
    const std::int64_t line = hit->line.index;
    const Grid grid(song().tempo, session_->fitting.request.grid);
    LanesView& lanes = window_->lanes();
    const int y = lanes.lanes()[0].area.top() + 5;
    // Its head stands on its line, as the stroke is drawn to scale here.
    const auto xOf = [&](Seconds time) {
        return static_cast<int>(std::lround(lanes.xOf(toFrames(time, song().rate))));
    };

    drag({xOf(hit->line.time), y}, {xOf(grid.line(line + 1).time), y});

    const auto& marks = song().tracks[0]->marks;
    EXPECT_EQ(std::ranges::find(marks, mark, &Mark::id)->line, line + 1);
}

}  // namespace
}  // namespace orthochron::app
