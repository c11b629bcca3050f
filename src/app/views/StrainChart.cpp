#include "app/views/StrainChart.h"

#include <QMouseEvent>
#include <QPainter>

#include "app/controls/Counted.h"
#include "app/controls/Materials.h"
#include "app/theme/Theme.h"
#include "core/tune/NotesByHand.h"

#include <cmath>

namespace orthochron::app {

namespace {

constexpr double kMostOctaves = 0.7;  // up to 1.6 times as long, down to as much shorter

double awayFromOne(const StrainSpan& span)
{
    return std::abs(std::log2(span.ratio));
}

}  // namespace

QString reliefText(const StrainRelief& relief)
{
    QStringList ways;
    if (relief.pins > 0) {
        ways << StrainChart::tr("delete %1 beside it (then ×%2)")
                    .arg(counted(
                        static_cast<std::int64_t>(relief.pins),
                        StrainChart::tr("pin"),
                        StrainChart::tr("pins")
                    ))
                    .arg(relief.ratio, 0, 'f', 2);
    }
    if (relief.material) {
        ways << StrainChart::tr("stretch as %1").arg(materialText(*relief.material));
    }
    ways << StrainChart::tr("cut instead");
    return ways.join(StrainChart::tr(", or "));
}

StrainChart::StrainChart(Session& session, QWidget* parent) : QWidget(parent), session_(session)
{
    setMouseTracking(true);
    setAccessibleName(tr("Strain along the song"));
    connect(&session_.fitting, &Fitting::changed, this, [this] { update(); });
    connect(&session_.shown, &SongView::changed, this, [this] { update(); });
}

std::optional<StrainSpan> StrainChart::worst() const
{
    const auto& spans = session_.fitting.strain();
    const auto worst = std::ranges::max_element(spans, {}, awayFromOne);
    return worst == spans.end() || awayFromOne(*worst) < 1e-4 ? std::nullopt
                                                              : std::optional(*worst);
}

QString StrainChart::worstRelief() const
{
    const auto most = worst();
    return most ? reliefOfSpan(*most) : QString();
}

QString StrainChart::reliefOfSpan(const StrainSpan& span) const
{
    const auto& spans = session_.fitting.strain();
    const auto place = static_cast<std::size_t>(std::ranges::find(spans, span) - spans.begin());
    const auto relief = reliefOf(spans, place, session_.fitting.request.way.material);
    return relief ? reliefText(*relief) : QString();
}

QRectF StrainChart::plot() const
{
    return QRectF(rect()).adjusted(34, 4, -4, -4);
}

double StrainChart::xOf(Frames at) const
{
    const double length = std::max(1.0, static_cast<double>(session_.song().length().count()));
    return plot().left() + static_cast<double>(at.count()) / length * plot().width();
}

double StrainChart::yOf(double ratio) const
{
    const double part = std::clamp(std::log2(ratio) / kMostOctaves, -1.0, 1.0);
    return plot().center().y() - part * (plot().height() / 2.0 - 4.0);
}

void StrainChart::paintEvent(QPaintEvent*)
{
    const Palette& colours = Theme::palette();
    QPainter painter(this);
    painter.setRenderHint(QPainter::Antialiasing);
    const QRectF area = plot();
    painter.fillRect(area, colours.lane);
    const StrainLimits limits = strainLimits(session_.fitting.request.way.material);
    QColor straw = colours.straw;
    straw.setAlpha(90);
    painter.fillRect(
        QRectF(area.left(), yOf(limits.most), area.width(), yOf(limits.least) - yOf(limits.most)),
        straw
    );
    painter.setPen(QPen(colours.edge, 1));
    painter.drawRect(area);
    painter.setFont(Theme::label(8));
    painter.setPen(colours.secondInk);
    for (const double ratio : {limits.most, 1.0, limits.least}) {
        painter.drawText(
            QRectF(0, yOf(ratio) - 8, 30, 16),
            Qt::AlignRight | Qt::AlignVCenter,
            tr("×%1").arg(ratio, 0, 'f', 2)
        );
    }
    painter.drawText(area.adjusted(6, 2, 0, 0), Qt::AlignLeft | Qt::AlignTop, tr("longer"));
    painter.drawText(area.adjusted(6, 0, 0, -2), Qt::AlignLeft | Qt::AlignBottom, tr("shorter"));
    painter.setPen(QPen(colours.ink, 1));
    painter.drawLine(QPointF(area.left(), yOf(1.0)), QPointF(area.right(), yOf(1.0)));
    const auto& spans = session_.fitting.strain();
    painter.save();
    painter.setClipRect(area);
    for (const StrainSpan& span : spans) {
        const bool isStrained = !limits.hold(span.ratio);
        const double left = xOf(span.from);
        const double wide = std::max(xOf(span.to) - left - 0.5, isStrained ? 2.0 : 1.0);
        painter.fillRect(
            QRectF(
                left,
                std::min(yOf(span.ratio), yOf(1.0)),
                wide,
                std::max(std::abs(yOf(span.ratio) - yOf(1.0)), 0.6)
            ),
            isStrained ? colours.finding : colours.secondInk
        );
    }
    const Frames from = session_.shown.scale().timeAt(0.0);
    painter.restore();
    painter.setPen(QPen(colours.barLine, 1));
    painter.drawLine(QPointF(xOf(from), area.bottom()), QPointF(xOf(from), area.bottom() - 6));
    if (const auto most = worst()) {
        const bool isStrained = !limits.hold(most->ratio);
        painter.setPen(isStrained ? colours.finding : colours.secondInk);
        painter.drawText(
            area.adjusted(0, 2, -6, 0),
            Qt::AlignRight | Qt::AlignTop,
            tr("most ×%1 at %2")
                .arg(most->ratio, 0, 'f', 2)
                .arg(placeText(session_.song(), most->from).place)
        );
        painter.drawText(
            area.adjusted(0, 0, -6, -2), Qt::AlignRight | Qt::AlignBottom, reliefOfSpan(*most)
        );
    } else {
        painter.setPen(colours.secondInk);
        painter.drawText(area, Qt::AlignCenter, tr("Nothing stretched"));
    }
}

const StrainSpan* StrainChart::spanAt(double x) const
{
    const StrainSpan* found = nullptr;
    for (const StrainSpan& span : session_.fitting.strain()) {
        const bool isNear = x >= xOf(span.from) - 2.0 && x <= xOf(span.to) + 2.0;
        if (isNear && (found == nullptr || awayFromOne(span) > awayFromOne(*found))) {
            found = &span;
        }
    }
    return found;
}

void StrainChart::mouseMoveEvent(QMouseEvent* event)
{
    if (const StrainSpan* span = spanAt(event->position().x())) {
        const QString relief = reliefOfSpan(*span);
        Q_EMIT hint(tr("From %1: ×%2 of its length%3. Click to go there.")
                        .arg(placeText(session_.song(), span->from).place)
                        .arg(span->ratio, 0, 'f', 3)
                        .arg(relief.isEmpty() ? QString() : tr(", over the limit: ") + relief));
    }
}

void StrainChart::mousePressEvent(QMouseEvent* event)
{
    if (const StrainSpan* span = spanAt(event->position().x())) {
        session_.player.seek(span->from);
        session_.shown.reveal(span->from);
    }
}

}  // namespace orthochron::app
