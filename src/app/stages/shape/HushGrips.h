#pragma once

#include <QCoreApplication>

#include "app/stages/shape/ShapeHands.h"
#include "app/views/LanesView.h"

namespace orthochron::app {

// Hushes under the mouse: taken by their body to be moved, with Ctrl to lay a copy elsewhere, by an end
// to be trimmed.
class HushGrips final {
    Q_DECLARE_TR_FUNCTIONS(HushGrips)

public:
    HushGrips(Session& session, LanesView& lanes, ShapeHands& hands);

    void paintLane(QPainter& painter, const Lane& lane) const;
    bool press(const Lane& lane, QMouseEvent& event);
    void move(QMouseEvent& event);
    void release();
    [[nodiscard]] bool isHeld() const { return grip_ != Grip::None; }
    [[nodiscard]] std::pair<QString, Qt::CursorShape> hintAt(const Lane& lane, QPoint place) const;

private:
    enum class Grip { None, Begin, End, Body, Copy };

    struct Found {
        Grip grip = Grip::None;
        HushId hush;
    };
    [[nodiscard]] Found find(const Lane& lane, QPoint place) const;
    [[nodiscard]] Hush dragged(const Hush& hush) const;
    // The end of it catches on the grid and on the first mark behind it.
    [[nodiscard]] Frames caught(Frames songTime, Qt::KeyboardModifiers held) const;
    [[nodiscard]] int lanesDown() const;

    Session& session_;
    LanesView& lanes_;
    ShapeHands& hands_;
    Grip grip_ = Grip::None;
    HushId hush_;
    TrackId pressedTrack_;
    TrackId overTrack_;
    Frames pressedTime_;
    FrameSpan span_;   // as it was
    FrameSpan moved_;  // as it is dragged
    bool isMoved_ = false;
};

}  // namespace orthochron::app
