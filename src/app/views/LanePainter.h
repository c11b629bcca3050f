#pragma once

#include <QCoreApplication>

#include "app/views/LanesView.h"

namespace orthochron::app {

// One lane: its head, and the sound of its clips with the spare behind them, as outlines from
// afar and as samples from near.
class LanePainter final {
    Q_DECLARE_TR_FUNCTIONS(LanePainter)

public:
    LanePainter(const LanesView& lanes, Session& session);

    void paintHead(QPainter& painter, const Lane& lane) const;
    // With its level line, hushes and spins, faintly, or without.
    void paintLane(QPainter& painter, const Lane& lane, bool withShapes);

private:
    // What a clip's take sounds like between two song times, which may lie in its spare.
    void paintClip(
        QPainter& painter,
        const Lane& lane,
        const Clip& clip,
        const QColor& colour,
        Frames from,
        Frames to
    );
    // The spring of a stretched clip.
    void paintStrain(QPainter& painter, const Lane& lane, const Clip& clip) const;
    // The same from single samples; false while they are still being read.
    bool paintSamples(
        QPainter& painter,
        const Lane& lane,
        const Clip& clip,
        const QColor& colour,
        Frames from,
        Frames to
    );

    const LanesView& lanes_;
    Session& session_;
};

}  // namespace orthochron::app
