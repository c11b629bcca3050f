#pragma once

#include "app/stages/Stage.h"
#include "app/stages/shape/HushGrips.h"
#include "app/stages/shape/LineGrips.h"
#include "app/stages/shape/SpeedGrips.h"
#include "app/stages/shape/SpinGrips.h"

namespace orthochron::app {

class ShapeBench;

// Level lines, hushes and spins: what a song becomes beside its cuts, drawn where it acts.
class ShapeStage final : public Stage {
    Q_OBJECT

public:
    ShapeStage(Session& session, LanesView& lanes, QObject* parent);

    [[nodiscard]] QString name() const override { return tr("Shape"); }
    [[nodiscard]] QWidget* bench() override;
    [[nodiscard]] bool isWorkedOn() const override;
    [[nodiscard]] QString status() const override;
    void entered() override;
    [[nodiscard]] bool showsShapes() const override { return true; }
    void paintLane(QPainter& painter, const Lane& lane) override;
    void paintOver(QPainter& painter) override;
    [[nodiscard]] int footHeight() const override;
    void paintFoot(QPainter& painter, QRect area) override;
    bool pressFoot(QMouseEvent& event) override;
    [[nodiscard]] std::pair<QString, Qt::CursorShape> hintInFoot(QPoint place) const override;
    bool press(const Lane& lane, QMouseEvent& event) override;
    bool pressRuler(QMouseEvent& event) override;
    void move(QMouseEvent& event) override;
    void release(QMouseEvent& event) override;
    [[nodiscard]] std::pair<QString, Qt::CursorShape>
    hintAt(const Lane& lane, QPoint place) const override;
    bool run(Command command) override;
    void step(int by) override { hands_.step(by); }
    void mainAction() override { hands_.switchHush(); }
    [[nodiscard]] QString mainActionName() const override;
    void remove() override;
    void selectAll() override;
    void selectNone() override { hands_.choosePoints({}); }
    [[nodiscard]] bool canRemove() const override;
    void nudge(Seconds by) override;

private:
    [[nodiscard]] bool isLookedAt() const;
    [[nodiscard]] std::vector<TrackId> tracksBetween(QPoint a, QPoint b) const;
    [[nodiscard]] double endX() const;

    ShapeHands hands_;
    SpeedHands speed_;
    LineGrips lineGrips_;
    HushGrips hushGrips_;
    SpinGrips spinGrips_;
    SpeedGrips speedGrips_;
    ShapeBench* bench_ = nullptr;
    // A span being drawn over lanes, or the end mark being dragged in the ruler.
    enum class Drag { None, Span, End };
    Drag drag_ = Drag::None;
    QPoint pressed_;
    Frames end_;
};

}  // namespace orthochron::app
