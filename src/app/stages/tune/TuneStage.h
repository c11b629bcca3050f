#pragma once

#include "app/stages/Stage.h"
#include "app/stages/tune/Ladder.h"

namespace orthochron::app {

class TuneBench;

// Notes in tune: the ladder under the lanes.
class TuneStage final : public Stage {
    Q_OBJECT

public:
    TuneStage(Session& session, LanesView& lanes, QObject* parent);

    [[nodiscard]] QString name() const override { return tr("Tune"); }
    [[nodiscard]] QWidget* bench() override;
    [[nodiscard]] bool isWorkedOn() const override;
    [[nodiscard]] QString status() const override;
    void entered() override;
    [[nodiscard]] int footHeight() const override;
    void paintFoot(QPainter& painter, QRect area) override { ladder_.paint(painter, area); }
    bool pressFoot(QMouseEvent& event) override;
    [[nodiscard]] std::pair<QString, Qt::CursorShape> hintInFoot(QPoint place) const override;
    void move(QMouseEvent& event) override;
    void release(QMouseEvent& event) override;
    bool run(Command command) override;
    void step(int by) override { hands_.step(by); }
    void hear() override { hands_.hear(); }
    void mainAction() override;
    [[nodiscard]] QString mainActionName() const override;
    void remove() override { hands_.reset(); }
    [[nodiscard]] bool canRemove() const override { return hands_.sung() != nullptr; }
    void selectAll() override;
    void selectNone() override { hands_.choose({}); }

private:
    TuneHands hands_;
    NoteHands notes_;
    Ladder ladder_;
    TuneBench* bench_ = nullptr;
};

}  // namespace orthochron::app
