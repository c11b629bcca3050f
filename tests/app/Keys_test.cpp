#include <QComboBox>
#include <QKeySequenceEdit>
#include <QListWidget>
#include <QMenuBar>
#include <QTableWidget>

#include "app/WindowFixture.h"
#include "app/stages/Stages.h"
#include "app/views/JoinViews.h"
#include "app/window/FindBox.h"
#include "app/window/KeyPlaces.h"

#include <set>

namespace orthochron::app {

namespace {

class Keys : public Window {
protected:
    // A key as a keyboard of another country gives it: what it writes, and where it lies.
    void pressAt(quint32 scan, int key, const QString& text)
    {
        for (const QEvent::Type type : {QEvent::KeyPress, QEvent::KeyRelease}) {
            QKeyEvent event(type, key, Qt::NoModifier, scan, 0, 0, text);
            QApplication::sendEvent(&window_->lanes(), &event);
        }
        settle();
    }
    // Types into the find box that the next command opens, and presses Enter.
    static void findNext(const QString& words)
    {
        QTimer::singleShot(0, [words] {
            auto* box = qobject_cast<FindBox*>(QApplication::activeModalWidget());
            ASSERT_NE(box, nullptr);
            auto* field = box->findChild<QLineEdit*>();
            QTest::keyClicks(field, words);
            QTest::keyClick(field, Qt::Key_Return);
        });
    }
};

}  // namespace

TEST_F(Keys, DigitsAreToldByTheirPlaceOnAFrenchKeyboard)
{
    openSong();
    pressAt(12, Qt::Key_QuoteDbl, QStringLiteral("\""));
    EXPECT_EQ(window_->stage(), 2);
    pressAt(13, Qt::Key_Apostrophe, QStringLiteral("'"));
    EXPECT_EQ(window_->stage(), 3);
    // Held, the key left of 1 goes back; it writes a superscript two.
    QKeyEvent down(
        QEvent::KeyPress, Qt::Key_twosuperior, Qt::NoModifier, 49, 0, 0, QStringLiteral("²")
    );
    QApplication::sendEvent(&window_->lanes(), &down);
    EXPECT_EQ(window_->stage(), 2);
    QKeyEvent up(
        QEvent::KeyRelease, Qt::Key_twosuperior, Qt::NoModifier, 49, 0, 0, QStringLiteral("²")
    );
    QApplication::sendEvent(&window_->lanes(), &up);
    EXPECT_EQ(window_->stage(), 3);
}

TEST_F(Keys, DigitsAndTheirNeighbourWorkOnAGermanKeyboard)
{
    openSong();
    pressAt(12, Qt::Key_3, QStringLiteral("3"));
    EXPECT_EQ(window_->stage(), 2);
    QKeyEvent down(QEvent::KeyPress, Qt::Key_Dead_Circumflex, Qt::NoModifier, 49, 0, 0);
    QApplication::sendEvent(&window_->lanes(), &down);
    EXPECT_EQ(window_->stage(), 0);
    QKeyEvent up(QEvent::KeyRelease, Qt::Key_Dead_Circumflex, Qt::NoModifier, 49, 0, 0);
    QApplication::sendEvent(&window_->lanes(), &up);
    EXPECT_EQ(window_->stage(), 2);
    EXPECT_EQ(characterLeftOfOne(QLocale(QLocale::German)), QStringLiteral("^"));
    EXPECT_EQ(characterLeftOfOne(QLocale(QLocale::French)), QStringLiteral("²"));
    EXPECT_EQ(characterLeftOfOne(QLocale(QLocale::Czech)), QStringLiteral(";"));
    EXPECT_EQ(characterLeftOfOne(QLocale(QLocale::English)), QStringLiteral("`"));
}

TEST_F(Keys, AStageWithAnotherKeyIsNotShownByItsDigit)
{
    openSong();
    window_->action(Command::StageMarks)->setShortcut(QKeySequence(QStringLiteral("F6")));
    pressAt(12, Qt::Key_QuoteDbl, QStringLiteral("\""));
    EXPECT_EQ(window_->stage(), 0);
    press(Qt::Key_F6);
    EXPECT_EQ(window_->stage(), 2);
}

TEST_F(Keys, SpacePressesTheButtonThatHasTheFocusAndPlaysElsewhere)
{
    openSong();
    press(Qt::Key_3);
    auto* lead = child<QCheckBox>("isLead");
    const bool was = lead->isChecked();
    lead->setFocus();
    QTest::keyClick(lead, Qt::Key_Space);
    settle();
    EXPECT_NE(lead->isChecked(), was);
    EXPECT_FALSE(player_->isPlaying());

    press(Qt::Key_Space);
    player_->settle();
    auto* device = dynamic_cast<const engine::SimulatedDevice*>(&player_->device());
    const_cast<engine::SimulatedDevice*>(device)->pump(Frames(4800));
    EXPECT_TRUE(player_->isPlaying());
    press(Qt::Key_Space);
    // Pressed with the mouse it does not keep the keys.
    QTest::mouseClick(lead, Qt::LeftButton, Qt::NoModifier, QPoint(8, lead->height() / 2));
    EXPECT_FALSE(lead->hasFocus());
}

TEST_F(Keys, DeleteInAFieldBelongsToTheStageUnlessItsTextIsSelected)
{
    openSong();
    press(Qt::Key_3);
    press(Qt::Key_F);
    press(Qt::Key_D);
    const auto marks = song().tracks[0]->marks.size();
    auto* gap = child<NumberField>("smallestGap");
    const double value = gap->value();
    gap->setFocus();
    QTest::keyClick(gap, Qt::Key_Delete);
    settle();
    EXPECT_EQ(gap->value(), value);
    EXPECT_EQ(song().tracks[0]->marks.size(), marks - 1);
}

TEST_F(Keys, DeleteOfTheMenuIsGreyOnlyWhereItsKeyDoesNothing)
{
    openSong();
    press(Qt::Key_4);
    child<QPushButton>("wayByHand")->click();
    QMenu* edit = window_->menuBar()->actions()[1]->menu();
    Q_EMIT edit->aboutToShow();
    EXPECT_FALSE(window_->action(Command::Remove)->isEnabled());
    Q_EMIT edit->aboutToHide();
    press(Qt::Key_A, Qt::ControlModifier);
    Q_EMIT edit->aboutToShow();
    EXPECT_TRUE(window_->action(Command::Remove)->isEnabled());
    Q_EMIT edit->aboutToHide();
    window_->action(Command::Remove)->trigger();
    EXPECT_TRUE(song().tracks[0]->clips.empty());
}

TEST_F(Keys, FindGoesToTracksBarsAndCommands)
{
    openSong();
    findNext(QStringLiteral("bar 5"));
    press(Qt::Key_F, Qt::ControlModifier);
    const Seconds at = song().tempo.timeAt(song().tempo.startOfBar(5));
    EXPECT_EQ(player_->position(), toFrames(at, song().rate));

    const TrackId last = song().tracks.back()->id;
    findNext(QStringLiteral("track ") + QString::fromStdString(song().tracks.back()->name));
    press(Qt::Key_F, Qt::ControlModifier);
    EXPECT_EQ(session_->choice.track(), last);

    findNext(QStringLiteral("review doubtful"));
    press(Qt::Key_F, Qt::ControlModifier);
    EXPECT_EQ(window_->stage(), 2);
    EXPECT_TRUE(child<QPushButton>("wayDoubtful")->isChecked());
}

TEST_F(Keys, TheEndTheStartAndTheTracksAreReached)
{
    openSong();
    press(Qt::Key_End);
    EXPECT_EQ(player_->position(), song().length());
    press(Qt::Key_Home);
    EXPECT_EQ(player_->position(), Frames(0));
    session_->choice.setTrack(song().tracks[0]->id);
    press(Qt::Key_Down);
    EXPECT_EQ(session_->choice.track(), song().tracks[1]->id);
    press(Qt::Key_Up);
    press(Qt::Key_Up);
    EXPECT_EQ(session_->choice.track(), song().tracks[0]->id);
}

TEST_F(Keys, RedoHasASecondKey)
{
    openSong();
    press(Qt::Key_M);
    EXPECT_TRUE(song().tracks[0]->isMuted);
    press(Qt::Key_Z, Qt::ControlModifier);
    EXPECT_FALSE(song().tracks[0]->isMuted);
    press(Qt::Key_Y, Qt::ControlModifier);
    EXPECT_TRUE(song().tracks[0]->isMuted);
}

TEST_F(Keys, EveryBenchCommandPressesAButtonThatIsThere)
{
    openSong();
    int pressed = 0;
    for (const CommandSpec& spec : commandTable()) {
        QStringList names = spec.presses.split(QLatin1Char('/'), Qt::SkipEmptyParts);
        if (names.isEmpty()) {
            continue;
        }
        ++pressed;
        const auto stage = stageNamed(names.takeFirst());
        ASSERT_TRUE(stage) << spec.presses.toStdString();
        window_->showStage(*stage);
        for (const QString& name : names) {
            auto* button = window_->findChild<QAbstractButton*>(name);
            EXPECT_NE(button, nullptr) << spec.presses.toStdString();
        }
    }
    EXPECT_GT(pressed, 35);
}

TEST_F(Keys, MenusAndTheirEntriesHaveLettersOfTheirOwn)
{
    openSong();
    const auto letterOf = [](const QAction* action) {
        const qsizetype at = action->text().indexOf(QLatin1Char('&'));
        return at < 0 ? QChar() : action->text()[at + 1].toLower();
    };
    std::set<QChar> ofMenus;
    for (const QAction* menu : window_->menuBar()->actions()) {
        EXPECT_TRUE(ofMenus.insert(letterOf(menu)).second) << menu->text().toStdString();
        Q_EMIT menu->menu()->aboutToShow();
        std::set<QChar> letters;
        for (const QAction* action : menu->menu()->actions()) {
            if (!action->isSeparator()) {
                EXPECT_TRUE(letters.insert(letterOf(action)).second)
                    << menu->text().toStdString() << ": " << action->text().toStdString();
            }
        }
        Q_EMIT menu->menu()->aboutToHide();
    }
}

TEST_F(Keys, TheShortcutsPageRefusesWhatAnotherCommandHas)
{
    openSong();
    QString refusal;
    QString kept;
    QTimer::singleShot(0, [&] {
        auto* dialog = qobject_cast<QDialog*>(QApplication::activeModalWidget());
        ASSERT_NE(dialog, nullptr);
        auto* edit = dialog->findChild<QKeySequenceEdit*>(QStringLiteral("mute"));
        edit->setKeySequence(QKeySequence(QStringLiteral("Ctrl+S")));
        refusal = dialog->findChild<QLabel*>(QStringLiteral("refusal"))->text();
        kept = edit->keySequence().toString();
        dialog->reject();
    });
    window_->action(Command::Shortcuts)->trigger();
    EXPECT_TRUE(refusal.contains(QStringLiteral("Save"))) << refusal.toStdString();
    EXPECT_TRUE(kept.isEmpty());
}

TEST_F(Keys, ThePreferencesHoldThemeAndType)
{
    openSong();
    QTimer::singleShot(0, [] {
        auto* dialog = qobject_cast<QDialog*>(QApplication::activeModalWidget());
        ASSERT_NE(dialog, nullptr);
        dialog->findChild<QCheckBox*>(QStringLiteral("darkTheme"))->click();
        dialog->reject();
    });
    press(Qt::Key_Comma, Qt::ControlModifier);
    EXPECT_EQ(Theme::sheet(), Sheet::Night);
    press(Qt::Key_F9);
    EXPECT_EQ(Theme::sheet(), Sheet::Day);
}

}  // namespace orthochron::app
