#pragma once

#include <QCoreApplication>

#include "app/stages/shape/SpeedHands.h"
#include "app/views/ShapePainter.h"

namespace orthochron::app {

// Speed lines under the mouse, in clips, while they are drawn: points are moved, pieces between them bent,
// points added by a click on the line.
class SpeedGrips final {
    Q_DECLARE_TR_FUNCTIONS(SpeedGrips)

public:
    SpeedGrips(Session& session, LanesView& lanes, SpeedHands& hands);

    void paintLane(QPainter& painter, const Lane& lane) const;
    bool press(const Lane& lane, QMouseEvent& event);
    void move(QMouseEvent& event);
    void release();
    [[nodiscard]] bool isHeld() const { return grip_ != Grip::None; }
    [[nodiscard]] std::pair<QString, Qt::CursorShape> hintAt(const Lane& lane, QPoint place) const;

private:
    enum class Grip { None, Point, Piece };
    using Points = std::vector<SpeedPoint>;

    struct Found {
        Grip grip = Grip::None;
        Clip clip;
        std::size_t point = 0;  // that is gripped, or that the piece begins with
        bool isInPiece =
            false;  // else before the first point, after the last, or where there is none
    };
    [[nodiscard]] SpeedScale scaleOf(const Clip& clip) const;
    [[nodiscard]] Found find(const Lane& lane, QPointF place) const;
    [[nodiscard]] Points movedPoint(QPointF place, Qt::KeyboardModifiers held) const;
    [[nodiscard]] Points movedPiece(QPointF place) const;
    [[nodiscard]] Points withPoint(Frames at) const;

    Session& session_;
    LanesView& lanes_;
    SpeedHands& hands_;
    Grip grip_ = Grip::None;
    Found found_;
    QRectF area_;
    QPointF pressed_;
    bool isMoved_ = false;
    Points points_;  // as they are dragged
};

}  // namespace orthochron::app
