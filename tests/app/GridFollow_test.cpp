#include "app/WindowFixture.h"
#include "app/stages/grid/follow/FollowBench.h"
#include "app/stages/grid/follow/TempoChart.h"
#include "core/edits/MapEdits.h"
#include "core/files/AtomicFile.h"
#include "core/files/GuideFile.h"
#include "core/files/MidiFile.h"

// A grid that follows a player: drafted, doubtful bars decided, lines taken by their heads.
namespace orthochron::app {
namespace {

class GridFollow : public Window {
protected:
    GridFollow()
    {
        openSong();
        session_->choice.setTrack(song().tracks[0]->id);
        press(Qt::Key_2);
        click("wayFollow");
    }
    [[nodiscard]] double barLine(int bar)
    {
        return song().tempo.timeAt(song().tempo.startOfBar(bar)).count();
    }
    // Where a bar's head is; `off` pixels right of it its number.
    [[nodiscard]] QPoint headOf(int bar, int off = 0)
    {
        const Frames at = toFrames(Seconds(barLine(bar)), song().rate);
        return {
            static_cast<int>(std::lround(window_->lanes().xOf(at))) + off,
            LanesView::kRibbonHeight + 9};
    }
    void look(int first, int last)
    {
        session_->shown.zoomTo(
            {toFrames(Seconds(barLine(first)), song().rate),
             toFrames(Seconds(barLine(last)), song().rate)}
        );
    }
    [[nodiscard]] std::size_t pins()
    {
        return static_cast<std::size_t>(
            std::ranges::count_if(song().tempo.tempi(), &TempoPoint::isPinned)
        );
    }
    // A bar's point in the chart of tempi, down by so many pixels.
    void dragPoint(int bar, int down)
    {
        auto* chart = child<TempoChart>("tempoChart");
        const QPoint from = chart->placeOf(bar).toPoint();
        const QPoint to = from + QPoint(0, down);
        QTest::mousePress(chart, Qt::LeftButton, {}, from);
        QMouseEvent move(
            QEvent::MouseMove,
            QPointF(to),
            chart->mapToGlobal(QPointF(to)),
            Qt::LeftButton,
            Qt::LeftButton,
            Qt::NoModifier
        );
        QApplication::sendEvent(chart, &move);
        QTest::mouseRelease(chart, Qt::LeftButton, {}, to);
        settle();
    }
    // A map as a draft leaves it: bars 3 and 6 are doubtful.
    void takeDoubtfulDraft()
    {
        MapDraft draft;
        draft.meters = {{1, {4, 4}}};
        for (int bar = 1; bar <= 11; ++bar) {
            draft.beats.push_back(
                {Seconds(0.5 + 2.6 * (bar - 1)),
                 bar,
                 1,
                 92.3,
                 bar == 3   ? 0.2
                 : bar == 6 ? 0.4
                            : 0.9}
            );
        }
        document_->apply(
            takeDraft(song(), draft, MapLevel::Bar, Seconds(0.0)), QStringLiteral("Draft")
        );
        settle();
    }
};

TEST_F(GridFollow, IsDraftedFromTheKitAndUndone)
{
    const TempoMap before = song().tempo;
    press(Qt::Key_F);
    EXPECT_GT(song().tempo.tempi().size(), 8U);
    EXPECT_NEAR(barLine(1), 0.5, 0.02);
    // The drummer's own bars: 92 bpm, and as he drifts.
    EXPECT_NEAR(barLine(10), 0.5 + 9.0 * 240.0 / 92.0, 0.1);
    EXPECT_NE(status().find("bpm"), std::string::npos);
    // Where bar 1 begins was guessed, until one says that it is right.
    const auto line = [&] { return child<QLabel>("chosenLine")->text(); };
    EXPECT_TRUE(line().contains(QStringLiteral("estimated"))) << line().toStdString();
    press(Qt::Key_Y);
    EXPECT_FALSE(line().contains(QStringLiteral("estimated"))) << line().toStdString();
    press(Qt::Key_Z, Qt::ControlModifier);
    press(Qt::Key_Z, Qt::ControlModifier);
    EXPECT_EQ(song().tempo, before);
}

TEST_F(GridFollow, BeatsTooGivesEachBeatItsOwnTempo)
{
    click("draftBars");
    const std::size_t bars = song().tempo.tempi().size();
    click("draftBeats");
    EXPECT_GT(song().tempo.tempi().size(), 3 * bars);
    // Bar 1 may be given instead of being guessed.
    document_->apply(moveLine(*document_->song(), Beats(0.0), Seconds(0.5)), QStringLiteral("x"));
    child<QCheckBox>("keepBarOne")->click();
    click("draftBars");
    EXPECT_NEAR(barLine(1), 0.5, 0.02);
    EXPECT_TRUE(song().tempo.tempi().front().isPinned);
}

TEST_F(GridFollow, APickUpIsBroughtToItsAttackAndBarOneStays)
{
    // A count-in of a bar: there is room for a pick-up before bar 1.
    document_->apply(moveLine(song(), Beats(0.0), Seconds(4.0)), QStringLiteral("Move bar 1"));
    look(0, 3);
    const double second = barLine(2);
    const double wasBeat = song().tempo.timeAt(Beats(-1.0)).count();
    const auto headOfBeat = [&] {
        const Frames at = toFrames(song().tempo.timeAt(Beats(-1.0)), song().rate);
        return QPoint(
            static_cast<int>(std::lround(window_->lanes().xOf(at))), LanesView::kRibbonHeight + 9
        );
    };
    drag(headOfBeat(), headOfBeat() + QPoint(-30, 0), Qt::ControlModifier);
    EXPECT_LT(song().tempo.timeAt(Beats(-1.0)).count(), wasBeat - 0.02);
    EXPECT_NEAR(barLine(1), 4.0, 1e-9);
    EXPECT_NEAR(barLine(2), second, 1e-9);
    EXPECT_EQ(pins(), 1U);
    EXPECT_TRUE(child<QLabel>("chosenLine")->text().contains(QStringLiteral("Bar 0 · 4")));
    // The chart begins with its bar, whose tempo moves what lies before it.
    dragPoint(0, 12);
    EXPECT_NEAR(barLine(1), 4.0, 1e-9);
    EXPECT_LT(song().tempo.bpmAt(Beats(-3.5)), song().tempo.bpmAt(Beats(0.0)));
    press(Qt::Key_Z, Qt::ControlModifier);
    press(Qt::Key_Z, Qt::ControlModifier);
    EXPECT_EQ(pins(), 0U);
    EXPECT_NEAR(song().tempo.timeAt(Beats(-1.0)).count(), wasBeat, 1e-9);
}

TEST_F(GridFollow, ABarDraggedByItsHeadIsPinnedAndRightOfItAllMovesAlong)
{
    look(1, 6);
    const double third = barLine(3);
    const double fifth = barLine(5);
    const double second = barLine(2);
    drag(headOf(3), headOf(3) + QPoint(40, 0), Qt::ControlModifier);
    const double by = barLine(3) - third;
    EXPECT_GT(by, 0.1);
    EXPECT_NEAR(barLine(5) - fifth, by, 1e-6);
    EXPECT_NEAR(barLine(2) - second, 0.5 * by, 1e-6);
    EXPECT_EQ(pins(), 1U);
    // A pin that is set stays when a line beside it is moved.
    const double pinned = barLine(3);
    drag(headOf(5), headOf(5) + QPoint(-30, 0), Qt::ControlModifier);
    EXPECT_EQ(pins(), 2U);
    EXPECT_DOUBLE_EQ(barLine(3), pinned);
    // It cannot be dragged past one: it stays at the last place that can be.
    drag(headOf(5), headOf(2), Qt::ControlModifier);
    EXPECT_GT(barLine(5), pinned);
    press(Qt::Key_Z, Qt::ControlModifier);
    press(Qt::Key_Z, Qt::ControlModifier);
    press(Qt::Key_Z, Qt::ControlModifier);
    EXPECT_EQ(pins(), 0U);
    EXPECT_NEAR(barLine(3), third, 1e-9);
}

TEST_F(GridFollow, ABarDraggedByItsNumberLeavesNoPin)
{
    look(1, 6);
    const double first = barLine(1);
    const double fourth = barLine(4);
    drag(headOf(1, 14), headOf(1, 14) + QPoint(25, 0), Qt::ControlModifier);
    EXPECT_EQ(pins(), 0U);
    EXPECT_GT(barLine(1), first + 0.05);
    EXPECT_NEAR(barLine(4) - fourth, barLine(1) - first, 1e-6);
}

TEST_F(GridFollow, ALineCatchesOnAnAttack)
{
    click("draftBars");
    look(3, 6);
    const double struck = barLine(4);  // the draft laid it on a stroke
    drag(headOf(4), headOf(4) + QPoint(60, 0), Qt::ControlModifier);
    ASSERT_GT(barLine(4), struck + 0.05);
    const int back =
        static_cast<int>(std::lround(window_->lanes().xOf(toFrames(Seconds(struck), song().rate))));
    drag(headOf(4), QPoint(back + 3, headOf(4).y()));
    EXPECT_NEAR(barLine(4), struck, 0.02);
    EXPECT_NE(barLine(4), struck);
}

TEST_F(GridFollow, DoubtfulBarsAreSteppedThroughAndDecided)
{
    takeDoubtfulDraft();
    EXPECT_EQ(child<QLabel>("doubtfulCount")->text(), QStringLiteral("1 of 2"));
    press(Qt::Key_D);
    EXPECT_EQ(child<QLabel>("doubtfulCount")->text(), QStringLiteral("2 of 2"));
    EXPECT_NEAR(toSeconds(player_->position(), song().rate).count(), barLine(6), 1e-3);
    const double sixth = barLine(6);
    press(Qt::Key_Y);  // it is right there
    EXPECT_EQ(child<QLabel>("doubtfulCount")->text(), QStringLiteral("1 of 1"));
    EXPECT_NEAR(barLine(6), sixth, 1e-9);
    EXPECT_NE(status().find("1 doubtful bar"), std::string::npos) << status();
    // The other is put right by dragging; its neighbours are pins.
    look(1, 6);
    const double second = barLine(2);
    const double fourth = barLine(4);
    drag(headOf(3), headOf(3) + QPoint(20, 0), Qt::ControlModifier);
    EXPECT_TRUE(doubtfulBars(song().tempo).empty());
    EXPECT_NEAR(barLine(2), second, 1e-9);
    EXPECT_NEAR(barLine(4), fourth, 1e-9);
    EXPECT_EQ(child<QLabel>("doubtfulCount")->text(), QString());
}

TEST_F(GridFollow, TheChosenLineIsNudgedUnpinnedAndCountedFrom)
{
    look(1, 6);
    drag(headOf(3), headOf(3) + QPoint(10, 0), Qt::ControlModifier);
    const double third = barLine(3);
    press(Qt::Key_Right, Qt::ControlModifier);
    EXPECT_NEAR(barLine(3), third + 0.001, 1e-6);
    click("countFrom");
    EXPECT_NEAR(barLine(1), third + 0.001, 1e-6);
    press(Qt::Key_Z, Qt::ControlModifier);
    drag(headOf(3), headOf(3) + QPoint(8, 0), Qt::ControlModifier);
    press(Qt::Key_Delete);
    EXPECT_EQ(pins(), 0U);
    press(Qt::Key_Delete);
    EXPECT_NE(status().find("not pinned"), std::string::npos) << status();
    Q_EMIT child<QComboBox>("meterFrom")->textActivated(QStringLiteral("3/4"));
    settle();
    EXPECT_EQ(song().tempo.meterOfBar(7), (Meter{3, 4}));
    EXPECT_EQ(song().tempo.meterOfBar(2), (Meter{4, 4}));
}

TEST_F(GridFollow, APointOfTheTempoCurveIsDragged)
{
    const double second = barLine(2);
    const double before = song().tempo.bpmAt(song().tempo.startOfBar(2));
    dragPoint(2, 25);
    EXPECT_LT(song().tempo.bpmAt(song().tempo.startOfBar(2)), before - 0.5);
    EXPECT_NEAR(barLine(2), second, 1e-9);
    EXPECT_NEAR(song().tempo.bpmAt(song().tempo.startOfBar(3)), before, 1e-6);
    press(Qt::Key_Z, Qt::ControlModifier);
    EXPECT_NEAR(song().tempo.bpmAt(song().tempo.startOfBar(2)), before, 1e-9);
}

TEST_F(GridFollow, PinsOfTheChosenRangeMoveAndGoTogether)
{
    look(1, 8);
    for (const int bar : {3, 5, 7}) {
        drag(headOf(bar), headOf(bar) + QPoint(5, 0), Qt::ControlModifier);
    }
    ASSERT_EQ(pins(), 3U);
    const double third = barLine(3);
    const double between = barLine(5) - third;
    session_->choice.setRange(TimeRange{
        toFrames(Seconds(third - 0.5), song().rate),
        toFrames(Seconds(barLine(5) + 0.5), song().rate)});
    settle();
    const double seventh = barLine(7);
    drag(headOf(5), headOf(5) + QPoint(20, 0), Qt::ControlModifier);
    EXPECT_GT(barLine(3), third + 0.01);
    EXPECT_NEAR(barLine(5) - barLine(3), between, 1e-6);
    EXPECT_NEAR(barLine(7), seventh, 1e-9);
    press(Qt::Key_Delete);
    EXPECT_EQ(pins(), 1U);
    press(Qt::Key_Z, Qt::ControlModifier);
    EXPECT_EQ(pins(), 3U);
    // A pin outside the range is by itself.
    drag(headOf(7), headOf(7) + QPoint(5, 0), Qt::ControlModifier);
    EXPECT_NEAR(barLine(5) - barLine(3), between, 1e-6);
    EXPECT_GT(barLine(7), seventh);
}

TEST_F(GridFollow, ARampLeadsUpToTheChosenLineAndIsTakenBack)
{
    look(1, 8);
    drag(headOf(3), headOf(3) + QPoint(6, 0), Qt::ControlModifier);
    drag(headOf(6), headOf(6) + QPoint(30, 0), Qt::ControlModifier);
    const double fifth = barLine(5);
    const double sixth = barLine(6);
    click("rampUpTo");
    EXPECT_TRUE(isRampUpTo(song().tempo, song().tempo.startOfBar(6)));
    EXPECT_NEAR(barLine(6), sixth, 1e-6);
    EXPECT_GT(std::abs(barLine(5) - fifth), 1e-4);
    EXPECT_EQ(child<QPushButton>("rampUpTo")->text(), QStringLiteral("Delete ramp"));
    click("rampUpTo");
    EXPECT_NEAR(barLine(5), fifth, 1e-9);
    press(Qt::Key_Z, Qt::ControlModifier);
    press(Qt::Key_Z, Qt::ControlModifier);
    EXPECT_NEAR(barLine(5), fifth, 1e-9);
}

TEST_F(GridFollow, TheMapIsWrittenAsMidiAndReadBack)
{
    takeDoubtfulDraft();
    std::vector<double> lines;
    for (int bar = 1; bar <= 11; ++bar) {
        lines.push_back(barLine(bar));
    }
    const auto file = Kit::shared().folder() / "map.mid";
    chooseFileNext(file);
    click("writeMap");
    ASSERT_TRUE(std::filesystem::exists(file));
    const auto table = Kit::shared().folder() / "map.csv";
    chooseFileNext(table);
    click("writeMap");
    EXPECT_GT(std::filesystem::file_size(table), 500U);
    click("waySteady");
    set("bpm", 77.0);
    click("wayFollow");
    chooseFileNext(file);
    click("readMap");
    for (int bar = 1; bar <= 11; ++bar) {
        EXPECT_NEAR(barLine(bar), lines[static_cast<std::size_t>(bar) - 1], 2e-5) << bar;
    }
    // Fewer points say the same.
    const std::size_t points = song().tempo.tempi().size();
    set("simplifyWithin", 5.0);
    click("simplify");
    EXPECT_LE(song().tempo.tempi().size(), points);
    EXPECT_NE(status().find("points kept"), std::string::npos) << status();
}

TEST_F(GridFollow, BarLinesAreBroughtToTheNotesOfAGuide)
{
    MidiFile played;
    played.tempi = {{Beats(0.0), 60.0}};
    for (const double at : {0.61, 2.0, 3.07, 5.913}) {
        played.notes.push_back({Beats(at), Beats(0.3), 50, 100, 0});
    }
    const auto file = Kit::shared().folder() / "played.mid";
    ASSERT_TRUE(writeMidi(played, file));
    look(1, 5);
    const int high = window_->lanes().lanes()[0].area.height();
    chooseFileNext(file);
    click("guide");
    ASSERT_NE(song().guide, nullptr);
    EXPECT_EQ(song().guide->notes.size(), 4U);
    // It lies under the lanes, which make room.
    EXPECT_GT(window_->lanes().foot().height(), 20);
    EXPECT_LT(window_->lanes().lanes()[0].area.height(), high);
    EXPECT_EQ(child<QPushButton>("guide")->text(), QStringLiteral("Delete guide"));
    // A line dropped near where a note begins is there, to the tick; of marks there are none so near.
    const auto xOf = [&](double at) {
        return static_cast<int>(std::lround(window_->lanes().xOf(toFrames(Seconds(at), song().rate))
        ));
    };
    drag(headOf(2), QPoint(xOf(3.07) + 3, headOf(2).y()));
    EXPECT_NEAR(barLine(2), 3.07, 0.001);
    EXPECT_EQ(pins(), 1U);
    // Its notes as marks, and the whole written out on the bars there are now.
    click("markByGuide");
    EXPECT_EQ(song().tracks[0]->marks.size(), 4U);
    const auto written = Kit::shared().folder() / "played on bars.mid";
    chooseFileNext(written);
    click("writeMap");
    const auto again = readGuide(written);
    ASSERT_TRUE(again);
    EXPECT_EQ(
        std::ranges::count_if(
            again->notes,
            [](const TimedNote& note) {
                return note.key == 50 && std::abs(note.at.count() - 5.913) < 0.001;
            }
        ),
        1
    );
    // And away with it.
    click("guide");
    EXPECT_EQ(song().guide, nullptr);
    for (int i = 0; i < 2; ++i) {
        press(Qt::Key_Z, Qt::ControlModifier);
    }
    ASSERT_NE(song().guide, nullptr);
    EXPECT_EQ(song().tracks[0]->marks.size(), 0U);
    // What is no guide is said, and nothing changes.
    click("guide");
    ASSERT_TRUE(writeAtomically(file, "no MIDI at all"));
    chooseFileNext(file);
    click("guide");
    EXPECT_EQ(song().guide, nullptr);
    EXPECT_NE(status().find("not a MIDI file"), std::string::npos) << status();
}

TEST_F(GridFollow, TheTempoIsDrawnUnderTheLanesAndItsPointsAreDragged)
{
    EXPECT_EQ(window_->lanes().foot().height(), 0);
    look(1, 6);
    drag(headOf(3), headOf(3) + QPoint(12, 0), Qt::ControlModifier);
    const QRect foot = window_->lanes().foot();
    ASSERT_GT(foot.height(), 40);
    const double before = song().tempo.bpmAt(song().tempo.startOfBar(2));
    const double third = barLine(3);
    // The curve's point of bar 2: search up its line for what can be dragged.
    const int x = headOf(2).x();
    QPoint point;
    LanesView& lanes = window_->lanes();
    for (int y = foot.top(); y < foot.bottom() && point.isNull(); ++y) {
        const QPoint place(x, y);
        QMouseEvent move(
            QEvent::MouseMove,
            place,
            lanes.mapToGlobal(place),
            Qt::NoButton,
            Qt::NoButton,
            Qt::NoModifier
        );
        QApplication::sendEvent(&lanes, &move);
        point = lanes.cursor().shape() == Qt::SizeVerCursor ? QPoint(x, y + 6) : QPoint();
    }
    ASSERT_FALSE(point.isNull());
    drag(point, point - QPoint(0, 14));
    EXPECT_GT(song().tempo.bpmAt(song().tempo.startOfBar(2)), before + 0.2);
    press(Qt::Key_Z, Qt::ControlModifier);
    EXPECT_NEAR(song().tempo.bpmAt(song().tempo.startOfBar(2)), before, 1e-9);
    EXPECT_NEAR(barLine(3), third, 1e-9);
    // The other pages have no curve.
    click("waySteady");
    EXPECT_EQ(window_->lanes().foot().height(), 0);
}

TEST_F(GridFollow, AMappedPerformanceIsMadeSteady)
{
    click("draftBars");
    const double third = barLine(3);
    const std::size_t clips = song().tracks[0]->clips.size();
    EXPECT_NEAR(child<NumberField>("steadyBpm")->value(), 92.0, 1.0);
    set("steadyBpm", 94.0);
    click("makeSteady");
    EXPECT_EQ(song().tempo.tempi().size(), 1U);
    EXPECT_NEAR(song().tempo.bpmAt(Beats(0.0)), 94.0, 1e-9);
    EXPECT_GT(song().tracks[0]->clips.size(), clips + 5);
    EXPECT_LT(barLine(3), third);
    EXPECT_FALSE(child<QPushButton>("makeSteady")->isEnabled());
    press(Qt::Key_Z, Qt::ControlModifier);
    EXPECT_EQ(song().tracks[0]->clips.size(), clips);
    EXPECT_NEAR(barLine(3), third, 1e-9);
}

TEST_F(GridFollow, AMappedPerformanceIsMadeSteadyByStretchingToo)
{
    click("draftBars");
    auto* way = child<QComboBox>("steadyWay");
    way->setCurrentIndex(way->findText(QStringLiteral("stretch as hits")));
    set("steadyBpm", 94.0);
    click("makeSteady");
    EXPECT_EQ(song().tempo.tempi().size(), 1U);
    ASSERT_EQ(song().tracks[0]->clips.size(), 1U);
    ASSERT_NE(song().tracks[0]->clips[0].sound.treatment, nullptr);
    EXPECT_EQ(song().tracks[0]->clips[0].sound.treatment->material, Material::Hits);
}

TEST_F(GridFollow, WithoutATakeNothingIsDraftedAndItSaysWhy)
{
    const TempoMap before = song().tempo;
    QString failed;
    QObject::connect(session_.get(), &Session::failed, [&](const Error& error) {
        failed = QString::fromStdString(error.message);
    });
    session_->choice.setTrack(TrackId());
    click("draftBars");
    EXPECT_EQ(song().tempo, before);
    EXPECT_TRUE(failed.contains(QStringLiteral("Nothing to follow"))) << failed.toStdString();
}

}  // namespace
}  // namespace orthochron::app
