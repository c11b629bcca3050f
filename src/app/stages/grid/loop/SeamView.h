#pragma once

#include <QWidget>

#include "app/stages/grid/loop/LoopCutting.h"

namespace orthochron::app {

// Where a loop goes round: its end at the left of the seam, its beginning at the right, each with what
// it leaves out, faintly. Either side is dragged to move that edge; the wheel shows more or less.
class SeamView final : public QWidget {
    Q_OBJECT

public:
    SeamView(Session& session, LoopCutting& loop, QWidget* parent);
    [[nodiscard]] QSize minimumSizeHint() const override { return {240, 90}; }

protected:
    void paintEvent(QPaintEvent* event) override;
    void mousePressEvent(QMouseEvent* event) override;
    void mouseMoveEvent(QMouseEvent* event) override;
    void mouseReleaseEvent(QMouseEvent* event) override;
    void wheelEvent(QWheelEvent* event) override;

private:
    struct Held {
        LoopEdge edge;
        double x;   // where it was taken hold of
        Frames at;  // where the edge was
    };
    [[nodiscard]] QRectF area() const;
    [[nodiscard]] double framesPerPixel() const;

    Session& session_;
    LoopCutting& loop_;
    std::optional<Held> held_;
};

}  // namespace orthochron::app
