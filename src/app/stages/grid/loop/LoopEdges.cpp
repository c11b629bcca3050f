#include "app/stages/grid/loop/LoopEdges.h"

#include <QMouseEvent>
#include <QPainter>

#include "app/theme/Theme.h"

#include <cmath>

namespace orthochron::app {

namespace {

constexpr double kEdgeReach = 6.0;  // px

}  // namespace

LoopEdges::LoopEdges(Session& session, LanesView& lanes, LoopCutting& loop)
    : session_(session), lanes_(lanes), loop_(loop)
{}

void LoopEdges::paint(QPainter& painter) const
{
    if (!loop_.span()) {
        return;
    }
    const Palette& colours = Theme::palette();
    const QRect sheet = lanes_.sheet();
    for (const LoopEdge edge : {LoopEdge::Beginning, LoopEdge::End}) {
        const double x = lanes_.xOf(loop_.at(edge));
        if (x < sheet.left() || x > sheet.right()) {
            continue;
        }
        const bool isChosen = loop_.edge() == edge;
        painter.setPen(QPen(colours.ink, isChosen ? 2.0 : 1.2));
        painter.drawLine(QPointF(x, sheet.top()), QPointF(x, sheet.bottom()));
        // A bow towards the inside of the loop.
        const double inwards = edge == LoopEdge::Beginning ? 9.0 : -9.0;
        painter.drawPolyline(QPolygonF(
            {QPointF(x + inwards, sheet.top() + 2.0),
             QPointF(x, sheet.top() + 9.0),
             QPointF(x + inwards, sheet.top() + 16.0)}
        ));
    }
}

std::optional<LoopEdge> LoopEdges::edgeAt(double x) const
{
    std::optional<LoopEdge> best;
    double least = kEdgeReach;
    for (const LoopEdge edge : {LoopEdge::Beginning, LoopEdge::End}) {
        const double away = std::abs(lanes_.xOf(loop_.at(edge)) - x);
        if (loop_.span() && away <= least) {
            least = away;
            best = edge;
        }
    }
    return best;
}

bool LoopEdges::press(QMouseEvent& event)
{
    held_ = edgeAt(event.position().x());
    if (held_) {
        loop_.choose(*held_);
        grip_ = event.position().x() - lanes_.xOf(loop_.at(*held_));
    }
    return held_.has_value();
}

void LoopEdges::move(QMouseEvent& event)
{
    if (!held_) {
        return;
    }
    const Frames to = lanes_.timeAt(event.position().x() - grip_);
    loop_.move(*held_, lanes_.snapped(to, event.modifiers()));
    lanes_.setReadout(
        tr("%1 s, %2 beats at %3 bpm")
            .arg(loop_.length().count(), 0, 'f', 4)
            .arg(loop_.beats(), 0, 'g', 6)
            .arg(loop_.bpm(), 0, 'f', 2),
        event.pos()
    );
}

std::pair<QString, Qt::CursorShape> LoopEdges::hintAt(QPoint place) const
{
    const auto edge = edgeAt(place.x());
    if (!edge) {
        return {};
    }
    return {
        *edge == LoopEdge::Beginning ? tr("Drag the loop start. Ctrl: no snap.")
                                     : tr("Drag the loop end. Ctrl: no snap."),
        Qt::SizeHorCursor};
}

}  // namespace orthochron::app
