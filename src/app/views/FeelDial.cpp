#include "app/views/FeelDial.h"

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

FeelDial::FeelDial(Session& session, QWidget* parent) : QWidget(parent), session_(session)
{
    setAccessibleName(tr("Feel dial"));
    setMouseTracking(true);
    connect(&session_.fitting, &Fitting::changed, this, [this] { update(); });
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
    const Grid grid(session_.song().tempo, session_.fitting.request.grid);
    const int steps = grid.stepsInBar(1);
    const double part = (std::atan2(away.y(), away.x()) / (2.0 * std::numbers::pi)) + 0.25;
    const double turn = part < 0.0 ? part + 1.0 : part;
    return static_cast<int>(std::lround(turn * steps)) % steps;
}

// The lead a tooth is about: the focus, or the chosen track when it is a lead.
TrackId FeelDial::leadOfTooth() const
{
    if (session_.fitting.focusLead().isValid()) {
        return session_.fitting.focusLead();
    }
    const auto& leads = session_.fitting.preview().origin.leads;
    const auto found = std::ranges::find(leads, session_.choice.track());
    return found != leads.end() ? *found : TrackId();
}

void FeelDial::setTooth(int step, std::optional<Seconds> feel)
{
    const TrackId lead = leadOfTooth();
    auto& teeth = session_.fitting.request.fit.teeth;
    std::erase_if(teeth, [&](const Tooth& tooth) {
        return tooth.step == step && tooth.lead == lead &&
               tooth.section == session_.fitting.focusSection();
    });
    if (feel) {
        teeth.push_back({session_.fitting.focusSection(), lead, step, *feel});
    }
    session_.fitting.requestChanged();
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
    Q_EMIT hint(
        tr("Drag to change the feel of step %1 of %2. Double-click: reset.").arg(step + 1).arg(who)
    );
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
    const auto& preview = session_.fitting.preview();
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
    return said.isEmpty() ? tr("no distinct feel") : said.join(QStringLiteral(",\n"));
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
    const Grid grid(song.tempo, session_.fitting.request.grid);
    const int steps = grid.stepsInBar(1);
    const auto direction = [&](double part) {
        const double angle = 2.0 * std::numbers::pi * part - std::numbers::pi / 2.0;
        return QPointF(std::cos(angle), std::sin(angle));
    };
    const auto& preview = session_.fitting.preview();
    for (const FeelStep& step : preview.performance.feel) {
        const auto lead = static_cast<std::size_t>(step.lead);
        const bool isLead = !session_.fitting.focusLead().isValid() ||
                            (lead < preview.origin.leads.size() &&
                             preview.origin.leads[lead] == session_.fitting.focusLead());
        const auto section = static_cast<std::size_t>(step.section);
        const bool isSection =
            step.section == JudgedHit::kNoSection
                ? !session_.fitting.focusSection().isValid()
                : section < preview.performance.sections.size() &&
                      (!session_.fitting.focusSection().isValid() ||
                       preview.performance.sections[section] == session_.fitting.focusSection());
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
    for (const Tooth& tooth : session_.fitting.request.fit.teeth) {
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
        QRectF(centre.x() - 40, centre.y() + 1, 80, 14), Qt::AlignCenter, tr("outside is late")
    );
    painter.setFont(Theme::label(9));
    painter.drawText(QRectF(0, height() - 36, width(), 34), Qt::AlignCenter, sentence());
}

}  // namespace orthochron::app
