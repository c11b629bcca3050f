#include "app/views/Charts.h"

#include <QContextMenuEvent>
#include <QMenu>
#include <QMouseEvent>
#include <QPainter>
#include <QPainterPath>

#include "app/theme/Theme.h"

#include <numbers>

namespace orthochron::app {

namespace {

constexpr double kPixelsPerMs = 1.6;  // of the dial's teeth

}  // namespace

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
    const auto held = heldWith(held_);
    QPainterPath drift;
    painter.save();
    painter.setClipRect(area);
    for (std::size_t i = 0; i < preview.performance.hits.size(); ++i) {
        const JudgedHit& hit = preview.performance.hits[i];
        if (hit.role != HitRole::Main || !session_.isInFocus(hit)) {
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
        if (std::ranges::find(held, i) != held.end()) {
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
        if (hits[i].role != HitRole::Main || !session_.isInFocus(hits[i])) {
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
    const auto& hits = session_.preview().performance.hits;
    if (hit < 0 || static_cast<std::size_t>(hit) >= hits.size()) {
        return {};
    }
    const auto first = static_cast<std::size_t>(hit);
    const auto isWithin = [&](const JudgedHit& each) {
        const auto& range = session_.range();
        const Frames at = session_.heardAt(each.played.beatPoint);
        return range && at >= range->from && at < range->to;
    };
    if (!isWithin(hits[first])) {
        return {first};
    }
    std::vector<std::size_t> all;
    for (std::size_t i = 0; i < hits.size(); ++i) {
        if (hits[i].role == HitRole::Main && session_.isInFocus(hits[i]) && isWithin(hits[i])) {
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
        const auto& left = session_.preview().moves.hits[static_cast<std::size_t>(held_)].left;
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
        Q_EMIT hint(tr("Drag a point to move the hit, Shift-drag to draw the drift"));
        return;
    }
    const JudgedHit& hit = session_.preview().performance.hits[static_cast<std::size_t>(i)];
    const auto ms = [](Seconds time) { return QString::number(inMilliseconds(time), 'f', 1); };
    Q_EMIT hint(tr("Bar %1, step %2: %3 ms off = drift %4, feel %5, stray %6; fitted %7 ms. Click "
                   "to go there, drag to place it")
                    .arg(hit.line.bar)
                    .arg(hit.line.step + 1)
                    .arg(ms(hit.deviation()), ms(hit.drift), ms(hit.feel), ms(hit.stray))
                    .arg(ms(session_.preview().moves.hits[static_cast<std::size_t>(i)].left)));
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
        session_.askOfHits(hits, std::nullopt, milliseconds(by));
        return;
    }
    const Frames at = session_.heardAt(
        session_.preview().performance.hits[static_cast<std::size_t>(held)].played.beatPoint
    );
    session_.player.seek(at);
    session_.reveal(at);
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
    for (const JudgedHit& hit : session_.preview().performance.hits) {
        const bool isFirst = line.empty() || hit.line.at > line.back().at;
        if (hit.role == HitRole::Main && isFirst && (hit.line.at < from || hit.line.at > to)) {
            line.push_back({hit.line.at, hit.drift});
        }
    }
    for (const QPointF& point : drawn) {
        line.push_back({beatsAt(point.x()), milliseconds(msAt(point.y()))});
    }
    std::ranges::stable_sort(line, {}, &DriftPoint::at);
    session_.request.fit.driftLine = std::move(line);
    session_.requestChanged();
}

void TimingChart::contextMenuEvent(QContextMenuEvent* event)
{
    QMenu menu(this);
    auto* measured = menu.addAction(tr("Take the measured drift again"));
    measured->setEnabled(!session_.request.fit.driftLine.empty());
    std::vector<std::size_t> byHand;
    const auto& hits = session_.preview().performance.hits;
    for (std::size_t i = 0; i < hits.size(); ++i) {
        if (hits[i].played.wanted && session_.isInFocus(hits[i])) {
            byHand.push_back(i);
        }
    }
    auto* free =
        menu.addAction(tr("Give %1 hits placed by hand back to the fit").arg(byHand.size()));
    free->setEnabled(!byHand.empty());
    const QAction* chosen = menu.exec(event->globalPos());
    if (chosen == measured) {
        session_.request.fit.driftLine.clear();
        session_.requestChanged();
    } else if (chosen == free) {
        session_.askOfHits(byHand, std::nullopt, Seconds(0.0));
    }
}

FeelDial::FeelDial(Session& session, QWidget* parent) : QWidget(parent), session_(session)
{
    setAccessibleName(tr("Feel dial"));
    setMouseTracking(true);
    connect(&session_, &Session::prescaleChanged, this, [this] { update(); });
}

QPointF FeelDial::centre() const
{
    return {width() / 2.0, (height() - 34) / 2.0};
}

double FeelDial::radius() const
{
    return std::min(width(), height() - 34) / 2.0 - 26.0;
}

// The step whose direction a place lies in; none near the middle.
int FeelDial::stepAt(QPointF place) const
{
    const QPointF away = place - centre();
    if (std::hypot(away.x(), away.y()) < radius() * 0.5) {
        return -1;
    }
    const Grid grid(session_.song().tempo, session_.request.grid);
    const int steps = grid.stepsInBar(1);
    const double part = (std::atan2(away.y(), away.x()) / (2.0 * std::numbers::pi)) + 0.25;
    const double turn = part < 0.0 ? part + 1.0 : part;
    return static_cast<int>(std::lround(turn * steps)) % steps;
}

// The lead a tooth is about: the focus, or the chosen track when it is a lead.
TrackId FeelDial::leadOfTooth() const
{
    if (session_.focusLead().isValid()) {
        return session_.focusLead();
    }
    const auto& leads = session_.preview().origin.leads;
    const auto found = std::ranges::find(leads, session_.track());
    return found != leads.end() ? *found : TrackId();
}

void FeelDial::setTooth(int step, std::optional<Seconds> feel)
{
    const TrackId lead = leadOfTooth();
    auto& teeth = session_.request.fit.teeth;
    std::erase_if(teeth, [&](const Tooth& tooth) {
        return tooth.step == step && tooth.lead == lead && tooth.section == session_.focusSection();
    });
    if (feel) {
        teeth.push_back({session_.focusSection(), lead, step, *feel});
    }
    session_.requestChanged();
}

void FeelDial::mousePressEvent(QMouseEvent* event)
{
    held_ = event->button() == Qt::LeftButton ? stepAt(event->position()) : -1;
}

void FeelDial::mouseMoveEvent(QMouseEvent* event)
{
    const int step =
        held_ >= 0 && event->buttons() != Qt::NoButton ? held_ : stepAt(event->position());
    if (step < 0) {
        Q_EMIT hint(QString());
        return;
    }
    const auto track = session_.song().track(leadOfTooth());
    const QString who = track ? QString::fromStdString(track->name) : tr("all leads");
    if (held_ >= 0 && event->buttons() != Qt::NoButton) {
        const QPointF away = event->position() - centre();
        const double ms = (std::hypot(away.x(), away.y()) - radius()) / kPixelsPerMs;
        setTooth(step, milliseconds(std::clamp(std::round(ms * 2.0) / 2.0, -60.0, 60.0)));
        Q_EMIT hint(tr("Step %1 of %2: %3 ms").arg(step + 1).arg(who).arg(ms, 0, 'f', 1));
        return;
    }
    Q_EMIT hint(tr("Drag to change the feel of step %1 of %2, double-click to give it back")
                    .arg(step + 1)
                    .arg(who));
}

void FeelDial::mouseDoubleClickEvent(QMouseEvent* event)
{
    if (const int step = stepAt(event->position()); step >= 0) {
        setTooth(step, std::nullopt);
    }
    held_ = -1;
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
    const double radius = this->radius();
    const QPointF centre = this->centre();
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
        const auto lead = static_cast<std::size_t>(step.lead);
        const bool isLead =
            !session_.focusLead().isValid() || (lead < preview.origin.leads.size() &&
                                                preview.origin.leads[lead] == session_.focusLead());
        const auto section = static_cast<std::size_t>(step.section);
        const bool isSection =
            step.section == JudgedHit::kNoSection
                ? !session_.focusSection().isValid()
                : section < preview.performance.sections.size() &&
                      (!session_.focusSection().isValid() ||
                       preview.performance.sections[section] == session_.focusSection());
        if (step.step >= steps || !isLead || !isSection) {
            continue;
        }
        const double ms = inMilliseconds(step.feel);
        const double length = std::clamp(ms * kPixelsPerMs, -radius * 0.6, 24.0);
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
    // Teeth set by hand: a ring where the step is wanted.
    for (const Tooth& tooth : session_.request.fit.teeth) {
        const double far = radius + inMilliseconds(tooth.feel) * kPixelsPerMs;
        painter.setPen(QPen(colours.ink, 1.6));
        painter.setBrush(colours.straw);
        painter.drawEllipse(
            centre + direction(static_cast<double>(tooth.step) / steps) * far, 4, 4
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
