#include "app/window/MainWindow.h"

#include <QAbstractButton>
#include <QAction>
#include <QApplication>
#include <QCloseEvent>
#include <QComboBox>
#include <QDragEnterEvent>
#include <QInputMethod>
#include <QMenuBar>
#include <QMimeData>
#include <QProcess>
#include <QSettings>
#include <QSplitter>
#include <QStackedWidget>
#include <QVBoxLayout>

#include "app/document/Errors.h"
#include "app/document/FileNames.h"
#include "app/sound/SoundCardDialog.h"
#include "app/stages/Stages.h"
#include "app/stages/fit/FitStage.h"
#include "app/stages/joins/JoinsStage.h"
#include "app/stages/marks/MarksStage.h"
#include "app/stages/takes/TakesStage.h"
#include "app/theme/Theme.h"
#include "app/window/FindBox.h"
#include "app/window/Help.h"
#include "app/window/KeyPlaces.h"
#include "app/window/Mnemonics.h"
#include "app/window/Possible.h"
#include "app/window/PreferencesDialog.h"
#include "app/window/ShortcutsDialog.h"
#include "app/window/SongDesk.h"
#include "app/window/StageRail.h"
#include "app/window/StatusLine.h"
#include "app/window/Strip.h"
#include "app/window/TrackMenu.h"
#include "core/edits/TakeEdits.h"

