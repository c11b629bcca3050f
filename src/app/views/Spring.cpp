#include "app/views/Spring.h"

#include <QPainter>
#include <QPainterPath>

#include "app/theme/Theme.h"

#include <cmath>
#include <numbers>

namespace orthochron::app {

namespace {

constexpr double kCoil = 6.0;       // px from coil to coil at 1:1
constexpr double kNarrowest = 2.2;  // px; closer they run into each other
constexpr double kHeight = 3.2;     // px, half of it
constexpr double kFewest = 14.0;    // px of a span that shows coils

// Loops like those of a wire seen from the side.
QPainterPath coils(double from, double to, double apart, double middle)
{
    QPainterPath path(QPointF(from, middle));
    const double turns = std::max(1.0, std::round((to - from) / apart));
    const double length = (to - from) / turns;
    for (int turn = 0; turn < static_cast<int>(turns); ++turn) {
        for (int step = 1; step <= 12; ++step) {
            const double part = step / 12.0;
            const double angle = 2.0 * std::numbers::pi * part;
            path.lineTo(
                from + (turn + part) * length - 0.45 * length * std::sin(angle),
                middle + kHeight * std::cos(angle)
            );
        }
    }
    return path;
}

}  // namespace

void paintSpring(
    QPainter& painter,
    const QRectF& area,
    const std::vector<StrainSpan>& spans,
    const StrainLimits& limits,
    const std::function<double(Frames)>& xOf,
    bool isMade
)
{
    const Palette& colours = Theme::palette();
    const double middle = area.bottom() - 6.0;
    painter.save();
    painter.setClipRect(area, Qt::IntersectClip);
    painter.setBrush(Qt::NoBrush);
    for (const StrainSpan& span : spans) {
        const double from = xOf(span.from);
        const double to = xOf(span.to);
        if (to < area.left() || from > area.right()) {
            continue;
        }
        const bool isStrained = !limits.hold(span.ratio);
        if (isStrained) {
            QColor tint = colours.finding;
            tint.setAlpha(36);
            painter.fillRect(QRectF(from, middle - 8.0, std::max(to - from, 2.0), 14.0), tint);
        }
        QColor ink = isStrained ? colours.finding : colours.secondInk;
        if (!isMade) {
            ink.setAlpha(150);
        }
        if (to - from < kFewest) {
            if (isStrained) {
                painter.setPen(QPen(ink, 2.0));
                painter.drawLine(QPointF(from, middle), QPointF(std::max(to, from + 2.0), middle));
            }
            continue;
        }
        const double left = std::max(from + 3.0, area.left() - 40.0);
        const double right = std::min(to - 3.0, area.right() + 40.0);
        const QPainterPath wire =
            coils(left, right, std::max(kCoil * span.ratio, kNarrowest), middle);
        painter.setPen(QPen(ink, 1.0));
        painter.drawPath(wire);
        if (isStrained) {
            painter.drawPath(wire.translated(0.0, -2.0));
        }
    }
    painter.restore();
}

}  // namespace orthochron::app
