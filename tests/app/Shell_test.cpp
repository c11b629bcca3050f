#include <QListWidget>
#include <QMenu>
#include <QTableWidget>
#include <QToolButton>

#include "app/WindowFixture.h"
#include "app/window/RateButton.h"
#include "core/edits/ClipChoice.h"
#include "core/edits/ClipValues.h"

// What stands around the stages: strip, ribbon, ruler, heads, status line, songs.
namespace orthochron::app {
namespace {

class Shell : public Window {
protected:
    [[nodiscard]] LanesView& lanes() { return window_->lanes(); }
    void wheel(QPoint at, int turns, Qt::KeyboardModifiers held = {})
    {
        QWheelEvent event(
            at,
            lanes().mapToGlobal(at),
            {},
            {0, 120 * turns},
            Qt::NoButton,
            held,
            Qt::NoScrollPhase,
            false
        );
        QApplication::sendEvent(&lanes(), &event);
        settle();
    }
    [[nodiscard]] QPoint inRuler(Frames at)
    {
        return {
            static_cast<int>(std::lround(lanes().xOf(at))),
            LanesView::kRibbonHeight + LanesView::kRulerHeight / 2};
    }
    [[nodiscard]] Frames barAt(int bar)
    {
        return toFrames(song().tempo.timeAt(song().tempo.startOfBar(bar)), song().rate);
    }
};

TEST_F(Shell, AClickInTheRulerMovesThePlayheadAndADragChoosesARange)
{
    openSong();
    QTest::mouseClick(&lanes(), Qt::LeftButton, {}, inRuler(barAt(5)) + QPoint(2, 0));
    settle();
    EXPECT_EQ(player_->position(), barAt(5));  // caught on the bar line

    drag(inRuler(barAt(3)) + QPoint(1, 0), inRuler(barAt(6)) - QPoint(1, 0));
    ASSERT_TRUE(session_->choice.range());
    EXPECT_EQ(session_->choice.range()->from, barAt(3));
    EXPECT_EQ(session_->choice.range()->to, barAt(6));

    // With Ctrl nothing catches.
    drag(inRuler(barAt(3)) + QPoint(3, 0), inRuler(barAt(6)), Qt::ControlModifier);
    EXPECT_NE(session_->choice.range()->from, barAt(3));
    QTest::mouseClick(&lanes(), Qt::LeftButton, {}, inRuler(barAt(2)));
    EXPECT_FALSE(session_->choice.range());
}

TEST_F(Shell, TheRibbonMovesTheViewAndTheMiddleButtonPans)
{
    openSong();
    press(Qt::Key_W);
    press(Qt::Key_W);
    press(Qt::Key_W);
    const double before = session_->shown.scale().left;
    const QPoint late(lanes().width() - 30, LanesView::kRibbonHeight / 2);
    QTest::mouseClick(&lanes(), Qt::LeftButton, {}, late);
    settle();
    EXPECT_GT(session_->shown.scale().left, before);

    const double held = session_->shown.scale().left;
    const QPoint from = lanes().lanes()[1].area.center();
    QTest::mousePress(&lanes(), Qt::MiddleButton, {}, from);
    QMouseEvent move(
        QEvent::MouseMove,
        from + QPoint(50, 0),
        lanes().mapToGlobal(from + QPoint(50, 0)),
        Qt::NoButton,
        Qt::MiddleButton,
        {}
    );
    QApplication::sendEvent(&lanes(), &move);
    QTest::mouseRelease(&lanes(), Qt::MiddleButton, {}, from + QPoint(50, 0));
    EXPECT_NEAR(
        held - session_->shown.scale().left, 50.0 * session_->shown.scale().framesPerPixel, 1.0
    );
}

TEST_F(Shell, TheWheelScrollsZoomsAndMakesLanesHigher)
{
    openSong();
    press(Qt::Key_W);
    press(Qt::Key_W);
    const QPoint middle = lanes().lanes()[2].area.center();
    const double left = session_->shown.scale().left;
    wheel(middle, -1, Qt::ShiftModifier);
    EXPECT_GT(session_->shown.scale().left, left);

    const Frames under = lanes().timeAt(middle.x());
    const double zoom = session_->shown.scale().framesPerPixel;
    wheel(middle, 2, Qt::ControlModifier);
    EXPECT_LT(session_->shown.scale().framesPerPixel, zoom);
    EXPECT_NEAR(
        static_cast<double>((lanes().timeAt(middle.x()) - under).count()),
        0.0,
        session_->shown.scale().framesPerPixel * 2.0
    );

    const int height = lanes().lanes()[0].area.height();
    wheel(middle, 3, Qt::AltModifier);
    EXPECT_GT(lanes().lanes()[0].area.height(), height);
    // Now they do not fit: the wheel scrolls them.
    const int top = lanes().lanes()[0].area.top();
    wheel(middle, -2);
    EXPECT_LT(lanes().lanes()[0].area.top(), top);
    press(Qt::Key_Down, Qt::ShiftModifier);
    press(Qt::Key_Down, Qt::ShiftModifier);
    EXPECT_LE(lanes().laneScale(), 1.2);
}

TEST_F(Shell, AllLanesOfTheKitFitTheWindowInEveryStage)
{
    openSong();
    for (int stage : {0, 1, 2, 3}) {
        window_->showStage(stage);
        settle();
        EXPECT_LE(lanes().lanes().back().area.bottom(), lanes().height() + 1) << stage;
    }
    // Also with all that Stretch shows.
    press(Qt::Key_3);
    press(Qt::Key_F);
    press(Qt::Key_4);
    child<QAbstractButton>("wayStretch")->click();
    settle();
    EXPECT_LE(lanes().lanes().back().area.bottom(), lanes().height() + 1);
}

TEST_F(Shell, TheHeadSaysWhatATrackIsAndWhetherItIsLocked)
{
    openSong();
    press(Qt::Key_Up, Qt::ShiftModifier);
    press(Qt::Key_Up, Qt::ShiftModifier);
    const QImage before = lanes().grab(lanes().lanes()[0].head).toImage();
    press(Qt::Key_L, Qt::ControlModifier | Qt::ShiftModifier);
    EXPECT_TRUE(song().tracks[7]->isLocked);
    EXPECT_NE(lanes().grab(lanes().lanes()[0].head).toImage(), before);
    press(Qt::Key_L, Qt::ControlModifier | Qt::ShiftModifier);
    EXPECT_FALSE(song().tracks[7]->isLocked);
    EXPECT_EQ(lanes().grab(lanes().lanes()[0].head).toImage(), before);
}

TEST_F(Shell, AMutedClipIsDrawnPale)
{
    openSong();
    const Lane lane = lanes().lanes()[0];
    const auto darkness = [&] {
        const QImage image = lanes().grab(lane.area).toImage();
        long dark = 0;
        for (int x = 0; x < image.width(); x += 2) {
            for (int y = 0; y < image.height(); ++y) {
                dark += image.pixelColor(x, y).lightness() < 120 ? 1 : 0;
            }
        }
        return dark;
    };
    const long loud = darkness();
    document_->apply(
        muteClips(song(), {song().tracks[0]->clips[0].id}, true), QStringLiteral("Mute")
    );
    settle();
    EXPECT_LT(darkness(), loud / 4);
}

TEST_F(Shell, TheMenuOfAHeadSetsLevelAndPan)
{
    openSong();
    const auto pick = [&](const QString& menuStart, const QString& item) {
        QTimer::singleShot(0, &answers_, [&, menuStart, item] {
            auto* menu = qobject_cast<QMenu*>(QApplication::activePopupWidget());
            ASSERT_NE(menu, nullptr);
            for (QAction* action : menu->actions()) {
                if (action->menu() != nullptr && action->text().startsWith(menuStart)) {
                    for (QAction* inner : action->menu()->actions()) {
                        if (inner->text() == item) {
                            inner->trigger();
                        }
                    }
                }
            }
            menu->close();
        });
        const QPoint at = lanes().lanes()[3].head.center();
        QContextMenuEvent event(QContextMenuEvent::Mouse, at, lanes().mapToGlobal(at));
        QApplication::sendEvent(&lanes(), &event);
        settle();
    };
    pick(QStringLiteral("Level"), QStringLiteral("-6 dB"));
    EXPECT_EQ(song().tracks[3]->gainDecibels, -6.0);
    pick(QStringLiteral("Pan"), QStringLiteral("left"));
    EXPECT_EQ(song().tracks[3]->pan, -1.0);
    press(Qt::Key_Z, Qt::ControlModifier);
    EXPECT_EQ(song().tracks[3]->pan, 0.0);
}

TEST_F(Shell, TheStripSwitchesSidesLoopsAndClicks)
{
    findHitsAndFit();
    EXPECT_EQ(player_->side(), engine::Side::Edited);
    QTest::mouseClick(child<QPushButton>("recordedSide"), Qt::LeftButton);
    EXPECT_EQ(player_->side(), engine::Side::Recorded);
    press(Qt::Key_R);
    EXPECT_EQ(player_->side(), engine::Side::Edited);

    press(Qt::Key_L);
    EXPECT_FALSE(player_->loop());  // nothing is chosen
    session_->choice.setRange(TimeRange{barAt(2), barAt(4)});
    press(Qt::Key_L);
    ASSERT_TRUE(player_->loop());
    EXPECT_EQ(player_->loop()->from, barAt(2));
    press(Qt::Key_L);
    EXPECT_FALSE(player_->loop());

    const bool clicked = player_->click().isOn;
    press(Qt::Key_P);
    EXPECT_NE(player_->click().isOn, clicked);
}

TEST_F(Shell, TheSongIsPlayedAtAnotherRateByKeysOrAsTyped)
{
    openSong();
    const Song before = song();
    auto* rate = child<QPushButton>("rate");
    EXPECT_EQ(rate->text(), QStringLiteral("100 %"));
    press(Qt::Key_Left, Qt::AltModifier);
    press(Qt::Key_Left, Qt::AltModifier);
    EXPECT_EQ(rate->text(), QStringLiteral("90 %"));
    EXPECT_NEAR(player_->rate().speed, 0.9, 1e-9);
    EXPECT_EQ(child<QLabel>("rateAbout")->text(), QStringLiteral("pitch kept"));
    press(Qt::Key_Right, Qt::AltModifier);
    EXPECT_NEAR(player_->rate().speed, 0.95, 1e-9);
    const auto type = [&](const char* text) {
        auto* typed = rate->menu()->findChild<QLineEdit*>(QStringLiteral("typedRate"));
        typed->setText(QLatin1String(text));
        QTest::keyClick(typed, Qt::Key_Return);
    };
    type("46 bpm");
    EXPECT_NEAR(player_->rate().speed, 46.0 / song().tempo.bpmAt(Beats(0.0)), 1e-9);
    type("900 %");
    EXPECT_NE(status().find("25 to 400"), std::string::npos) << status();
    // The pitch follows, in whole semitones.
    rate->menu()->actions().back()->trigger();
    type("-2.4st");
    EXPECT_FALSE(player_->rate().keepsPitch);
    EXPECT_NEAR(player_->rate().speed, std::exp2(-2.0 / 12.0), 1e-9);
    press(Qt::Key_Home, Qt::AltModifier);
    EXPECT_TRUE(player_->rate().isPlain());
    EXPECT_EQ(song(), before);
    EXPECT_FALSE(readRate(QStringLiteral("fast"), 120.0));
    EXPECT_FALSE(readRate(QStringLiteral("nan"), 120.0));
    EXPECT_NEAR(readRate(QStringLiteral("1,5 st"), 120.0).value_or(0.0), std::exp2(0.125), 1e-9);
}

TEST_F(Shell, ThePlaceIsSaidInBarsBeatsAndSeconds)
{
    openSong();
    player_->seek(barAt(3));
    window_->tick();
    EXPECT_EQ(child<QLabel>("place")->text(), QStringLiteral("3 · 1"));
    press(Qt::Key_PageDown);
    window_->tick();
    EXPECT_EQ(child<QLabel>("place")->text(), QStringLiteral("4 · 1"));
    press(Qt::Key_PageUp);
    press(Qt::Key_PageUp);
    press(Qt::Key_PageUp);
    window_->tick();
    EXPECT_EQ(child<QLabel>("place")->text(), QStringLiteral("1 · 1"));
    press(Qt::Key_Home);
    EXPECT_EQ(player_->position(), Frames(0));
}

TEST_F(Shell, PlaysAndStopsWithSpace)
{
    openSong();
    press(Qt::Key_Space);
    player_->settle();
    auto* device = dynamic_cast<const engine::SimulatedDevice*>(&player_->device());
    ASSERT_NE(device, nullptr);
    const_cast<engine::SimulatedDevice*>(device)->pump(Frames(4800));
    EXPECT_TRUE(player_->isPlaying());
    window_->tick();
    EXPECT_GT(player_->position(), Frames(0));
    press(Qt::Key_Space);
    const_cast<engine::SimulatedDevice*>(device)->pump(Frames(4800));
    EXPECT_FALSE(player_->isPlaying());
}

TEST_F(Shell, AStageThatIsNotThereHasNoKeyAndNoEntry)
{
    openSong();
    press(Qt::Key_8);
    EXPECT_EQ(window_->stage(), 0);
    for (const QAction* menu : window_->menuBar()->actions()) {
        EXPECT_FALSE(menu->menu()->actions().contains(window_->action(Command::StageSounds)));
    }
}

TEST_F(Shell, UndoNamesWhatItUndoesInTheMenu)
{
    openSong();
    EXPECT_FALSE(window_->action(Command::Undo)->isEnabled());
    press(Qt::Key_M);
    EXPECT_NE(window_->action(Command::Undo)->text().indexOf(QStringLiteral("Mute")), -1);
    EXPECT_NE(window_->windowTitle().indexOf(QLatin1Char('*')), -1);
    press(Qt::Key_Z, Qt::ControlModifier);
    EXPECT_FALSE(window_->action(Command::Undo)->isEnabled());
    EXPECT_NE(window_->action(Command::Redo)->text().indexOf(QStringLiteral("Mute")), -1);
}

TEST_F(Shell, SavingUnderAnotherNameKeepsTheTakesFoundAndTheSongRemembered)
{
    openSong();
    const auto other = Kit::shared().folder().path() / "elsewhere" / "copy";
    std::filesystem::create_directories(other.parent_path());
    chooseFileNext(other);
    press(Qt::Key_S, Qt::ControlModifier | Qt::ShiftModifier);
    const QString saved = QString::fromStdString(other.string() + ".orthochron");
    ASSERT_TRUE(QFileInfo::exists(saved)) << status();
    EXPECT_EQ(document_->path(), saved);
    EXPECT_EQ(Document::recent().first(), saved);

    open();
    window_->openSong(saved);
    settle();
    EXPECT_TRUE(document_->troubles().empty());
    EXPECT_EQ(song().tracks.size(), 8U);
}

TEST_F(Shell, ASongFromRecentAsksAsOpenDoes)
{
    openSong();
    const auto other = path_.parent_path() / "recent.orthochron";
    ASSERT_TRUE(saveSong({History(Song{}), {}}, other));
    {
        Document elsewhere;
        ASSERT_TRUE(elsewhere.open(QString::fromStdString(other.string())));
    }
    press(Qt::Key_M);
    auto* recent = window_->findChild<QMenu*>(QStringLiteral("recent"));
    Q_EMIT recent->aboutToShow();
    ASSERT_EQ(recent->actions().first()->text().toStdString(), other.string());

    answerNext(QMessageBox::RejectRole);
    recent->actions().first()->trigger();
    EXPECT_EQ(document_->path().toStdString(), path_.string());
    EXPECT_TRUE(document_->isChanged());

    answerNext(QMessageBox::DestructiveRole);
    recent->actions().first()->trigger();
    EXPECT_EQ(document_->path().toStdString(), other.string());
}

TEST_F(Shell, OffersSongsThatWereLeftWithoutAName)
{
    openSong();
    Song without = song();  // one without a name knows its takes by their whole paths
    for (Take& take : without.takes) {
        take.path = pathOf(take, document_->songFolder()).string();
    }
    for (const char* name : {"One", "Two"}) {
        Document crashed;
        crashed.apply(renameSong(without, name), QStringLiteral("Import"));
        crashed.autosave();
    }
    const auto dialogNext = [&](const std::function<void(QDialog&)>& act) {
        QTimer::singleShot(0, &answers_, [act] {
            auto* dialog = qobject_cast<QDialog*>(QApplication::activeModalWidget());
            ASSERT_NE(dialog, nullptr);
            act(*dialog);
        });
    };
    document_->startNew();
    const auto listOf = [](QDialog& dialog) {
        return dialog.findChild<QListWidget*>(QStringLiteral("unsavedSongs"));
    };
    // Later keeps both; one is discarded; the other opened, and is unsaved work as before.
    dialogNext([&](QDialog& dialog) {
        EXPECT_EQ(listOf(dialog)->count(), 2);
        EXPECT_FALSE(listOf(dialog)->item(0)->icon().isNull());
        dialog.reject();
    });
    window_->offerUnsaved();
    EXPECT_EQ(unsavedSongs().size(), 2U);
    std::string opened;
    dialogNext([&](QDialog& dialog) {
        const bool isOne = listOf(dialog)->item(0)->text().startsWith(QStringLiteral("One"));
        answerNext(QMessageBox::DestructiveRole);
        dialog.findChild<QPushButton*>(QStringLiteral("discardUnsaved"))->click();
        EXPECT_EQ(listOf(dialog)->count(), 1);
        opened = isOne ? "Two" : "One";
        dialog.findChild<QPushButton*>(QStringLiteral("openUnsaved"))->click();
    });
    window_->offerUnsaved();
    settle();
    EXPECT_EQ(song().name, opened);
    EXPECT_TRUE(document_->isChanged());
    EXPECT_TRUE(document_->path().isEmpty());
    document_->discard();
    EXPECT_TRUE(unsavedSongs().empty());
}

TEST_F(Shell, AsksBeforeItClosesASongThatWasChanged)
{
    openSong();
    press(Qt::Key_M);
    answerNext(QMessageBox::RejectRole);
    EXPECT_FALSE(window_->close());
    EXPECT_TRUE(window_->isVisible());
    answerNext(QMessageBox::DestructiveRole);
    EXPECT_TRUE(window_->close());
}

TEST_F(Shell, ASongDroppedOnTheWindowIsOpened)
{
    drop({QString::fromStdString(path_.string())});
    EXPECT_EQ(song().tracks.size(), 8U);
    drop({QStringLiteral("/nowhere/at/all.orthochron")});
    EXPECT_EQ(song().tracks.size(), 8U);
    EXPECT_NE(status().find("/nowhere/at/all.orthochron"), std::string::npos) << status();
}

TEST_F(Shell, FollowingScrollsWithThePlayhead)
{
    openSong();
    for (int i = 0; i < 6; ++i) {
        press(Qt::Key_W);
    }
    EXPECT_TRUE(session_->shown.follows());
    press(Qt::Key_G, Qt::ControlModifier);
    EXPECT_FALSE(session_->shown.follows());
    EXPECT_FALSE(window_->action(Command::Follow)->isChecked());
    press(Qt::Key_G, Qt::ControlModifier);
    session_->shown.reveal(barAt(11));
    const double x = lanes().xOf(barAt(11));
    EXPECT_GT(x, lanes().sheet().left());
    EXPECT_LT(x, lanes().sheet().right());
}

TEST_F(Shell, ATakeReplacedByOneOfEqualSizeIsSaidAndSilent)
{
    // A song of its own beside takes of its own: those of the kit are shared.
    const Folder folder;
    const auto level = [&](double height) {
        testkit::writeSound(folder / "take.wav", testkit::soundOf(0.5, [&](std::int64_t) {
                                return height;
                            }));
    };
    level(0.25);
    Song song;
    song = *addTakes(song, {{*takeFromFile(folder / "take.wav", song.rate, folder.path()), false}});
    ASSERT_TRUE(saveSong({History(song), {}}, folder / "s.orthochron"));
    level(0.125);

    window_->openSong(QString::fromStdString((folder / "s.orthochron").string()));
    settle();

    EXPECT_TRUE(window_->statusText().contains(QStringLiteral("has changed since")))
        << window_->statusText().toStdString();
    ASSERT_EQ(document_->troubles().size(), 1U);
    std::array<float, 64> heard{};
    ASSERT_TRUE(document_->sources()->read(song.takes[0].id, 0, Frames(0), heard));
    EXPECT_EQ(heard[32], 0.0F);
    // An undo does not bring it back to be heard, whatever becomes of the cache of hashes.
    std::filesystem::remove_all(KnownHashes::ofUser().folder());
    document_->apply(renameSong(*document_->song(), "x"), QStringLiteral("Rename"));
    document_->undo();
    EXPECT_FALSE(document_->sources()->has(song.takes[0].id));
    document_->discard();
}

TEST_F(Shell, AnUndoOpensNoTakeAgain)
{
    openSong();
    const auto before = document_->sources();
    document_->apply(renameSong(*document_->song(), "x"), QStringLiteral("Rename"));
    document_->undo();
    // The files are out of reach by now: what is open stays open.
    for (const Take& take : document_->song()->takes) {
        EXPECT_TRUE(document_->sources()->has(take.id));
        EXPECT_EQ(document_->sources()->file(take.id), before->file(take.id));
    }
}

}  // namespace
}  // namespace orthochron::app
