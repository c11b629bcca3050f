#include "app/stages/grid/TempoChart.h"

#include <QMouseEvent>
#include <QPainter>

#include "app/theme/Theme.h"

#include <algorithm>
#include <cmath>

namespace orthochron::app {

namespace {

constexpr double kNear = 9.0;        // px
constexpr int kMostBars = 20000;     // an hour at the fastest
constexpr double kLeastRange = 0.1;  // of the tempo: what is steady is not drawn as a thicket

}  // namespace

TempoChart::TempoChart(Session& session, Following& following, QWidget* parent)
    : QWidget(parent), session_(session), following_(following)
{
    setObjectName(QStringLiteral("tempoChart"));
    setAccessibleName(tr("Tempo of every bar"));
    setToolTip(tr(
        "Drag a point up or down: that bar goes faster or slower, and what lies right of it moves "
        "along up to the next pin"
    ));
    connect(&following_, &Following::changed, this, &TempoChart::refresh);
    refresh();
}

void TempoChart::refresh()
{
    const Song& song = session_.song();
    if (!(madeFrom_ == song.tempo) || length_ != song.length() || bars_.empty()) {
        madeFrom_ = song.tempo;
        length_ = song.length();
        bars_.clear();
        const Seconds end = toSeconds(length_, song.rate);
        least_ = 1e9;
        most_ = 0.0;
        for (int bar = 1; bar <= kMostBars; ++bar) {
            const Beats from = song.tempo.startOfBar(bar);
            const Beats to = song.tempo.startOfBar(bar + 1);
            const Seconds begins = song.tempo.timeAt(from);
            if (begins >= end && bar > 1) {
                break;
            }
            const double bpm =
                (to - from).count() * 60.0 / (song.tempo.timeAt(to) - begins).count();
            bars_.push_back({bar, bpm, false, following_.isPinned(from)});
            least_ = std::min(least_, bpm);
            most_ = std::max(most_, bpm);
        }
        for (const DoubtfulBar& doubtful : following_.doubtful()) {
            if (doubtful.bar >= 1 && doubtful.bar <= static_cast<int>(bars_.size())) {
                bars_[static_cast<std::size_t>(doubtful.bar) - 1].isDoubtful = true;
            }
        }
        const double middle = 0.5 * (least_ + most_);
        const double half = std::max(0.55 * (most_ - least_), 0.5 * kLeastRange * middle);
        least_ = middle - half;
        most_ = middle + half;
    }
    update();
}

QRectF TempoChart::area() const
{
    return QRectF(rect()).adjusted(38, 8, -8, -18);
}

QPointF TempoChart::placeOf(int bar) const
{
    const QRectF box = area();
    const auto count = static_cast<double>(std::max<std::size_t>(bars_.size(), 2)) - 1.0;
    const auto index = static_cast<std::size_t>(bar - 1);
    const double bpm = bar == dragged_        ? draggedBpm_
                       : index < bars_.size() ? bars_[index].bpm
                                              : least_;
    return {
        box.left() + 6.0 + (box.width() - 12.0) * (bar - 1) / count,
        box.bottom() - (bpm - least_) / (most_ - least_) * box.height()};
}

double TempoChart::bpmAt(double y) const
{
    const QRectF box = area();
    return least_ + (box.bottom() - y) / box.height() * (most_ - least_);
}

int TempoChart::barNear(QPointF place) const
{
    int best = 0;
    double least = kNear;
    for (const Bar& bar : bars_) {
        const QPointF at = placeOf(bar.number) - place;
        const double away = std::hypot(at.x(), at.y());
        if (away < least) {
            least = away;
            best = bar.number;
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
    if (bars_.empty() || session_.song().tracks.empty()) {
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
            QString::number(least_ + part * (most_ - least_), 'f', 1)
        );
    }
    QPolygonF curve;
    for (const Bar& bar : bars_) {
        curve << placeOf(bar.number);
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
    for (const Bar& bar : bars_) {
        const QColor colour = bar.isDoubtful ? colours.finding : colours.ink;
        painter.setPen(QPen(colour, 1.2));
        painter.setBrush(bar.isPinned ? colour : colours.lane);
        const double own = bar.number == chosen ? size + 1.6 : size;
        painter.drawEllipse(placeOf(bar.number), own, own);
    }
    painter.setPen(colours.secondInk);
    const QRectF foot(box.left(), box.bottom() + 2, box.width(), 15);
    painter.drawText(foot, Qt::AlignLeft | Qt::AlignVCenter, tr("bar 1"));
    painter.drawText(
        foot, Qt::AlignRight | Qt::AlignVCenter, tr("bar %1").arg(bars_.back().number)
    );
    if (dragged_ > 0) {
        painter.setPen(colours.ink);
        painter.drawText(
            foot,
            Qt::AlignHCenter | Qt::AlignVCenter,
            tr("bar %1 at %2 bpm").arg(dragged_).arg(draggedBpm_, 0, 'f', 2)
        );
    }
}

void TempoChart::mousePressEvent(QMouseEvent* event)
{
    dragged_ = event->button() == Qt::LeftButton ? barNear(event->position()) : 0;
    isMoved_ = false;
    if (dragged_ == 0) {
        return;
    }
    draggedBpm_ = bars_[static_cast<std::size_t>(dragged_) - 1].bpm;
    const Song& song = session_.song();
    const Beats line = song.tempo.startOfBar(dragged_);
    const Frames at = toFrames(song.tempo.timeAt(line), song.rate);
    session_.player.seek(std::max(at, Frames(0)));
    session_.shown.reveal(at);
    following_.chooseLine(line);
}

void TempoChart::mouseMoveEvent(QMouseEvent* event)
{
    if (dragged_ > 0 && (event->buttons() & Qt::LeftButton) != 0) {
        draggedBpm_ = std::clamp(bpmAt(event->position().y()), 20.0, 400.0);
        isMoved_ = true;
        update();
    }
}

void TempoChart::mouseReleaseEvent(QMouseEvent*)
{
    const int bar = std::exchange(dragged_, 0);
    if (bar > 0 && isMoved_) {
        session_.document.apply(
            setTempoOfBar(session_.song(), bar, draggedBpm_), tr("Set the tempo of bar %1").arg(bar)
        );
    }
    update();
}

}  // namespace orthochron::app
