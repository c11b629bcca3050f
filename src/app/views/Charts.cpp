#include "app/views/Charts.h"

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
    connect(&session_, &Session::prescaleChanged, this, [this] { update(); });
    connect(&session_, &Session::scaleChanged, this, [this] { update(); });
}

QRectF TimingChart::plot() const
{
    return QRectF(rect()).adjusted(34, 4, -4, -4);
}

// A round figure that holds nearly all hits; the furthest few stand at the edge.
double TimingChart::reachMs() const
{
    std::vector<double> away;
    for (const JudgedHit& hit : session_.preview().performance.hits) {
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
    const auto y = [&](double ms) {
        return area.center().y() + std::clamp(ms / reach, -1.0, 1.0) * (area.height() / 2.0 - 6.0);
    };
    const double tolerance = inMilliseconds(session_.request.fit.leaveWithin);
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
    const auto& preview = session_.preview();
    const double length = std::max(1.0, static_cast<double>(session_.song().length().count()));
    const auto x = [&](Frames at) {
        return area.left() + static_cast<double>(at.count()) / length * area.width();
    };
    QPainterPath drift;
    painter.save();
    painter.setClipRect(area);
    for (std::size_t i = 0; i < preview.performance.hits.size(); ++i) {
        const JudgedHit& hit = preview.performance.hits[i];
        if (hit.role != HitRole::Main) {
            continue;
        }
        const double before = inMilliseconds(hit.deviation());
        const double place = x(hit.played.beatPoint);
        painter.setPen(QPen(Theme::colourOf(before, tolerance), 1.1));
        painter.setBrush(Qt::NoBrush);
        painter.drawEllipse(QPointF(place, y(before)), 2.3, 2.3);
        painter.setPen(Qt::NoPen);
        painter.setBrush(colours.ink);
        painter.drawEllipse(
            QPointF(place, y(inMilliseconds(preview.moves.hits[i].left))), 1.5, 1.5
        );
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
    painter.restore();
    painter.setFont(Theme::label(8.5, QFont::DemiBold));
    painter.setPen(colours.early);
    painter.drawText(area.adjusted(8, 4, 0, 0), Qt::AlignLeft | Qt::AlignTop, tr("early"));
    painter.setPen(colours.late);
    painter.drawText(area.adjusted(8, 0, 0, -4), Qt::AlignLeft | Qt::AlignBottom, tr("late"));
    painter.setPen(colours.secondInk);
    painter.setFont(Theme::label(8.5));
    painter.drawText(
        area.adjusted(0, 4, -8, 0),
        Qt::AlignRight | Qt::AlignTop,
        tr("○ recorded   ● fitted   — drift")
    );
    if (preview.performance.hits.empty()) {
        painter.drawText(
            area, Qt::AlignCenter, tr("No hits yet: choose leads and find hits in Marks")
        );
    }
}

int TimingChart::hitAt(QPointF place) const
{
    const QRectF area = plot();
    const double length = std::max(1.0, static_cast<double>(session_.song().length().count()));
    int best = -1;
    double least = 8.0;
    const auto& hits = session_.preview().performance.hits;
    for (std::size_t i = 0; i < hits.size(); ++i) {
        if (hits[i].role != HitRole::Main) {
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

void TimingChart::mouseMoveEvent(QMouseEvent* event)
{
    const int i = hitAt(event->position());
    if (i < 0) {
        Q_EMIT hint(QString());
        return;
    }
    const JudgedHit& hit = session_.preview().performance.hits[static_cast<std::size_t>(i)];
    const auto ms = [](Seconds time) { return QString::number(inMilliseconds(time), 'f', 1); };
    Q_EMIT hint(tr("Bar %1, step %2: %3 ms off = drift %4, feel %5, stray %6; fitted %7 ms. Click "
                   "to go there")
                    .arg(hit.line.bar)
                    .arg(hit.line.step + 1)
                    .arg(ms(hit.deviation()), ms(hit.drift), ms(hit.feel), ms(hit.stray))
                    .arg(ms(session_.preview().moves.hits[static_cast<std::size_t>(i)].left)));
}

void TimingChart::mousePressEvent(QMouseEvent* event)
{
    const int i = hitAt(event->position());
    if (i >= 0) {
        const Frames at = session_.heardAt(
            session_.preview().performance.hits[static_cast<std::size_t>(i)].played.beatPoint
        );
        session_.player.seek(at);
        session_.reveal(at);
    }
}

FeelDial::FeelDial(Session& session, QWidget* parent) : QWidget(parent), session_(session)
{
    setAccessibleName(tr("Feel dial"));
    connect(&session_, &Session::prescaleChanged, this, [this] { update(); });
}

QString FeelDial::sentence() const
{
    // What stands out most, said in words.
    const auto& preview = session_.preview();
    QStringList said;
    for (std::size_t lead = 0; lead < preview.origin.leads.size(); ++lead) {
        double sum = 0.0;
        int count = 0;
        for (const FeelStep& step : preview.performance.feel) {
            if (step.lead == static_cast<int>(lead) && step.step % 4 == 0) {
                sum += inMilliseconds(step.feel) * step.hits;
                count += step.hits;
            }
        }
        const double mean = count > 0 ? sum / count : 0.0;
        const auto track = session_.song().track(preview.origin.leads[lead]);
        if (count > 3 && std::abs(mean) >= 2.0 && track) {
            said << tr("%1 %2 ms %3")
                        .arg(QString::fromStdString(track->name).toLower())
                        .arg(std::abs(mean), 0, 'f', 0)
                        .arg(mean > 0 ? tr("behind") : tr("ahead"));
        }
    }
    return said.isEmpty() ? tr("no feel stands out") : said.join(QStringLiteral(",\n"));
}

void FeelDial::paintEvent(QPaintEvent*)
{
    const Palette& colours = Theme::palette();
    QPainter painter(this);
    painter.setRenderHint(QPainter::Antialiasing);
    const double radius = std::min(width(), height() - 34) / 2.0 - 26.0;
    const QPointF centre(width() / 2.0, (height() - 34) / 2.0);
    painter.setPen(QPen(colours.barLine, 1));
    painter.setBrush(colours.lane);
    painter.drawEllipse(centre, radius, radius);
    const Song& song = session_.song();
    const Grid grid(song.tempo, session_.request.grid);
    const int steps = grid.stepsInBar(1);
    const auto direction = [&](double part) {
        const double angle = 2.0 * std::numbers::pi * part - std::numbers::pi / 2.0;
        return QPointF(std::cos(angle), std::sin(angle));
    };
    const auto& preview = session_.preview();
    for (const FeelStep& step : preview.performance.feel) {
        if (step.step >= steps) {
            continue;
        }
        const double ms = inMilliseconds(step.feel);
        const double length = std::clamp(ms * 1.6, -radius * 0.6, 24.0);
        // Leads stand side by side on their step.
        const double apart =
            0.008 * (step.lead - 0.5 * static_cast<double>(preview.origin.leads.size() - 1));
        const QPointF way = direction(static_cast<double>(step.step) / steps + apart);
        painter.setPen(
            QPen(Theme::colourOf(ms, 1.0), step.lead == 0 ? 3.0 : 5.0, Qt::SolidLine, Qt::FlatCap)
        );
        painter.drawLine(
            centre + way * radius, centre + way * (radius + (std::abs(length) < 2.0 ? 2.0 : length))
        );
    }
    const int beats = song.tempo.meterOfBar(1).numerator;
    painter.setFont(Theme::label(9, QFont::DemiBold));
    painter.setPen(colours.ink);
    for (int beat = 0; beat < beats; ++beat) {
        const QPointF at = centre + direction(static_cast<double>(beat) / beats) * (radius - 14.0);
        painter.drawText(
            QRectF(at.x() - 10, at.y() - 9, 20, 18), Qt::AlignCenter, QString::number(beat + 1)
        );
    }
    painter.setFont(Theme::text(10, QFont::DemiBold));
    painter.drawText(QRectF(centre.x() - 30, centre.y() - 14, 60, 16), Qt::AlignCenter, tr("feel"));
    painter.setFont(Theme::label(8));
    painter.setPen(colours.secondInk);
    painter.drawText(
        QRectF(centre.x() - 40, centre.y() + 1, 80, 14), Qt::AlignCenter, tr("out is late")
    );
    painter.setFont(Theme::label(9));
    painter.drawText(QRectF(0, height() - 36, width(), 34), Qt::AlignCenter, sentence());
}

}  // namespace orthochron::app
