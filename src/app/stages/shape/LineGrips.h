#pragma once

#include <QCoreApplication>

#include "app/stages/shape/ShapeHands.h"
#include "app/views/LanesView.h"

#include <map>

namespace orthochron::app {

// Level lines under the mouse, of a lane or of the whole song at the foot of the sheet: points are
// moved, pieces between them bent, points added by a click on the line, lines drawn by hand.
class LineGrips final {
    Q_DECLARE_TR_FUNCTIONS(LineGrips)

public:
    LineGrips(Session& session, LanesView& lanes, ShapeHands& hands);

    void paint(QPainter& painter, std::optional<TrackId> owner, QRectF area) const;
    // `chosen` are the points that were chosen before: a point among them takes all along, and with Ctrl
    // it is chosen with them, or no more.
    bool
    press(std::optional<TrackId> owner, QRectF area, QMouseEvent& event, const LinePoints& chosen);
    void move(QMouseEvent& event);
    void release();
    [[nodiscard]] bool isHeld() const { return grip_ != Grip::None; }
    [[nodiscard]] std::pair<QString, Qt::CursorShape>
    hintAt(std::optional<TrackId> owner, QRectF area, QPoint place) const;

private:
    enum class Grip { None, Point, Points, Piece, Draw, Steps };

    struct Found {
        Grip grip = Grip::None;
        std::size_t point = 0;  // that is gripped, or that the piece begins with
    };
    [[nodiscard]] Found find(std::optional<TrackId> owner, QRectF area, QPointF place) const;
    [[nodiscard]] const LevelLine& lineOf(std::optional<TrackId> owner) const;
    void movePoint(QPointF place, Qt::KeyboardModifiers held);
    void movePoints(QPointF place, Qt::KeyboardModifiers held);
    void movePiece(QPointF place);
    void draw(QPointF place);
    void chooseClicked();
    [[nodiscard]] HeldPlace placeAt(Frames songTime) const;
    void show(const LevelLine& line, const QString& readout, QPoint at);

    Session& session_;
    LanesView& lanes_;
    ShapeHands& hands_;
    Grip grip_ = Grip::None;
    std::optional<TrackId> owner_;
    QRectF area_;
    std::size_t point_ = 0;
    QPointF pressed_;
    bool isMoved_ = false;
    bool isWithCtrl_ = false;   // when it was taken hold of
    LevelLine line_;            // as it is dragged
    std::optional<Song> song_;  // with several points as they are dragged
    LinePoints chosen_;         // when it was taken hold of
    std::map<HeldPlace, double> drawn_;
};

}  // namespace orthochron::app
