#include "app/stages/grid/follow/TempoChart.h"

#include <QMouseEvent>
#include <QPainter>

#include "app/theme/Theme.h"

#include <algorithm>
#include <cmath>

namespace orthochron::app {

namespace {

constexpr double kNear = 9.0;  // px

}  // namespace

TempoChart::TempoChart(Session& session, Following& following, QWidget* parent)
    : QWidget(parent), session_(session), following_(following)
{
    setObjectName(QStringLiteral("tempoChart"));
    setAccessibleName(tr("Tempo by bar"));
    setToolTip(tr("Drag to change a bar's tempo; later bars move, up to the next pin."));
    connect(&following_, &Following::changed, this, &TempoChart::refresh);
    refresh();
}

void TempoChart::refresh()
{
    tempi_.refresh(session_.song(), following_);
    update();
}

QRectF TempoChart::area() const
{
    return QRectF(rect()).adjusted(38, 8, -8, -18);
}

QPointF TempoChart::placeOf(int bar) const
{
    const QRectF box = area();
    const auto& bars = tempi_.bars();
    const auto count = static_cast<double>(std::max<std::size_t>(bars.size(), 2)) - 1.0;
    const BarTempo* there = tempi_.find(bar);
    const double bpm = bar == dragged_    ? draggedBpm_
                       : there != nullptr ? there->bpm
                                          : tempi_.bpmAt(0.0);
    const int first = bars.empty() ? 1 : bars.front().bar;
    return {
        box.left() + 6.0 + (box.width() - 12.0) * (bar - first) / count,
        box.bottom() - tempi_.partOf(bpm) * box.height()};
}

double TempoChart::bpmAt(double y) const
{
    const QRectF box = area();
    return tempi_.bpmAt((box.bottom() - y) / box.height());
}

std::optional<int> TempoChart::barNear(QPointF place) const
{
    std::optional<int> best;
    double least = kNear;
    for (const BarTempo& each : tempi_.bars()) {
        const QPointF at = placeOf(each.bar) - place;
        const double away = std::hypot(at.x(), at.y());
        if (away < least) {
            least = away;
            best = each.bar;
        }
    }
    return best;
}

void TempoChart::paintEvent(QPaintEvent*)
{
    QPainter painter(this);
    painter.setRenderHint(QPainter::Antialiasing, true);
    const Palette& colours = Theme::palette();
    painter.fillRect(rect(), colours.lane);
    painter.setPen(QPen(colours.hairline, 1));
    painter.setBrush(Qt::NoBrush);
    painter.drawRect(rect().adjusted(0, 0, -1, -1));
    if (tempi_.bars().empty() || session_.song().tracks.empty()) {
        return;
    }
    const QRectF box = area();
    painter.setFont(Theme::label(8.5));
    for (const double part : {0.0, 0.5, 1.0}) {
        const double y = box.bottom() - part * box.height();
        painter.setPen(QPen(colours.hairline, 1));
        painter.drawLine(QPointF(box.left(), y), QPointF(box.right(), y));
        painter.setPen(colours.secondInk);
        painter.drawText(
            QRectF(2, y - 8, 32, 16),
            Qt::AlignRight | Qt::AlignVCenter,
            QString::number(tempi_.bpmAt(part), 'f', 1)
        );
    }
    QPolygonF curve;
    for (const BarTempo& each : tempi_.bars()) {
        curve << placeOf(each.bar);
    }
    QColor straw = colours.straw;
    straw.setAlpha(150);
    painter.setPen(QPen(straw, 9.0, Qt::SolidLine, Qt::RoundCap, Qt::RoundJoin));
    painter.drawPolyline(curve);
    painter.setPen(QPen(colours.ink, 1.0));
    painter.drawPolyline(curve);
    const double apart = curve.size() > 1 ? curve[1].x() - curve[0].x() : 20.0;
    const double size = std::clamp(0.35 * apart, 1.4, 3.0);
    const int chosen = session_.song().tempo.barAt(following_.line());
    for (const BarTempo& each : tempi_.bars()) {
        paintBarPoint(painter, each, placeOf(each.bar), each.bar == chosen ? size + 1.6 : size);
    }
    painter.setPen(colours.secondInk);
    const QRectF foot(box.left(), box.bottom() + 2, box.width(), 15);
    painter.drawText(
        foot, Qt::AlignLeft | Qt::AlignVCenter, tr("bar %1").arg(tempi_.bars().front().bar)
    );
    painter.drawText(
        foot, Qt::AlignRight | Qt::AlignVCenter, tr("bar %1").arg(tempi_.bars().back().bar)
    );
    if (dragged_) {
        painter.setPen(colours.ink);
        painter.drawText(
            foot,
            Qt::AlignHCenter | Qt::AlignVCenter,
            tr("bar %1 at %2 bpm").arg(*dragged_).arg(draggedBpm_, 0, 'f', 2)
        );
    }
}

void TempoChart::mousePressEvent(QMouseEvent* event)
{
    dragged_ = event->button() == Qt::LeftButton ? barNear(event->position()) : std::nullopt;
    isMoved_ = false;
    if (!dragged_) {
        return;
    }
    draggedBpm_ = tempi_.find(*dragged_)->bpm;
    const Song& song = session_.song();
    const Beats line = song.tempo.startOfBar(*dragged_);
    const Frames at = toFrames(song.tempo.timeAt(line), song.rate);
    session_.player.seek(std::max(at, Frames(0)));
    session_.shown.reveal(at);
    following_.chooseLine(line);
}

void TempoChart::mouseMoveEvent(QMouseEvent* event)
{
    if (dragged_ && (event->buttons() & Qt::LeftButton) != 0) {
        draggedBpm_ = std::clamp(bpmAt(event->position().y()), 20.0, 400.0);
        isMoved_ = true;
        update();
    }
}

void TempoChart::mouseReleaseEvent(QMouseEvent*)
{
    const auto bar = std::exchange(dragged_, std::nullopt);
    if (bar && isMoved_) {
        session_.document.apply(
            setTempoOfBar(session_.song(), *bar, draggedBpm_), tr("Set tempo of bar %1").arg(*bar)
        );
    }
    update();
}

}  // namespace orthochron::app
