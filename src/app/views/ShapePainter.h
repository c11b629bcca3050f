#pragma once

#include <QCoreApplication>

#include "app/views/LanesView.h"
#include "core/edits/ShapeEdits.h"
#include "core/edits/SpeedEdits.h"

#include <optional>
#include <set>

namespace orthochron::app {

// Where a level stands in a lane: silence at its foot, +12 dB at its head, and between them by the
// cube root of the gain, so that a straight fade to silence is drawn straight.
[[nodiscard]] double levelY(double level, QRectF area);
[[nodiscard]] double levelAtY(double y, QRectF area);
[[nodiscard]] QString levelText(double level);  // "-3.5 dB", "silence"

// How high a speed stands in a lane, what is recorded in its middle: from standing still to four times,
// or where the pitch alone moves so many semitones down and up.
struct SpeedScale {
    double semitones = 0.0;  // 0: speeds
};

// Level lines, hushes, spins and fades as they lie over the sound they act on: in ink where they can
// be taken hold of, faint elsewhere.
class ShapePainter final {
    Q_DECLARE_TR_FUNCTIONS(ShapePainter)

public:
    enum class Ink { Faint, Plain, Full };  // Plain: in ink, but thin

    ShapePainter(const LanesView& lanes, const Session& session);

    void paintLine(QPainter& painter, QRectF area, const LevelLine& line, Ink ink) const;
    // The points of a line; a chosen one full.
    void paintPoints(
        QPainter& painter,
        QRectF area,
        const LevelLine& line,
        Ink ink,
        const std::set<std::size_t>& chosen
    ) const;
    void paintHush(
        QPainter& painter, QRectF area, const Hush& hush, Ink ink, bool isChosen, bool isNamed
    ) const;
    // The speed over the part of a clip that spins, or all along its speed line.
    void paintSpins(QPainter& painter, QRectF area, const Clip& clip, Ink ink) const;
    // The speed all along a clip, with its points counted from its start; a chosen one full.
    void paintSpeed(
        QPainter& painter,
        QRectF area,
        const Clip& clip,
        const std::vector<SpeedPoint>& points,
        SpeedScale scale,
        std::optional<std::size_t> chosen
    ) const;
    // Where a speed lies in a lane; beyond its scale at its edge.
    [[nodiscard]] static double speedY(double speed, QRectF area, SpeedScale scale = {});
    [[nodiscard]] static double speedAtY(double y, QRectF area, SpeedScale scale = {});
    // Its fades, each so much longer.
    void paintFades(
        QPainter& painter, QRectF area, const Clip& clip, Ink ink, Frames inBy, Frames outBy
    ) const;
    // Where full gain lies in their part of a lane, and how far down silence lies from there.
    [[nodiscard]] static double fadeTop(QRectF area) { return area.top() + 3.0; }
    [[nodiscard]] static double fadeHeight(QRectF area) { return area.height() - 6.0; }
    // All of it, faint, as every stage shows it.
    void paintFaint(QPainter& painter, QRectF area, const Track& track) const;

private:
    const LanesView& lanes_;
    const Session& session_;
};

}  // namespace orthochron::app
