#pragma once

#include "app/stages/Stage.h"
#include "core/edits/TakeEdits.h"

#include <deque>

class QTableWidget;
class QLabel;
class QPushButton;

namespace orthochron::app {

// Brings takes in and says what they are; makes and opens mic sets.
class TakesStage final : public Stage {
    Q_OBJECT

public:
    TakesStage(Session& session, LanesView& lanes, QObject* parent);

    [[nodiscard]] QString name() const override { return tr("Takes"); }
    [[nodiscard]] QWidget* bench() override { return bench_; }
    [[nodiscard]] bool isWorkedOn() const override { return !session_.song().takes.empty(); }
    [[nodiscard]] QString status() const override;
    bool run(Command command) override;
    void mainAction() override { askForFiles(); }

    // Imports files and folders as one edit; several that start together become a mic set when
    // the answer to the question is yes.
    void import(const QStringList& paths);
    void askForFiles();
    void makeSet();
    void openSet();
    void renameTrack(TrackId track);
    void removeTrack(TrackId track);
    void moveTrack(TrackId track, int by);

    bool eventFilter(QObject* watched, QEvent* event) override;

Q_SIGNALS:
    void imported();

private:
    void importNext();
    void land(std::vector<ImportedTake> takes, Hertz rate, const QStringList& troubles);
    void add(std::vector<ImportedTake> takes);
    void fillTable();
    [[nodiscard]] std::vector<TrackId> tracksForSet() const;

    QWidget* bench_ = nullptr;
    QTableWidget* table_ = nullptr;
    QLabel* title_ = nullptr;
    QPushButton* makeSet_ = nullptr;
    QPushButton* openSet_ = nullptr;
    QPushButton* fold_ = nullptr;
    std::deque<QStringList> waiting_;  // to be imported after what is being imported
    bool isImporting_ = false;
    bool isFilled_ = false;  // the table, with what there is now
};

}  // namespace orthochron::app
