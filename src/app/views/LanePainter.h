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
    // The sound of many clips from afar, one stroke for each column of pixels however many clips
    // are heard in it.
    class Outline {
    public:
        Outline(const Lane& lane, QColor colour);

        [[nodiscard]] const QColor& colour() const { return colour_; }
        // From `low` to `high` pixels above the lane's middle.
        void add(int x, double low, double high);
        void paint(QPainter& painter) const;

    private:
        struct Column {
            double low = 0.0;
            double high = 0.0;  // 0: nothing there
        };
        QRect area_;
        QColor colour_;
        std::vector<Column> columns_;  // from the area's left on; empty until there is one
    };

    // What a clip's take sounds like between two song times, which may lie in its spare: put into an
    // outline, or from near painted at once.
    void paintClip(
        QPainter& painter,
        const Lane& lane,
        const Clip& clip,
        Outline& outline,
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
