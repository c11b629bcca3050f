#include "app/stages/Stage.h"

#include <QPainter>

#include "app/theme/Theme.h"

namespace orthochron::app {

Stage::Stage(Session& session, LanesView& lanes, QObject* parent)
    : QObject(parent), session_(session), lanes_(lanes)
{}

void Stage::paintStrokes(QPainter& painter, const Lane& lane, double toleranceMs, bool withRecorded)
    const
{
    const auto& preview = session_.preview();
    const auto& leads = preview.origin.leads;
    const auto found = std::ranges::find(leads, lane.track);
    if (found == leads.end()) {
        return;
    }
    const int lead = static_cast<int>(found - leads.begin());
    const Hertz rate = session_.song().rate;
    const double top = lane.area.top() + 4.0;
    const double bottom = lane.area.bottom() - 5.0;
    const Palette& colours = Theme::palette();
    const auto lean = [](double x, double lineX, double deviationMs) {
        const double least = Theme::kLeanPerMs * std::abs(deviationMs);
        const double wanted = lineX - x;
        return std::abs(wanted) >= least ? wanted : (deviationMs > 0.0 ? -least : least);
    };
    for (std::size_t i = 0; i < preview.performance.hits.size(); ++i) {
        const JudgedHit& hit = preview.performance.hits[i];
        if (hit.played.lead != lead) {
            continue;
        }
        const Frames now = session_.heardAt(hit.played.beatPoint);
        const double x = lanes_.xOf(now);
        if (x < lane.area.left() - 300 || x > lane.area.right() + 300) {
            continue;
        }
        const double lineX = lanes_.xOf(toFrames(hit.line.time, rate));
        const double offMs = inMilliseconds(toSeconds(now, rate) - hit.line.time);
        if (hit.role == HitRole::Attached && hit.main != i) {
            // Its line is its main hit's business: a short upright stroke with an open foot.
            painter.setPen(QPen(colours.secondInk, 1.0));
            painter.drawLine(QPointF(x, bottom - 10), QPointF(x, bottom - 3));
            painter.setBrush(colours.lane);
            painter.drawEllipse(QPointF(x, bottom), 2.2, 2.2);
            continue;
        }
        if (withRecorded && now != hit.played.beatPoint) {
            const double recordedMs = inMilliseconds(hit.deviation());
            painter.setPen(QPen(colours.barLine, 1.0));
            painter.drawLine(
                QPointF(lanes_.xOf(hit.played.beatPoint), bottom),
                QPointF(
                    lanes_.xOf(hit.played.beatPoint) +
                        lean(lanes_.xOf(hit.played.beatPoint), lineX, recordedMs),
                    top
                )
            );
        }
        const QColor colour = Theme::colourOf(offMs, toleranceMs);
        const double headX = x + lean(x, lineX, offMs);
        painter.setPen(QPen(colour, 1.6));
        painter.drawLine(QPointF(x, bottom), QPointF(headX, top));
        painter.drawLine(QPointF(headX - 3, top), QPointF(headX + 3, top));
        painter.setPen(Qt::NoPen);
        painter.setBrush(colour);
        painter.drawEllipse(QPointF(x, bottom), 2.8, 2.8);
    }
}

}  // namespace orthochron::app
