#pragma once

#include "app/controls/NumberField.h"
#include "app/stages/Stage.h"
#include "app/stages/grid/TempoSearch.h"

class QComboBox;
class QLabel;
class QPushButton;

namespace orthochron::app {

class FrameSheet;

// One tempo and meter, and where bar 1 begins: typed, dragged onto a hit, or taken from a take whose tempo
// is found.
class GridStage final : public Stage {
    Q_OBJECT

public:
    GridStage(Session& session, LanesView& lanes, QObject* parent);

    [[nodiscard]] QString name() const override { return tr("Grid"); }
    [[nodiscard]] QWidget* bench() override { return bench_; }
    [[nodiscard]] bool isWorkedOn() const override;
    [[nodiscard]] QString status() const override;
    void paintOver(QPainter& painter) override;
    bool press(const Lane& lane, QMouseEvent& event) override;
    void move(QMouseEvent& event) override;
    void release(QMouseEvent& event) override;
    [[nodiscard]] std::pair<QString, Qt::CursorShape>
    hintAt(const Lane& lane, QPoint place) const override;
    void nudge(Seconds by) override;

    // The main action: what the take's tempo is, and then the song's.
    void mainAction() override;
    [[nodiscard]] QString mainActionName() const override;
    void step(int by) override;

private:
    [[nodiscard]] QWidget* makeKnown();
    [[nodiscard]] QWidget* makeFound();
    void fill();
    void fillFound();
    void apply();
    [[nodiscard]] Frames firstDownbeat() const;
    [[nodiscard]] Frames caught(Frames songTime, bool isFree) const;

    QWidget* bench_ = nullptr;
    NumberField* bpm_ = nullptr;
    NumberField* first_ = nullptr;
    QComboBox* meter_ = nullptr;
    TempoSearch search_;
    FrameSheet* readings_ = nullptr;
    NumberField* beats_ = nullptr;
    NumberField* bars_ = nullptr;
    NumberField* takeBpm_ = nullptr;
    QLabel* of_ = nullptr;
    QPushButton* inName_ = nullptr;
    QPushButton* round_ = nullptr;
    QPushButton* give_ = nullptr;
    std::optional<Frames> dragged_;
};

}  // namespace orthochron::app
