#pragma once

#include <QMainWindow>
#include <QTimer>

#include "app/controls/Commands.h"
#include "app/stages/Stage.h"

class QAction;
class QSplitter;
class QStackedWidget;

namespace orthochron::app {

class ProgressLine;
class SongDesk;
class StageRail;
class StatusLine;
class Strip;
class TakesStage;

// Lays out the one window and connects its parts; what a part does is its own business.
class MainWindow final : public QMainWindow {
    Q_OBJECT

public:
    explicit MainWindow(Session& session, QWidget* parent = nullptr);

    void showStage(int stage);  // 0..8; one that is off says so and nothing changes
    [[nodiscard]] int stage() const { return stage_; }
    void openSong(const QString& path);
    // Songs are opened, the first of them here and each other one in a window of its own; sound files
    // and folders are imported.
    void openFiles(const QStringList& paths);
    void openDemo();
    // At the start: asks what becomes of songs that were left without a name, if there are any.
    void offerUnsaved();
    void tick();  // what moves while playing: place, clock, levels, playhead
    [[nodiscard]] LanesView& lanes() { return *lanes_; }
    [[nodiscard]] QAction* action(Command command) const { return actions_.at(command); }
    [[nodiscard]] QString statusText() const;

protected:
    void closeEvent(QCloseEvent* event) override;
    void dragEnterEvent(QDragEnterEvent* event) override;
    void dropEvent(QDropEvent* event) override;
    void keyPressEvent(QKeyEvent* event) override;
    void keyReleaseEvent(QKeyEvent* event) override;
    bool eventFilter(QObject* watched, QEvent* event) override;

private:
    void makeStages();
    void makeMenus();
    void greyOut(const QMenu& menu);
    void run(const CommandSpec& spec);
    void run(Command command);
    void press(const CommandSpec& spec);
    void changeShortcuts();
    void showPreferences();
    void find();
    [[nodiscard]] bool runEdit(Command command);
    [[nodiscard]] bool runPlay(Command command);
    [[nodiscard]] bool runStage(Command command);
    void runView(Command command);
    void refresh();
    void moveByBars(int bars);
    void goTo(Frames at);
    void stepTrack(int by);
    [[nodiscard]] Stage* current() const { return stages_[static_cast<std::size_t>(stage_)]; }

    Session& session_;
    SongDesk* desk_ = nullptr;
    Strip* strip_ = nullptr;
    ProgressLine* progress_ = nullptr;
    StageRail* rail_ = nullptr;
    LanesView* lanes_ = nullptr;
    QSplitter* splitter_ = nullptr;
    QStackedWidget* benches_ = nullptr;
    StatusLine* status_ = nullptr;
    std::vector<Stage*> stages_;  // as in stageTable(); null for those not there yet
    TakesStage* takes_ = nullptr;
    std::map<Command, QAction*> actions_;
    QMenu* recent_ = nullptr;
    int stage_ = 0;
    int before_ = 0;
    int heldFrom_ = -1;  // the stage to go back to while ` is held
    QTimer timer_;
};

}  // namespace orthochron::app
