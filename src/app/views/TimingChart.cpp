#include "app/views/TimingChart.h"

#include <QContextMenuEvent>
#include <QMenu>
#include <QMouseEvent>
#include <QPainter>
#include <QPainterPath>

#include "app/theme/Theme.h"

#include <numbers>

namespace orthochron::app {

TimingChart::TimingChart(Session& session, QWidget* parent) : QWidget(parent), session_(session)
{
    setMouseTracking(true);
    setAccessibleName(tr("Timing chart"));
    connect(&session_.fitting, &Fitting::changed, this, [this] { update(); });
    connect(&session_.shown, &SongView::changed, this, [this] { update(); });
}

QRectF TimingChart::plot() const
{
    return QRectF(rect()).adjusted(34, 4, -4, -4);
}

// A round figure that holds nearly all hits; the furthest few stand at the edge.
double TimingChart::reachMs() const
{
    std::vector<double> away;
    for (const JudgedHit& hit : session_.fitting.preview().performance.hits) {
        if (hit.role == HitRole::Main) {
            away.push_back(std::abs(inMilliseconds(hit.deviation())));
        }
    }
    if (away.empty()) {
        return 30.0;
    }
    std::ranges::sort(away);
    const double most = away[away.size() * 9 / 10];
    for (const double reach : {15.0, 30.0, 60.0, 120.0, 240.0}) {
        if (most <= reach * 0.95) {
            return reach;
        }
    }
    return 480.0;
}

double TimingChart::yOf(double ms) const
{
    const QRectF area = plot();
    return area.center().y() + std::clamp(ms / reachMs(), -1.0, 1.0) * (area.height() / 2.0 - 6.0);
}

double TimingChart::msAt(double y) const
{
    const QRectF area = plot();
    return (y - area.center().y()) / (area.height() / 2.0 - 6.0) * reachMs();
}

void TimingChart::paintEvent(QPaintEvent*)
{
    const Palette& colours = Theme::palette();
    QPainter painter(this);
    painter.setRenderHint(QPainter::Antialiasing);
    const QRectF area = plot();
    painter.fillRect(area, colours.lane);
    painter.setPen(QPen(colours.edge, 1));
    painter.drawRect(area);
    const double reach = reachMs();
    const auto y = [&](double ms) { return yOf(ms); };
    const double tolerance = inMilliseconds(session_.fitting.request.fit.leaveWithin);
    if (tolerance > 0.0) {
        QColor straw = colours.straw;
        straw.setAlpha(110);
        painter.fillRect(
            QRectF(area.left(), y(-tolerance), area.width(), y(tolerance) - y(-tolerance)), straw
        );
    }
    painter.setFont(Theme::label(8));
    for (const double part : {-1.0, -2.0 / 3.0, -1.0 / 3.0, 1.0 / 3.0, 2.0 / 3.0, 1.0}) {
        const double ms = part * reach;
        painter.setPen(QPen(colours.hairline, 1));
        painter.drawLine(QPointF(area.left(), y(ms)), QPointF(area.right(), y(ms)));
        painter.setPen(colours.secondInk);
        painter.drawText(
            QRectF(0, y(ms) - 8, 30, 16),
            Qt::AlignRight | Qt::AlignVCenter,
            QStringLiteral("%1%2")
                .arg(ms < 0 ? QStringLiteral("−") : QStringLiteral("+"))
                .arg(std::abs(ms), 0, 'f', 0)
        );
    }
    painter.setPen(QPen(colours.ink, 1));
    painter.drawLine(QPointF(area.left(), y(0)), QPointF(area.right(), y(0)));
    const auto& preview = session_.fitting.preview();
    const double length = std::max(1.0, static_cast<double>(session_.song().length().count()));
    const auto x = [&](Frames at) {
        return area.left() + static_cast<double>(at.count()) / length * area.width();
    };
    std::vector<bool> isHeld(preview.performance.hits.size(), false);
    for (const std::size_t i : heldWith(held_)) {
        isHeld[i] = true;
    }
    QPainterPath drift;
    painter.save();
    painter.setClipRect(area);
    for (std::size_t i = 0; i < preview.performance.hits.size(); ++i) {
        const JudgedHit& hit = preview.performance.hits[i];
        if (hit.role != HitRole::Main || !session_.fitting.isInFocus(hit)) {
            continue;
        }
        const double before = inMilliseconds(hit.deviation());
        const double place = x(hit.played.beatPoint);
        painter.setPen(QPen(Theme::colourOf(before, tolerance), 1.1));
        painter.setBrush(Qt::NoBrush);
        painter.drawEllipse(QPointF(place, y(before)), 2.3, 2.3);
        painter.setPen(Qt::NoPen);
        painter.setBrush(colours.ink);
        double after = inMilliseconds(preview.moves.hits[i].left);
        if (isHeld[i]) {
            after += byMs_;
        }
        const bool isByHand =
            hit.played.wanted.has_value() || after != inMilliseconds(preview.moves.hits[i].left);
        painter.drawEllipse(QPointF(place, y(after)), isByHand ? 3.0 : 1.5, isByHand ? 3.0 : 1.5);
        const QPointF on(place, y(inMilliseconds(hit.drift)));
        // A path of one moveTo still counts as empty.
        if (drift.elementCount() == 0) {
            drift.moveTo(on);
        } else {
            drift.lineTo(on);
        }
    }
    painter.setPen(QPen(colours.secondInk, 1.6));
    painter.setBrush(Qt::NoBrush);
    painter.drawPath(drift);
    if (!drawn_.empty()) {
        painter.setPen(QPen(colours.ink, 2.0));
        painter.drawPolyline(QPolygonF(QVector<QPointF>(drawn_.begin(), drawn_.end())));
    }
    painter.restore();
    painter.setFont(Theme::label(8.5, QFont::DemiBold));
    painter.setPen(colours.early);
    painter.drawText(area.adjusted(8, 4, 0, 0), Qt::AlignLeft | Qt::AlignTop, tr("early"));
    painter.setPen(colours.late);
    painter.drawText(area.adjusted(8, 0, 0, -4), Qt::AlignLeft | Qt::AlignBottom, tr("late"));
    painter.setPen(colours.secondInk);
    painter.setFont(Theme::label(8.5));
    // On paper of its own: hits would be drawn through the words.
    const QString legend = tr("○ recorded   ● fitted   — drift");
    QRectF words = painter.fontMetrics().boundingRect(legend);
    words.moveTopRight(area.topRight() + QPointF(-8.0, 4.0));
    painter.fillRect(words.adjusted(-4, -1, 4, 1), colours.lane);
    painter.drawText(words, Qt::AlignRight | Qt::AlignTop, legend);
    if (preview.performance.hits.empty()) {
        painter.drawText(
            area.adjusted(0, 0, 0, -area.height() / 3),
            Qt::AlignCenter,
            tr("No hits yet; find hits in Marks")
        );
    }
}

int TimingChart::hitAt(QPointF place) const
{
    const QRectF area = plot();
    const double length = std::max(1.0, static_cast<double>(session_.song().length().count()));
    int best = -1;
    double least = 8.0;
    const auto& hits = session_.fitting.preview().performance.hits;
    for (std::size_t i = 0; i < hits.size(); ++i) {
        if (hits[i].role != HitRole::Main || !session_.fitting.isInFocus(hits[i])) {
            continue;
        }
        const double x = area.left() + static_cast<double>(hits[i].played.beatPoint.count()) /
                                           length * area.width();
        const double away = std::abs(x - place.x());
        if (away < least) {
            least = away;
            best = static_cast<int>(i);
        }
    }
    return best;
}

std::vector<std::size_t> TimingChart::heldWith(int hit) const
{
    const auto& hits = session_.fitting.preview().performance.hits;
    if (hit < 0 || static_cast<std::size_t>(hit) >= hits.size()) {
        return {};
    }
    const auto first = static_cast<std::size_t>(hit);
    const auto isWithin = [&](const JudgedHit& each) {
        const auto& range = session_.choice.range();
        const Frames at = session_.review.heardAt(each.played.beatPoint);
        return range && at >= range->from && at < range->to;
    };
    if (!isWithin(hits[first])) {
        return {first};
    }
    std::vector<std::size_t> all;
    for (std::size_t i = 0; i < hits.size(); ++i) {
        if (hits[i].role == HitRole::Main && session_.fitting.isInFocus(hits[i]) &&
            isWithin(hits[i])) {
            all.push_back(i);
        }
    }
    return all;
}

void TimingChart::mouseMoveEvent(QMouseEvent* event)
{
    if (!drawn_.empty()) {
        if (event->position().x() > drawn_.back().x()) {
            drawn_.push_back(event->position());
        }
        update();
        return;
    }
    if (held_ >= 0 && (event->buttons() & Qt::LeftButton) != 0) {
        const auto& left =
            session_.fitting.preview().moves.hits[static_cast<std::size_t>(held_)].left;
        const double by = msAt(event->position().y()) - inMilliseconds(left);
        if (isMoved_ || std::abs(yOf(inMilliseconds(left)) - event->position().y()) > 3.0) {
            isMoved_ = true;
            byMs_ = by;
            const auto count = heldWith(held_).size();
            Q_EMIT hint(
                count == 1
                    ? tr("This hit: %1 ms off its line").arg(inMilliseconds(left) + by, 0, 'f', 1)
                    : tr("%1 hits moved by %2 ms").arg(count).arg(by, 0, 'f', 1)
            );
            update();
        }
        return;
    }
    const int i = hitAt(event->position());
    if (i < 0) {
        Q_EMIT hint(tr("Drag a point to move its hit. Shift-drag: draw drift."));
        return;
    }
    const JudgedHit& hit = session_.fitting.preview().performance.hits[static_cast<std::size_t>(i)];
    const auto ms = [](Seconds time) { return QString::number(inMilliseconds(time), 'f', 1); };
    Q_EMIT hint(
        tr("Bar %1, step %2: %3 ms off = drift %4, feel %5, stray %6; fitted %7 ms. Drag to move.")
            .arg(hit.line.bar)
            .arg(hit.line.step + 1)
            .arg(ms(hit.deviation()), ms(hit.drift), ms(hit.feel), ms(hit.stray))
            .arg(ms(session_.fitting.preview().moves.hits[static_cast<std::size_t>(i)].left))
    );
}

void TimingChart::mousePressEvent(QMouseEvent* event)
{
    if (event->button() != Qt::LeftButton) {
        return;
    }
    if ((event->modifiers() & Qt::ShiftModifier) != 0) {
        drawn_ = {event->position()};
        return;
    }
    const int i = hitAt(event->position());
    if (i < 0) {
        return;
    }
    held_ = i;
    isMoved_ = false;
    byMs_ = 0.0;
}

void TimingChart::mouseReleaseEvent(QMouseEvent*)
{
    if (!drawn_.empty()) {
        finishDrift();
        return;
    }
    const int held = std::exchange(held_, -1);
    if (held < 0) {
        return;
    }
    const auto hits = heldWith(held);
    const double by = std::exchange(byMs_, 0.0);
    if (isMoved_ && !hits.empty()) {
        session_.fitting.askOfHits(hits, std::nullopt, milliseconds(by));
        return;
    }
    const Frames at = session_.review.heardAt(
        session_.fitting.preview().performance.hits[static_cast<std::size_t>(held)].played.beatPoint
    );
    session_.player.seek(at);
    session_.shown.reveal(at);
}

// The drawn line rules where it was drawn; elsewhere the drift stays as it was.
void TimingChart::finishDrift()
{
    const std::vector<QPointF> drawn = std::exchange(drawn_, {});
    const QRectF area = plot();
    const Song& song = session_.song();
    if (drawn.size() < 2 || area.width() <= 0.0) {
        update();
        return;
    }
    const auto beatsAt = [&](double x) {
        const double part = (x - area.left()) / area.width();
        const Frames at(static_cast<std::int64_t>(part * static_cast<double>(song.length().count()))
        );
        return song.tempo.beatsAt(toSeconds(at, song.rate));
    };
    const Beats from = beatsAt(drawn.front().x());
    const Beats to = beatsAt(drawn.back().x());
    std::vector<DriftPoint> line;
    for (const JudgedHit& hit : session_.fitting.preview().performance.hits) {
        const bool isFirst = line.empty() || hit.line.at > line.back().at;
        if (hit.role == HitRole::Main && isFirst && (hit.line.at < from || hit.line.at > to)) {
            line.push_back({hit.line.at, hit.drift});
        }
    }
    for (const QPointF& point : drawn) {
        line.push_back({beatsAt(point.x()), milliseconds(msAt(point.y()))});
    }
    std::ranges::stable_sort(line, {}, &DriftPoint::at);
    session_.fitting.request.fit.driftLine = std::move(line);
    session_.fitting.requestChanged();
}

void TimingChart::contextMenuEvent(QContextMenuEvent* event)
{
    QMenu menu(this);
    auto* measured = menu.addAction(tr("Reset drift"));
    measured->setEnabled(!session_.fitting.request.fit.driftLine.empty());
    const auto byHand = [this] {
        std::vector<std::size_t> placed;
        const auto& hits = session_.fitting.preview().performance.hits;
        for (std::size_t i = 0; i < hits.size(); ++i) {
            if (hits[i].played.wanted && session_.fitting.isInFocus(hits[i])) {
                placed.push_back(i);
            }
        }
        return placed;
    };
    const std::size_t count = byHand().size();
    auto* free = menu.addAction(tr("Reset %1 moved hits").arg(count));
    free->setEnabled(count > 0);
    const QAction* chosen = menu.exec(event->globalPos());
    if (chosen == measured) {
        session_.fitting.request.fit.driftLine.clear();
        session_.fitting.requestChanged();
    } else if (chosen == free) {
        session_.fitting.askOfHits(byHand(), std::nullopt, Seconds(0.0));
    }
}

}  // namespace orthochron::app
