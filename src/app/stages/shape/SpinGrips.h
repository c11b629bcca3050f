#pragma once

#include <QCoreApplication>

#include "app/stages/shape/SpeedHands.h"
#include "app/views/LanesView.h"

namespace orthochron::app {

// Spins under the mouse: an end of a clip, in the upper third of its lane, is drawn inwards.
class SpinGrips final {
    Q_DECLARE_TR_FUNCTIONS(SpinGrips)

public:
    SpinGrips(Session& session, LanesView& lanes, SpeedHands& hands);

    void paintLane(QPainter& painter, const Lane& lane) const;
    bool press(const Lane& lane, QMouseEvent& event);
    void move(QMouseEvent& event);
    void release();
    [[nodiscard]] bool isHeld() const { return clip_.isValid(); }
    [[nodiscard]] std::pair<QString, Qt::CursorShape> hintAt(const Lane& lane, QPoint place) const;

private:
    struct Found {
        ClipId clip;
        bool isDown = true;
    };
    [[nodiscard]] Found find(const Lane& lane, QPoint place) const;
    [[nodiscard]] Frames lengthAt(double x) const;

    Session& session_;
    LanesView& lanes_;
    SpeedHands& hands_;
    ClipId clip_;
    TrackId track_;
    bool isDown_ = true;
    bool isMoved_ = false;
    Frames length_;
};

}  // namespace orthochron::app
