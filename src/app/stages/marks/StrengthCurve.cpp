#include "app/stages/marks/StrengthCurve.h"

#include <QCoreApplication>
#include <QFontMetricsF>
#include <QPainter>

#include "app/theme/Theme.h"

namespace orthochron::app {

namespace {

constexpr double kCurveDecibels = 48.0;  // from the bottom of a lane to its top
constexpr double kMargin = 4.0;          // pixels free above and below

}  // namespace

double heightOfStrength(const Lane& lane, double strength)
{
    const double part = std::clamp(1.0 + toDecibels(strength) / kCurveDecibels, 0.0, 1.0);
    return lane.area.bottom() - kMargin - part * (lane.area.height() - 2.0 * kMargin);
}

double decibelsAtHeight(const Lane& lane, double y)
{
    const double part = (lane.area.bottom() - kMargin - y) / (lane.area.height() - 2.0 * kMargin);
    return kCurveDecibels * (std::clamp(part, 0.0, 1.0) - 1.0);
}

void paintStrengthCurve(
    QPainter& painter,
    const Lane& lane,
    const LanesView& lanes,
    const Session& session,
    const OnsetSettings& settings
)
{
    const SetAnalysis* analyses = session.hits.analysis();
    if (analyses == nullptr || !analyses->contains(lane.track)) {
        return;
    }
    const LeadAnalysis& analysis = analyses->at(lane.track);
    const StrengthCurve& strengths = analysis.strengths;
    const Palette& colours = Theme::palette();
    if (session.shown.scale().framesPerPixel < 1200.0 && !strengths.isEmpty()) {
        std::vector<QPolygonF> curves;  // one for each clip that plays the take
        const auto track = session.song().track(lane.track);
        for (const Clip& clip : track->clips) {
            const Frames from = std::max(clip.at, lanes.timeAt(lane.area.left()));
            const Frames to = std::min(clip.end(), lanes.timeAt(lane.area.right()));
            if (!track->isMarked(clip) || to <= from) {
                continue;
            }
            QPolygonF& curve = curves.emplace_back();
            double highest = lane.area.bottom() - kMargin;
            int column = static_cast<int>(lanes.xOf(from));
            const Frames first = clip.sound.takeTimeOf(clip.soundTimeOf(from, to));
            const Frames last = clip.sound.takeTimeOf(clip.soundTimeOf(from, to) + (to - from));
            for (std::int64_t hop = std::max<std::int64_t>(0, strengths.hopOf(first));
                 hop <= strengths.hopOf(last);
                 ++hop) {
                const auto at = clip.songTimeOf(strengths.frameOf(hop));
                if (!at) {
                    continue;
                }
                highest = std::min(highest, heightOfStrength(lane, strengths.at(hop)));
                const double x = lanes.xOf(*at);
                if (static_cast<int>(x) != column) {
                    curve << QPointF(x, highest);
                    highest = lane.area.bottom() - kMargin;
                    column = static_cast<int>(x);
                }
            }
        }
        QColor faint = colours.finding;
        faint.setAlpha(130);
        painter.setPen(QPen(faint, 1.0));
        painter.setBrush(Qt::NoBrush);
        for (const QPolygonF& curve : curves) {
            painter.drawPolyline(curve);
        }
    }
    if (const auto gap = widestGap(analysis.candidates)) {
        const double top = heightOfStrength(lane, gap->above);
        const double bottom = heightOfStrength(lane, gap->below);
        QColor straw = colours.straw;
        straw.setAlpha(90);
        painter.fillRect(QRectF(lane.area.left(), top, lane.area.width(), bottom - top), straw);
        if (bottom - top > 9.0) {
            QString said =
                QCoreApplication::translate("StrengthCurve", "no attacks from %1 to %2 dB")
                    .arg(toDecibels(gap->above), 0, 'f', 0)
                    .arg(toDecibels(gap->below), 0, 'f', 0);
            said.replace(QLatin1Char('-'), QChar(0x2212));
            painter.setFont(Theme::label(7.5));
            // On a ground of its own: the wave goes through the gap.
            const double width = QFontMetricsF(painter.font()).horizontalAdvance(said) + 8.0;
            const QRectF ground(lane.area.right() - width - 2.0, top, width, bottom - top);
            painter.fillRect(ground, colours.lane);
            painter.fillRect(ground, straw);
            painter.setPen(colours.secondInk);
            painter.drawText(ground, Qt::AlignCenter, said);
        }
    }
    const double y = heightOfStrength(lane, thresholdOf(settings));
    painter.setPen(QPen(colours.finding, 1.2, Qt::DashLine));
    painter.drawLine(QPointF(lane.area.left(), y), QPointF(lane.area.right(), y));
}

}  // namespace orthochron::app