namespace orthochron::app {

namespace {

// The stage a command shows; none for other commands.
std::optional<int> stageOf(Command command)
{
    if (command < Command::StageTakes || command > Command::StagePrint) {
        return std::nullopt;
    }
    return static_cast<int>(command) - static_cast<int>(Command::StageTakes);
}

}  // namespace

MainWindow::MainWindow(Session& session, QWidget* parent) : QMainWindow(parent), session_(session)
{
    qApp->installEventFilter(this);
    setAcceptDrops(true);
    setMinimumSize(900, 600);
    resize(1280, 800);
    setWindowIcon(QIcon(QStringLiteral(":/icons/orthochron.svg")));
    auto* middle = new QWidget(this);
    auto* column = new QVBoxLayout(middle);
    column->setContentsMargins(0, 0, 0, 0);
    column->setSpacing(0);
    desk_ = new SongDesk(session_, this);
    strip_ = new Strip(session_, middle);
    progress_ = new ProgressLine(session_, middle);
    column->addWidget(strip_);
    column->addWidget(progress_);
    auto* row = new QHBoxLayout;
    row->setSpacing(0);
    std::vector<StageRail::Entry> entries;
    for (const StagePlace& place : stageTable()) {
        entries.push_back({place.name, place.make != nullptr, false});
    }
    rail_ = new StageRail(std::move(entries), middle);
    rail_->setHeldKey(characterLeftOfOne(QGuiApplication::inputMethod()->locale()));
    row->addWidget(rail_);
    splitter_ = new QSplitter(Qt::Vertical, middle);
    splitter_->setHandleWidth(5);
    lanes_ = new LanesView(session_, splitter_);
    benches_ = new QStackedWidget(splitter_);
    splitter_->addWidget(lanes_);
    splitter_->addWidget(benches_);
    splitter_->setStretchFactor(0, 1);
    splitter_->setStretchFactor(1, 0);
    splitter_->setCollapsible(0, false);
    row->addWidget(splitter_, 1);
    column->addLayout(row, 1);
    status_ = new StatusLine(session_, middle);
    column->addWidget(status_);
    setCentralWidget(middle);
    makeStages();
    makeMenus();
    connect(rail_, &StageRail::chosen, this, &MainWindow::showStage);
    connect(rail_, &StageRail::hint, status_, &StatusLine::setHint);
    connect(lanes_, &LanesView::hint, status_, &StatusLine::setHint);
    connect(lanes_, &LanesView::headMenu, this, [this](TrackId id, const QPoint& at) {
        std::vector<QAction*> shared;
        for (const Command command :
             {Command::RenameTrack,
              Command::HideTrack,
              Command::TrackUp,
              Command::TrackDown,
              Command::RemoveTrack,
              Command::LockSet}) {
            shared.push_back(actions_[command]);
        }
        showTrackMenu(session_, id, shared, at, this);
    });
    connect(status_, &StatusLine::findingsClicked, this, [this] {
        showStage(stageNamed(QStringLiteral("Joins")).value());
    });
    connect(&session_, &Session::said, status_, &StatusLine::say);
    connect(&session_, &Session::failed, status_, &StatusLine::showError);
    connect(&session_.card, &SoundCard::failed, status_, [this](const QString& sentence) {
        status_->showError(failure(sentence));
    });
    connect(&session_.card, &SoundCard::settled, status_, &StatusLine::settleError);
    connect(&session_.card, &SoundCard::said, &session_, &Session::say);
    connect(&session_.fitting, &Fitting::changed, this, &MainWindow::refresh);
    connect(&session_.review, &JoinReview::changed, this, &MainWindow::refresh);
    connect(&session_.choice, &Choice::changed, this, &MainWindow::refresh);
    connect(&session_.document, &Document::stateChanged, this, &MainWindow::refresh);
    connect(splitter_, &QSplitter::splitterMoved, this, [this] {
        QSettings().setValue(QStringLiteral("bench/%1").arg(stage_), splitter_->sizes().value(1));
    });
    timer_.setInterval(33);
    connect(&timer_, &QTimer::timeout, this, &MainWindow::tick);
    timer_.start();
    showStage(0);
    refresh();
}

void MainWindow::makeStages()
{
    for (const StagePlace& place : stageTable()) {
        Stage* stage = place.make ? place.make(session_, *lanes_, this) : nullptr;
        stages_.push_back(stage);
        if (stage != nullptr) {
            benches_->addWidget(stage->bench());
        }
    }
    // Those whose own commands can be given from any other.
    takes_ = findChild<TakesStage*>();
    connect(findChild<FitStage*>(), &FitStage::hint, status_, &StatusLine::setHint);
}

void MainWindow::makeMenus()
{
    std::map<QString, QMenu*> menus;
    for (const CommandSpec& spec : commandTable()) {
        auto* action = new QAction(spec.text, this);
        action->setObjectName(QStringLiteral("action-") + spec.id);
        action->setShortcuts(keysOf(spec));
        action->setShortcutContext(Qt::WindowShortcut);
        connect(action, &QAction::triggered, this, [this, &spec] { run(spec); });
        actions_[spec.command] = action;
        const auto stage = stageOf(spec.command);
        if (stage && stages_[static_cast<std::size_t>(*stage)] == nullptr) {
            action->setShortcuts(QList<QKeySequence>());
            continue;
        }
        QMenu*& menu = menus[spec.menu];
        if (menu == nullptr) {
            menu = menuBar()->addMenu(spec.menu);
            connect(menu, &QMenu::aboutToShow, this, [this, menu] {
                greyOut(*menu);
                giveMnemonics(menu->actions());
            });
            // Its keys answer all the same, and say why not.
            connect(menu, &QMenu::aboutToHide, this, [this, menu] {
                for (QAction* each : menu->actions()) {
                    each->setEnabled(true);
                }
                refresh();  // of undo and redo it is known at any time
            });
        } else if (spec.beginsGroup) {
            menu->addSeparator();
        }
        menu->addAction(action);
        if (spec.command == Command::OpenSong) {
            recent_ = menu->addMenu(tr("Recent"));
            recent_->setObjectName(QStringLiteral("recent"));
            connect(recent_, &QMenu::aboutToShow, this, [this] { desk_->fillRecent(*recent_); });
        }
    }
    giveMnemonics(menuBar()->actions());
    for (const Command command : {Command::Follow, Command::DarkTheme}) {
        actions_[command]->setCheckable(true);
    }
}

// What cannot be done now is grey while a menu is open, and the stage's action has its own name.
void MainWindow::greyOut(const QMenu& menu)
{
    const QString name = current()->mainActionName();
    actions_[Command::MainAction]->setText(
        name.isEmpty() ? tr("%1 has no main action").arg(current()->name()) : name
    );
    for (const CommandSpec& spec : commandTable()) {
        QAction* action = actions_[spec.command];
        if (!menu.actions().contains(action)) {
            continue;
        }
        switch (spec.command) {
        case Command::MainAction:
            action->setEnabled(!name.isEmpty() && isPossible(spec.command, session_));
            break;
        case Command::Remove: action->setEnabled(current()->canRemove()); break;
        default: action->setEnabled(isPossible(spec.command, session_));
        }
    }
}

void MainWindow::showStage(int stage)
{
    const StagePlace& place = stageTable()[static_cast<std::size_t>(stage)];
    if (stages_[static_cast<std::size_t>(stage)] == nullptr) {
        return;
    }
    if (stage != stage_) {
        before_ = stage_;
    }
    stage_ = stage;
    rail_->setCurrent(stage);
    for (Stage* other : stages_) {
        if (other != nullptr) {
            // Only the bench one sees has a say in how high it is.
            const bool isShown = other == current();
            other->bench()->setSizePolicy(
                QSizePolicy::Preferred, isShown ? QSizePolicy::Preferred : QSizePolicy::Ignored
            );
        }
    }
    benches_->setCurrentWidget(current()->bench());
    lanes_->setTool(current());
    const int tall =
        QSettings().value(QStringLiteral("bench/%1").arg(stage), place.benchHeight).toInt();
    splitter_->setSizes({std::max(200, splitter_->height() - tall), tall});
    current()->entered();
    refresh();
}

QString MainWindow::statusText() const
{
    return status_->text();
}

void MainWindow::refresh()
{
    status_->setStatus(current()->status());
    for (int i = 0; i < static_cast<int>(stages_.size()); ++i) {
        if (stages_[static_cast<std::size_t>(i)] != nullptr) {
            rail_->setWorkedOn(i, stages_[static_cast<std::size_t>(i)]->isWorkedOn());
        }
    }
    const History& history = session_.document.history();
    const auto name = [](const QString& what, const std::string& edit) {
        return edit.empty() ? what : what + QStringLiteral(": ") + QString::fromStdString(edit);
    };
    actions_[Command::Undo]->setText(name(tr("Undo"), history.undoName()));
    actions_[Command::Undo]->setEnabled(history.canUndo());
    actions_[Command::Redo]->setText(name(tr("Redo"), history.redoName()));
    actions_[Command::Redo]->setEnabled(history.canRedo());
    actions_[Command::Follow]->setChecked(session_.shown.follows());
    actions_[Command::DarkTheme]->setChecked(Theme::sheet() == Sheet::Night);
    const Song& song = session_.song();
    const QString title = song.name.empty() ? tr("New song") : QString::fromStdString(song.name);
    setWindowTitle(QStringLiteral("%1%2 – Orthochron")
                       .arg(title, session_.document.isChanged() ? QStringLiteral(" *") : QString())
    );
}

void MainWindow::tick()
{
    strip_->tick();
    if (session_.player.isPlaying()) {
        if (session_.shown.follows()) {
            session_.shown.reveal(session_.player.position());
        }
        lanes_->update();
    }
}

void MainWindow::run(const CommandSpec& spec)
{
    if (!spec.presses.isEmpty()) {
        press(spec);
    } else {
        run(spec.command);
    }
}

// Shows the stage and presses, one after the other, the buttons that lead to it.
void MainWindow::press(const CommandSpec& spec)
{
    QStringList names = spec.presses.split(QLatin1Char('/'));
    showStage(stageNamed(names.takeFirst()).value());
    for (const QString& name : names) {
        auto* button = current()->bench()->findChild<QAbstractButton*>(name);
        if (!button->isEnabled()) {
            session_.say(tr("Not available now: %1").arg(spec.text));
            return;
        }
        button->click();
    }
}

void MainWindow::run(Command command)
{
    switch (command) {
    case Command::NewSong:
        if (desk_->startNew()) {
            showStage(0);
        }
        return;
    case Command::UnsavedSongs: desk_->offerUnsaved(); return;
    case Command::OpenSong: desk_->askAndOpen(); return;
    case Command::OpenDemo: openDemo(); return;
    case Command::Save: desk_->save(false); return;
    case Command::SaveAs: desk_->save(true); return;
    case Command::CollectSong: desk_->collect(); return;
    case Command::Preferences: showPreferences(); return;
    case Command::Quit: close(); return;
    case Command::Find: find(); return;
    case Command::Tour:
        if (showTour(this)) {
            openDemo();
        }
        return;
    case Command::About: showAbout(this); return;
    case Command::Shortcuts: changeShortcuts(); return;
    default: break;
    }
    // The stage that is looked at comes first: what is copied there is its own.
    Stage* looked = current();
    const bool isOfStage = (looked != nullptr && looked->run(command)) ||
                           std::ranges::any_of(stages_, [&](Stage* stage) {
                               return stage != nullptr && stage != looked && stage->run(command);
                           });
    if (!isOfStage && !runEdit(command) && !runPlay(command) && !runStage(command)) {
        runView(command);
    }
}

void MainWindow::changeShortcuts()
{
    if (!askForShortcuts(this)) {
        return;
    }
    for (const CommandSpec& spec : commandTable()) {
        const auto stage = stageOf(spec.command);
        if (!stage || stages_[static_cast<std::size_t>(*stage)] != nullptr) {
            actions_[spec.command]->setShortcuts(keysOf(spec));
        }
    }
}

void MainWindow::showPreferences()
{
    PreferencesDialog dialog(this);
    connect(&dialog, &PreferencesDialog::soundCardAsked, &dialog, [&] {
        SoundCardDialog(session_.card, &dialog).exec();
    });
    connect(&dialog, &PreferencesDialog::shortcutsAsked, this, &MainWindow::changeShortcuts);
    dialog.exec();
    refresh();
}

void MainWindow::find()
{
    std::vector<FindEntry> entries =
        findableIn(session_, [this] { showStage(stageNamed(QStringLiteral("Marks")).value()); });
    for (const CommandSpec& spec : commandTable()) {
        const auto stage = stageOf(spec.command);
        if (spec.command != Command::Find &&
            (!stage || stages_[static_cast<std::size_t>(*stage)] != nullptr)) {
            entries.push_back({spec.menu, spec.text, [this, &spec] { run(spec); }});
        }
    }
    FindBox box(std::move(entries), this);
    if (box.exec() == QDialog::Accepted && box.picked() != nullptr) {
        box.picked()->go();
        lanes_->update();
    }
}

bool MainWindow::runEdit(Command command)
{
    Document& document = session_.document;
    switch (command) {
    case Command::Undo: {
        if (!document.history().canUndo()) {
            session_.say(tr("Nothing to undo"));
            return true;
        }
        const QString name = QString::fromStdString(document.history().undoName());
        document.undo();
        session_.say(tr("Undid: %1").arg(name));
        return true;
    }
    case Command::Redo: {
        if (!document.history().canRedo()) {
            session_.say(tr("Nothing to redo"));
            return true;
        }
        const QString name = QString::fromStdString(document.history().redoName());
        document.redo();
        session_.say(tr("Redid: %1").arg(name));
        return true;
    }
    case Command::Remove: current()->remove(); return true;
    case Command::SelectAll: current()->selectAll(); return true;
    case Command::SelectNone:
        current()->selectNone();
        session_.choice.setClips({});
        session_.choice.setRange(std::nullopt);
        return true;
    case Command::TrackAbove: stepTrack(-1); return true;
    case Command::TrackBelow: stepTrack(1); return true;
    default: return false;
    }
}

void MainWindow::stepTrack(int by)
{
    const auto& lanes = lanes_->lanes();
    if (lanes.empty()) {
        return;
    }
    const auto chosen = std::ranges::find(lanes, session_.choice.track(), &Lane::track);
    const auto place = chosen == lanes.end() ? std::ptrdiff_t(0) : chosen - lanes.begin() + by;
    const auto last = std::ssize(lanes) - 1;
    session_.choice.setTrack(
        lanes[static_cast<std::size_t>(std::clamp(place, std::ptrdiff_t(0), last))].track
    );
}

bool MainWindow::runPlay(Command command)
{
    switch (command) {
    case Command::PlayStop: strip_->togglePlay(); return true;
    case Command::ToStart: goTo(Frames(0)); return true;
    case Command::ToEnd: goTo(session_.song().length()); return true;
    case Command::Loop: strip_->toggleLoop(); return true;
    case Command::SwitchSide: strip_->toggleSide(); return true;
    case Command::Click: strip_->toggleClick(); return true;
    case Command::PlaySlower: strip_->rate().step(-1); return true;
    case Command::PlayFaster: strip_->rate().step(1); return true;
    case Command::NormalSpeed: strip_->rate().reset(); return true;
    case Command::ChooseSoundCard: SoundCardDialog(session_.card, this).exec(); return true;
    case Command::Hear: current()->hear(); return true;
    case Command::BarBack: moveByBars(-1); return true;
    case Command::BarOn: moveByBars(1); return true;
    default: return false;
    }
}

bool MainWindow::runStage(Command command)
{
    const Seconds sample(1.0 / session_.song().rate.count());
    switch (command) {
    case Command::Next: current()->step(1); return true;
    case Command::Previous: current()->step(-1); return true;
    case Command::MainAction: current()->mainAction(); return true;
    case Command::NudgeBackFine: current()->nudge(-sample); return true;
    case Command::NudgeOnFine: current()->nudge(sample); return true;
    case Command::NudgeBack: current()->nudge(milliseconds(-0.1)); return true;
    case Command::NudgeOn: current()->nudge(milliseconds(0.1)); return true;
    case Command::NudgeBackCoarse: current()->nudge(milliseconds(-1.0)); return true;
    case Command::NudgeOnCoarse: current()->nudge(milliseconds(1.0)); return true;
    case Command::Accept: current()->accept(); return true;
    default: return false;
    }
}

void MainWindow::runView(Command command)
{
    const double middle = lanes_->sheet().width() / 2.0;
    const double head = session_.shown.scale().xOf(session_.player.position());
    const double about = head > 0.0 && head < lanes_->sheet().width() ? head : middle;
    switch (command) {
    case Command::ZoomIn: session_.shown.zoom(1.5, about); return;
    case Command::ZoomOut: session_.shown.zoom(1.0 / 1.5, about); return;
    case Command::ZoomSelection:
        if (session_.choice.range()) {
            session_.shown.zoomTo(*session_.choice.range());
        } else {
            session_.say(tr("Select a range first: drag in the ruler"));
        }
        return;
    case Command::ZoomAll: session_.shown.zoomToAll(); return;
    case Command::Follow: session_.shown.setFollows(!session_.shown.follows()); return;
    case Command::LanesHigher: lanes_->setLaneScale(lanes_->laneScale() * 1.2); return;
    case Command::LanesLower: lanes_->setLaneScale(lanes_->laneScale() / 1.2); return;
    case Command::DarkTheme:
        Theme::setSheet(Theme::sheet() == Sheet::Day ? Sheet::Night : Sheet::Day);
        Theme::keep();
        refresh();
        return;
    case Command::LargerType:
    case Command::SmallerType:
        Theme::setFontScale(Theme::fontScale() + (command == Command::LargerType ? 0.1 : -0.1));
        Theme::keep();
        return;
    default: break;
    }
    if (const auto stage = stageOf(command)) {
        showStage(*stage);
    }
}

void MainWindow::moveByBars(int bars)
{
    const Song& song = session_.song();
    const Beats now =
        song.tempo.beatsAt(toSeconds(session_.player.position(), song.rate) + milliseconds(1.0));
    const int bar = song.tempo.barAt(now) + bars;
    const Frames at =
        std::max(Frames(0), toFrames(song.tempo.timeAt(song.tempo.startOfBar(bar)), song.rate));
    goTo(at);
}

void MainWindow::goTo(Frames at)
{
    session_.player.seek(at);
    session_.shown.reveal(at);
    lanes_->update();
}

void MainWindow::openSong(const QString& path)
{
    desk_->open(path);
}

void MainWindow::openFiles(const QStringList& paths)
{
    QStringList takes;
    QStringList songs;
    for (const QString& path : paths) {
        const bool isSong = path.endsWith(QString::fromUtf8(kSongEnding.data()));
        (isSong ? songs : takes) << path;
    }
    if (!songs.isEmpty()) {
        desk_->open(songs.takeFirst());
    }
    // A window holds one song: each further one gets its own.
    for (const QString& song : songs) {
        QProcess::startDetached(QCoreApplication::applicationFilePath(), {addressOf(song)});
    }
    if (!takes.isEmpty()) {
        showStage(0);
        takes_->import(takes);
    }
}

void MainWindow::offerUnsaved()
{
    desk_->offerUnsavedAtStart();
}

void MainWindow::openDemo()
{
    desk_->openDemo();
}

void MainWindow::closeEvent(QCloseEvent* event)
{
    if (!desk_->mayClose()) {
        event->ignore();
        return;
    }
    session_.player.stop();
    event->accept();
}

void MainWindow::dragEnterEvent(QDragEnterEvent* event)
{
    if (event->mimeData()->hasUrls()) {
        event->acceptProposedAction();
    }
}

void MainWindow::dropEvent(QDropEvent* event)
{
    QStringList paths;
    for (const QUrl& url : event->mimeData()->urls()) {
        if (const QString path = nameOf(url); !path.isEmpty()) {
            paths << path;
        }
    }
    if (paths.size() == 1 && paths.first().endsWith(QStringLiteral(".orthochron"))) {
        desk_->askAndOpen(paths.first());
        return;
    }
    openFiles(paths);
}

bool MainWindow::eventFilter(QObject* watched, QEvent* event)
{
    if (event->type() == QEvent::ShortcutOverride &&
        belongsToFocus(*static_cast<QKeyEvent*>(event), QApplication::focusWidget())) {
        event->accept();
        return false;
    }
    // A button pressed with the mouse leaves the keys to the song: Space then plays.
    if (event->type() == QEvent::Polish) {
        auto* widget = qobject_cast<QWidget*>(watched);
        const bool isPressed = qobject_cast<QAbstractButton*>(watched) != nullptr ||
                               qobject_cast<QComboBox*>(watched) != nullptr;
        if (isPressed && (widget->focusPolicy() & Qt::ClickFocus) != 0) {
            widget->setFocusPolicy(Qt::TabFocus);
        }
    }
    return QMainWindow::eventFilter(watched, event);
}

// What no shortcut took: digits where the layout writes something else, and the key left of 1 that,
// held, shows the stage one came from.
void MainWindow::keyPressEvent(QKeyEvent* event)
{
    if (isLeftOfOne(*event)) {
        if (!event->isAutoRepeat() && heldFrom_ < 0) {
            heldFrom_ = stage_;
            showStage(before_);
        }
        if (!event->text().trimmed().isEmpty()) {
            rail_->setHeldKey(event->text());
        }
        return;
    }
    if (const auto digit = digitOf(*event)) {
        const auto command =
            static_cast<Command>(static_cast<int>(Command::StageTakes) + *digit - 1);
        // Not where the user gave the stage another key.
        if (actions_[command]->shortcuts().contains(QKeySequence(QString::number(*digit)))) {
            run(command);
            return;
        }
    }
    QMainWindow::keyPressEvent(event);
}

void MainWindow::keyReleaseEvent(QKeyEvent* event)
{
    if (heldFrom_ >= 0 && !event->isAutoRepeat() && isLeftOfOne(*event)) {
        showStage(heldFrom_);
        heldFrom_ = -1;
        return;
    }
    QMainWindow::keyReleaseEvent(event);
}

}  // namespace orthochron::app
