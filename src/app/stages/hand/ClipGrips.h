#pragma once

#include <QCoreApplication>

#include "app/stages/Stage.h"
#include "app/stages/hand/ClipHands.h"
#include "app/stages/hand/EdgeStretch.h"

namespace orthochron::app {

// The By hand way of Fit under the mouse: where a clip can be gripped (body, edges, fades), what a
// drag of each asks of ClipHands, and what is drawn before it is let go.
class ClipGrips final {
    Q_DECLARE_TR_FUNCTIONS(ClipGrips)

public:
    ClipGrips(Session& session, LanesView& lanes, ClipHands& hands);

    void paintLane(QPainter& painter, const Lane& lane) const;
    bool press(const Lane& lane, QMouseEvent& event);
    void move(QMouseEvent& event);
    void release();
    bool doubleClick(const Lane& lane, QMouseEvent& event);
    void hover(const Lane* lane, QPoint place, Qt::KeyboardModifiers modifiers);
    [[nodiscard]] std::pair<QString, Qt::CursorShape> hintAt(const Lane& lane, QPoint place) const;

private:
    enum class Grip {
        None,
        Start,
        End,
        StretchStart,
        StretchEnd,
        Body,
        Slip,
        FadeIn,
        FadeOut,
        BendIn,
        BendOut
    };

    [[nodiscard]] const Clip* clipAt(const Lane& lane, double x) const;
    [[nodiscard]] Grip gripAt(const Lane& lane, QPoint place, Qt::KeyboardModifiers held) const;
    [[nodiscard]] Frames snapped(TrackId track, Frames songTime, Qt::KeyboardModifiers held) const;
    void paintSplitLine(QPainter& painter, const Lane& lane) const;
    void paintSigns(QPainter& painter, const QRectF& box, const Clip& clip) const;
    void paintProposal(QPainter& painter, const Lane& lane) const;
    void paintFades(QPainter& painter, const Lane& lane, const Clip& clip, bool isChosen) const;
    void releaseFade(Grip was, Frames by);
    // Whether the curve of a fade with silence runs under a place.
    [[nodiscard]] bool isOnFade(const Lane& lane, const Clip& clip, bool isIn, QPoint place) const;
    void moveBend(const Clip& clip, QMouseEvent& event);

    Session& session_;
    LanesView& lanes_;
    ClipHands& hands_;
    EdgeStretch stretch_;
    Grip grip_ = Grip::None;
    TrackId pressedTrack_;
    TrackId overTrack_;
    ClipId pressedClip_;
    Frames pressedTime_;
    Frames by_;
    QRect pressedLane_;
    float middle_ = 0.5F;        // of the fade that is being bent
    bool isSameForAll_ = false;  // a dragged fade sets all to its length; else changes all alike
    std::optional<std::pair<SetId, Frames>> splitLine_;  // where a split would fall
    TrackId splitTrack_;
};

}  // namespace orthochron::app
