#include <nlohmann/json.hpp>

#include "app/WindowFixture.h"
#include "core/edits/JoinEdits.h"

// The Joins stage in the real window: contact sheet, loupe, mending, and the report.
namespace orthochron::app {
namespace {

class JoinsWindow : public Window {
protected:
    JoinsWindow()
    {
        findHitsAndFit();
        press(Qt::Key_5);
    }
    Loupe* loupe() { return window_->findChild<Loupe*>(); }
    ContactSheet* sheet() { return window_->findChild<ContactSheet*>(); }
    [[nodiscard]] const SetJoin& chosen()
    {
        return session_->review.joins()[session_->review.join()];
    }
    void dragOn(QWidget* widget, QPoint from, QPoint to)
    {
        QTest::mousePress(widget, Qt::LeftButton, {}, from);
        QMouseEvent move(
            QEvent::MouseMove, to, widget->mapToGlobal(to), Qt::NoButton, Qt::LeftButton, {}
        );
        QApplication::sendEvent(widget, &move);
        QTest::mouseRelease(widget, Qt::LeftButton, {}, to);
        settle();
    }
    // Puts the chosen join into the attack after it, where it is found at fault.
    void spoilChosen()
    {
        const auto attack = nextAttack(hitsOf(song(), song().sets[0]), chosen());
        const SetJoin join = chosen();
        document_->apply(
            changeJoin(song(), song().sets[0].id, join.id, {.length = Frames(96), .at = *attack}),
            QStringLiteral("Spoil")
        );
        settle();
    }
};

TEST_F(JoinsWindow, ShowsTheJoinsOfTheSetOneIsAt)
{
    const std::size_t ofTheKit = session_->review.joins().size();
    ASSERT_GT(ofTheKit, 10U);
    std::vector<ImportedTake> takes;
    for (const char* name : {"Room.wav", "Over left.wav"}) {
        const auto file = Kit::shared().folder() / name;
        if (auto take = takeFromFile(file, song().rate, document_->songFolder())) {
            takes.push_back({*take, false});
        }
    }
    const std::size_t before = song().tracks.size();
    auto next = addTakes(song(), std::move(takes));
    ASSERT_TRUE(next);
    std::vector<TrackId> tracks;
    for (std::size_t t = before; t < next->tracks.size(); ++t) {
        tracks.push_back(next->tracks[t]->id);
    }
    ASSERT_FALSE(tracks.empty());
    ASSERT_TRUE(document_->apply(makeSet(*next, tracks, "Pair"), QStringLiteral("Mic set")));
    settle();

    session_->choice.setTrack(tracks[0]);
    EXPECT_TRUE(session_->review.joins().empty());
    settle();
    (void)window_->grab();
    press(Qt::Key_D);
    session_->choice.setTrack(song().tracks[0]->id);
    EXPECT_EQ(session_->review.joins().size(), ofTheKit);
    settle();
    EXPECT_EQ(session_->review.joinsWorstFirst().size(), ofTheKit);
}

TEST_F(JoinsWindow, TheContactSheetShowsTheWorstFirstAndIsWalkedWithKeysAndMouse)
{
    spoilChosen();
    const auto order = session_->review.joinsWorstFirst();
    ASSERT_EQ(order.size(), session_->review.joins().size());
    for (std::size_t i = 1; i < order.size(); ++i) {
        EXPECT_FALSE(
            session_->review.worstOf(order[i - 1]) == nullptr &&
            session_->review.worstOf(order[i]) != nullptr
        );
    }

    QTest::mouseClick(sheet(), Qt::LeftButton, {}, {20, 20});
    settle();
    EXPECT_EQ(session_->review.join(), order.front());
    sheet()->setFocus();
    QTest::keyClick(sheet(), Qt::Key_Right);
    EXPECT_EQ(session_->review.join(), order[1]);
    QTest::keyClick(sheet(), Qt::Key_Left);
    QTest::keyClick(sheet(), Qt::Key_Left);
    EXPECT_EQ(session_->review.join(), order.front());  // the first has none before it
    QTest::keyClick(sheet(), Qt::Key_Down);
    EXPECT_NE(session_->review.join(), order.front());
}

TEST_F(JoinsWindow, MendsWhatWasFoundAndSaysSo)
{
    spoilChosen();
    ASSERT_NE(session_->review.worstOf(session_->review.join()), nullptr);
    EXPECT_TRUE(child<QPushButton>("accept")->isEnabled());
    EXPECT_EQ(child<QLabel>("aboutJoin")->text().indexOf(QStringLiteral("clean")), -1);
    const SetJoin spoiled = chosen();

    press(Qt::Key_N);

    EXPECT_NE(chosen().at, spoiled.at);
    const Finding* left = session_->review.worstOf(session_->review.join());
    EXPECT_TRUE(left == nullptr || left->kind == FindingKind::Dip);
    EXPECT_NE(status().find("Mended"), std::string::npos) << status();
    press(Qt::Key_Z, Qt::ControlModifier);
    EXPECT_EQ(chosen().at, spoiled.at);
}

TEST_F(JoinsWindow, AnAcceptedFindingIsCountedNoMoreAndComesBackWithUndo)
{
    spoilChosen();
    const std::size_t spoiled = session_->review.join();
    const std::size_t before = session_->review.findings().size();
    ASSERT_GT(before, 0U);

    press(Qt::Key_Y);

    EXPECT_EQ(session_->review.worstOf(spoiled), nullptr);
    EXPECT_LT(session_->review.findings().size(), before);
    press(Qt::Key_Z, Qt::ControlModifier);
    EXPECT_NE(session_->review.worstOf(spoiled), nullptr);
}

TEST_F(JoinsWindow, ALockedJoinIsMovedByNothingAndUnlocksAsEasily)
{
    press(Qt::Key_D);
    press(Qt::Key_J);
    const SetJoin locked = chosen();
    ASSERT_TRUE(locked.isLocked);
    EXPECT_EQ(child<QPushButton>("lockJoin")->text(), QStringLiteral("Unlock"));

    set("joinLength", 20.0);
    press(Qt::Key_Left, Qt::ControlModifier);
    press(Qt::Key_N);

    EXPECT_EQ(chosen().at, locked.at);
    EXPECT_EQ(chosen().length, locked.length);
    EXPECT_NE(status().find("locked"), std::string::npos) << status();
    press(Qt::Key_J);
    press(Qt::Key_Left, Qt::ControlModifier);
    EXPECT_EQ(chosen().at, locked.at - toFrames(milliseconds(1.0), song().rate));
}

TEST_F(JoinsWindow, LocksAllAndOpensAllAgain)
{
    click("lockAll");
    EXPECT_TRUE(std::ranges::all_of(session_->review.joins(), &SetJoin::isLocked));
    EXPECT_EQ(child<QPushButton>("lockAll")->text(), QStringLiteral("Unlock all"));
    choose("joinScope", 2);
    const Song before = song();
    set("joinLength", 9.0);
    EXPECT_EQ(song(), before);
    click("lockAll");
    EXPECT_TRUE(std::ranges::none_of(session_->review.joins(), &SetJoin::isLocked));
}

TEST_F(JoinsWindow, TakesAllCrossfadesAwayAndGivesThemBack)
{
    choose("joinScope", 2);
    set("joinLength", 0.0);
    EXPECT_TRUE(std::ranges::all_of(session_->review.joins(), [](const SetJoin& join) {
        return join.length == Frames(0);
    }));
    set("joinLength", 6.0);
    const auto fitting = std::ranges::count_if(session_->review.joins(), [&](const SetJoin& join) {
        return join.length == toFrames(milliseconds(6.0), song().rate);
    });
    EXPECT_GT(fitting, static_cast<std::ptrdiff_t>(session_->review.joins().size()) * 9 / 10);
}

TEST_F(JoinsWindow, ChangesTheShapeOfAllJoinsAtOnce)
{
    choose("joinScope", 2);
    choose("joinShape", 2);
    EXPECT_TRUE(std::ranges::all_of(session_->review.joins(), [](const SetJoin& join) {
        return join.shape == FadeShape::EqualGain;
    }));
    choose("joinScope", 0);
    choose("joinShape", 1);
    EXPECT_EQ(
        std::ranges::count(session_->review.joins(), FadeShape::EqualPower, &SetJoin::shape), 1
    );
}

TEST_F(JoinsWindow, TheMiddleOfTheCrossfadeIsDraggedInTheLoupe)
{
    set("joinLength", 12.0);
    loupe()->grab();  // the picture is read for drawing
    settle();
    const SetJoin before = chosen();
    ASSERT_FLOAT_EQ(before.fadeMiddle, 0.5F);
    const QImage picture = loupe()->grab().toImage();
    // The zone is drawn in straw: its middle is that of the join.
    int left = -1;
    int right = -1;
    const int row = 6;
    for (int x = 6; x < picture.width() - 6; ++x) {
        const QColor colour = picture.pixelColor(
            static_cast<int>(x * picture.devicePixelRatio()),
            static_cast<int>(row * picture.devicePixelRatio())
        );
        if (colour.blue() < colour.red() - 30 && colour.red() > 200) {
            left = left < 0 ? x : left;
            right = x;
        }
    }
    ASSERT_GT(right - left, 12);
    const int y = loupe()->height() / 2;
    const auto at = [&](double part) {
        return QPoint(left + static_cast<int>(part * (right - left)), y);
    };

    dragOn(loupe(), at(0.5), at(0.75));

    EXPECT_NEAR(chosen().fadeMiddle, 0.75F, 0.06F);
    EXPECT_EQ(chosen().at, before.at);
    EXPECT_EQ(chosen().length, before.length);
    EXPECT_NEAR(child<NumberField>("joinMiddle")->value(), 75.0, 6.0);
    // Beside the zone nothing is held.
    const Song bent = song();
    dragOn(loupe(), QPoint(left - 12, y), QPoint(left - 40, y));
    EXPECT_EQ(song(), bent);
}

TEST_F(JoinsWindow, AnEdgeIsDraggedAloneAndStopsWhereTheSpareEnds)
{
    press(Qt::Key_D);
    set("joinLength", 20.0);
    const SetJoin join = chosen();
    session_->shown.zoomTo({join.at - Frames(4000), join.at + Frames(5000)});
    settle();
    LanesView& lanes = window_->lanes();
    const int y = lanes.lanes()[2].area.center().y();
    const auto x = [&](Frames at) { return static_cast<int>(std::lround(lanes.xOf(at))); };

    drag({x(join.at) + 2, y}, {x(join.at - Frames(700)) + 2, y});

    EXPECT_LT(chosen().at, join.at - Frames(300));
    EXPECT_NEAR(
        static_cast<double>((chosen().at + chosen().length).count()),
        static_cast<double>((join.at + join.length).count()),
        1.0
    );
    const auto room = roomOf(song(), song().sets[0].id, chosen().id);
    ASSERT_TRUE(room);
    set("joinLength", 500.0);
    EXPECT_GE(chosen().at, room->from);
    EXPECT_LE(chosen().at + chosen().length, room->to);
}

TEST_F(JoinsWindow, ShowsADashWhereValuesDiffer)
{
    press(Qt::Key_D);
    set("joinLength", 17.0);
    auto* length = child<NumberField>("joinLength");
    const QImage one = length->grab().toImage();
    choose("joinScope", 2);
    const QImage all = length->grab().toImage();
    EXPECT_NE(one, all);
    set("joinLength", 8.0);
    choose("joinScope", 0);
    EXPECT_NEAR(length->value(), 8.0, 1.0);
}

TEST_F(JoinsWindow, WritesTheReportWhereItIsAskedTo)
{
    const auto folder = Kit::shared().folder().path() / "reports";
    std::filesystem::create_directories(folder);
    chooseFileNext(folder / "kit.json");
    click("joinReport");
    settle();

    std::ifstream file(folder / "kit.json");
    ASSERT_TRUE(file.is_open()) << status();
    const auto report = nlohmann::json::parse(file);
    EXPECT_EQ(report["joins"].size(), session_->review.joins().size());
    EXPECT_NE(status().find("Report exported"), std::string::npos) << status();

    chooseFileNext("/nowhere/at/all/kit.html");
    click("joinReport");
    settle();
    EXPECT_FALSE(std::filesystem::exists("/nowhere/at/all/kit.html"));
}

TEST_F(JoinsWindow, TheStatusLineCountsWhatIsLeftToLookAt)
{
    const auto* findings = child<QPushButton>("findings");
    EXPECT_TRUE(session_->review.findings().empty());  // the demo's fit leaves nothing
    EXPECT_EQ(findings->text(), QStringLiteral("no findings"));
    spoilChosen();
    ASSERT_FALSE(session_->review.findings().empty());
    const QString count = QString::number(session_->review.findings().size());
    EXPECT_TRUE(findings->text().contains(count)) << findings->text().toStdString();
    press(Qt::Key_4);
    QTest::mouseClick(window_->findChild<QPushButton*>(QStringLiteral("findings")), Qt::LeftButton);
    EXPECT_EQ(window_->stage(), 4);
}

TEST_F(JoinsWindow, HearsTheChosenJoinFromBeforeItToAfterIt)
{
    press(Qt::Key_D);
    press(Qt::Key_H);
    player_->settle();
    const Seconds before = toSeconds(chosen().at - player_->position(), song().rate);
    EXPECT_GT(before, milliseconds(-500.0));
    EXPECT_LE(before, milliseconds(451.0));
}

}  // namespace
}  // namespace orthochron::app
