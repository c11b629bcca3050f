#include "app/stages/grid/heads/GridFoot.h"

#include <QMouseEvent>
#include <QPainter>

#include "app/controls/Counted.h"
#include "app/theme/Theme.h"

#include <algorithm>
#include <cmath>

namespace orthochron::app {

namespace {

constexpr int kTempoHigh = 58;  // px
constexpr int kGuideHigh = 44;
constexpr double kNearTempo = 9.0;
constexpr int kLeastKeys = 12;  // that the strip has room for: one note does not fill it

}  // namespace

GridFoot::GridFoot(Session& session, LanesView& lanes, Following& following)
    : session_(session), lanes_(lanes), following_(following)
{}

int GridFoot::height(bool withTempo) const
{
    const Song& song = session_.song();
    const bool hasTempo = withTempo && song.tempo.tempi().size() > 1;
    return (hasTempo ? kTempoHigh : 0) + (song.guide ? kGuideHigh : 0);
}

QRect GridFoot::tempoArea() const
{
    const QRect area = lanes_.foot();
    const bool hasTempo = withTempo_ && session_.song().tempo.tempi().size() > 1;
    return {area.left(), area.top(), area.width(), hasTempo ? kTempoHigh : 0};
}

void GridFoot::paint(QPainter& painter, QRect area, bool withTempo)
{
    withTempo_ = withTempo;
    const QRect tempo = tempoArea();
    if (tempo.height() > 0) {
        tempi_.refresh(session_.song(), following_);
        paintTempo(painter, tempo);
    }
    if (session_.song().guide) {
        paintGuide(painter, area.adjusted(0, tempo.height(), 0, 0));
    }
}

void GridFoot::paintHead(QPainter& painter, QRect area, const QString& name, const QString& note)
    const
{
    const Palette& colours = Theme::palette();
    const QRect head(0, area.top(), area.left(), area.height());
    painter.fillRect(head, colours.paper);
    painter.fillRect(area, colours.lane);
    painter.setPen(QPen(colours.barLine, 1.0));
    painter.drawLine(head.left(), area.top(), area.right(), area.top());
    painter.setPen(colours.ink);
    painter.setFont(Theme::label(10, QFont::DemiBold));
    painter.drawText(head.adjusted(18, 2, -4, 0), Qt::AlignLeft | Qt::AlignTop, name);
    painter.setPen(colours.secondInk);
    painter.setFont(Theme::label(8.5));
    painter.drawText(
        head.adjusted(18, 18, -4, 0),
        Qt::AlignLeft | Qt::AlignTop,
        painter.fontMetrics().elidedText(note, Qt::ElideRight, head.width() - 22)
    );
}

// ---- the tempo

std::span<const BarTempo> GridFoot::barsSeen() const
{
    const Song& song = session_.song();
    const QRect area = lanes_.foot();
    const auto barAt = [&](double x) {
        return song.tempo.barAt(song.tempo.beatsAt(toSeconds(lanes_.timeAt(x), song.rate)));
    };
    const auto& bars = tempi_.bars();
    const auto first = std::ranges::lower_bound(bars, barAt(area.left()) - 1, {}, &BarTempo::bar);
    const auto behind = std::ranges::upper_bound(bars, barAt(area.right()) + 1, {}, &BarTempo::bar);
    return {first, std::max(first, behind)};
}

QPointF GridFoot::placeOf(const BarTempo& bar) const
{
    const Song& song = session_.song();
    const QRect area = tempoArea().adjusted(0, 7, 0, -7);
    const double bpm = bar.bar == dragged_ ? draggedBpm_ : bar.bpm;
    return {
        lanes_.xOf(toFrames(song.tempo.timeAt(song.tempo.startOfBar(bar.bar)), song.rate)),
        area.bottom() - tempi_.partOf(bpm) * area.height()};
}

void GridFoot::paintTempo(QPainter& painter, QRect area) const
{
    const Palette& colours = Theme::palette();
    paintHead(painter, area, tr("Tempo"), tr("by bar"));
    painter.save();
    painter.setFont(Theme::label(8));
    for (const double part : {0.1, 0.9}) {
        const double y = area.bottom() - 7.0 - part * (area.height() - 14.0);
        painter.setPen(colours.secondInk);
        painter.drawText(
            QRectF(area.left() - 44.0, y - 7.0, 40.0, 14.0),
            Qt::AlignRight | Qt::AlignVCenter,
            QString::number(tempi_.bpmAt(part), 'f', 1)
        );
        painter.setPen(QPen(colours.hairline, 1.0));
        painter.drawLine(QPointF(area.left(), y), QPointF(area.right(), y));
    }
    painter.setClipRect(area);
    painter.setRenderHint(QPainter::Antialiasing, true);
    QPolygonF curve;
    for (const BarTempo& bar : barsSeen()) {
        curve << placeOf(bar);
    }
    QColor straw = colours.straw;
    straw.setAlpha(150);
    painter.setPen(QPen(straw, 7.0, Qt::SolidLine, Qt::RoundCap, Qt::RoundJoin));
    painter.drawPolyline(curve);
    painter.setPen(QPen(colours.ink, 1.0));
    painter.drawPolyline(curve);
    const int chosen = session_.song().tempo.barAt(following_.line());
    for (const BarTempo& bar : barsSeen()) {
        paintBarPoint(painter, bar, placeOf(bar), bar.bar == chosen ? 4.4 : 2.8);
    }
    painter.restore();
}

std::optional<int> GridFoot::barNear(QPointF place) const
{
    std::optional<int> best;
    double least = kNearTempo;
    if (tempoArea().height() > 0) {
        for (const BarTempo& bar : barsSeen()) {
            const QPointF away = placeOf(bar) - place;
            if (std::hypot(away.x(), away.y()) < least) {
                least = std::hypot(away.x(), away.y());
                best = bar.bar;
            }
        }
    }
    return best;
}

bool GridFoot::press(QMouseEvent& event)
{
    dragged_ = event.button() == Qt::LeftButton ? barNear(event.position()) : std::nullopt;
    isMoved_ = false;
    if (!dragged_) {
        return false;
    }
    draggedBpm_ = tempi_.find(*dragged_)->bpm;
    following_.chooseLine(session_.song().tempo.startOfBar(*dragged_));
    return true;
}

void GridFoot::move(QMouseEvent& event)
{
    const QRect area = tempoArea().adjusted(0, 7, 0, -7);
    draggedBpm_ = std::clamp(
        tempi_.bpmAt((area.bottom() - event.position().y()) / area.height()), 20.0, 400.0
    );
    isMoved_ = true;
    lanes_.setReadout(
        tr("bar %1 at %2 bpm").arg(*dragged_).arg(draggedBpm_, 0, 'f', 2), event.pos()
    );
    lanes_.update();
}

void GridFoot::release()
{
    const auto bar = std::exchange(dragged_, std::nullopt);
    if (bar && isMoved_) {
        session_.document.apply(
            setTempoOfBar(session_.song(), *bar, draggedBpm_), tr("Set tempo of bar %1").arg(*bar)
        );
    }
    lanes_.update();
}

// ---- the guide

void GridFoot::paintGuide(QPainter& painter, QRect area)
{
    const Song& song = session_.song();
    const Palette& colours = Theme::palette();
    if (guide_ != song.guide) {
        guide_ = song.guide;
        longest_ = Seconds(0.0);
        keys_ = {127, 0};
        for (const TimedNote& note : guide_->notes) {
            longest_ = std::max(longest_, note.length);
            keys_ = {std::min(keys_.first, note.key), std::max(keys_.second, note.key)};
        }
    }
    paintHead(
        painter,
        area,
        tr("Guide"),
        counted(static_cast<std::int64_t>(guide_->notes.size()), tr("note"), tr("notes"))
    );
    const int more = std::max(0, kLeastKeys - (keys_.second - keys_.first));
    const double lowest = keys_.first - more / 2.0;
    const double range = keys_.second - keys_.first + more;
    const QRectF box = QRectF(area).adjusted(0, 6, 0, -6);
    const Seconds from = toSeconds(lanes_.timeAt(area.left()), song.rate) - longest_;
    const Seconds to = toSeconds(lanes_.timeAt(area.right()), song.rate);
    painter.save();
    painter.setClipRect(area);
    auto note = std::ranges::lower_bound(guide_->notes, from, {}, &TimedNote::at);
    double drawnTo = -1.0;  // px: from afar one beam stands for many
    double drawnAt = -1.0;
    for (; note != guide_->notes.end() && note->at <= to; ++note) {
        const double x = lanes_.xOf(toFrames(note->at, song.rate));
        const double end = lanes_.xOf(toFrames(note->at + note->length, song.rate));
        const double y = box.bottom() - (note->key - lowest) / range * box.height();
        if (y == drawnAt && end < drawnTo + 1.0) {
            continue;
        }
        drawnAt = y;
        drawnTo = std::max(end, x + 2.0);
        painter.fillRect(QRectF(x, y - 1.5, std::max(end - x - 1.0, 2.0), 3.0), colours.secondInk);
        painter.fillRect(QRectF(x, y - 3.5, 1.4, 7.0), colours.ink);
    }
    painter.restore();
}

std::pair<QString, Qt::CursorShape> GridFoot::hintAt(QPoint place) const
{
    if (const auto bar = barNear(place)) {
        return {
            *bar < 1
                ? tr("Drag up or down to change the tempo of bar %1; earlier bars move.").arg(*bar)
                : tr("Drag to change the tempo of bar %1; later bars move up to the next pin.")
                      .arg(*bar),
            Qt::SizeVerCursor};
    }
    if (session_.song().guide && !tempoArea().contains(place)) {
        return {
            tr("Guide %1: bar lines snap to its note starts. It is silent.")
                .arg(QString::fromStdString(session_.song().guide->name)),
            Qt::ArrowCursor};
    }
    return {};
}

}  // namespace orthochron::app
