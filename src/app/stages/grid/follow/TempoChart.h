#pragma once

#include <QWidget>

#include "app/stages/grid/follow/BarTempi.h"

namespace orthochron::app {

// The tempo of every bar as a point, taken hold of: dragged up or down the bar goes faster or slower, and what
// lies right of it moves along up to the next pin.
class TempoChart final : public QWidget {
    Q_OBJECT

public:
    TempoChart(Session& session, Following& following, QWidget* parent);
    [[nodiscard]] QSize minimumSizeHint() const override { return {240, 110}; }
    [[nodiscard]] QPointF placeOf(int bar) const;

protected:
    void paintEvent(QPaintEvent* event) override;
    void mousePressEvent(QMouseEvent* event) override;
    void mouseMoveEvent(QMouseEvent* event) override;
    void mouseReleaseEvent(QMouseEvent* event) override;

private:
    void refresh();
    [[nodiscard]] QRectF area() const;
    [[nodiscard]] double bpmAt(double y) const;
    [[nodiscard]] std::optional<int> barNear(QPointF place) const;

    Session& session_;
    Following& following_;
    BarTempi tempi_;
    std::optional<int> dragged_;
    double draggedBpm_ = 0.0;
    bool isMoved_ = false;
};

}  // namespace orthochron::app
