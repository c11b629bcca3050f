#pragma once

#include "app/controls/NumberField.h"
#include "app/stages/Stage.h"

class QComboBox;

namespace orthochron::app {

// One tempo and meter, and where bar 1 begins: typed, or dragged onto a hit.
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

private:
    void fill();
    void apply();
    [[nodiscard]] Frames firstDownbeat() const;
    [[nodiscard]] Frames caught(Frames songTime, bool isFree) const;

    QWidget* bench_ = nullptr;
    NumberField* bpm_ = nullptr;
    NumberField* first_ = nullptr;
    QComboBox* meter_ = nullptr;
    std::optional<Frames> dragged_;
};

}  // namespace orthochron::app
