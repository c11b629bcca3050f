#include "app/stages/grid/tempo/ReadingsSheet.h"

#include <QPainter>

#include "app/theme/Theme.h"

#include <algorithm>
#include <span>

namespace orthochron::app {

namespace {

constexpr int kHeight = 88;
constexpr int kWidth = 300;
constexpr double kShown = 12.0;  // seconds: more would be a thicket

}  // namespace

ReadingsSheet::ReadingsSheet(TempoSearch& search, QWidget* parent)
    : FrameSheet(kHeight, parent, kWidth), search_(search)
{
    setObjectName(QStringLiteral("readings"));
    setAccessibleName(tr("Possible tempos"));
    connect(&search_, &TempoSearch::changed, this, [this] { update(); });
}

std::size_t ReadingsSheet::count() const
{
    return search_.found() != nullptr ? search_.found()->readings.size() : 0;
}

QString ReadingsSheet::emptyText() const
{
    if (!search_.track()) {
        return tr("Import a take to find its tempo");
    }
    return search_.found() != nullptr
               ? tr("No clear tempo; type the length in beats")
               : tr("Attacks are shown here with the beats of each possible tempo");
}

void ReadingsSheet::paintFrame(QPainter& painter, QRect frame, std::size_t place)
{
    const TempoFound& found = *search_.found();
    const TempoReading& reading = found.readings[place];
    const Palette& colours = Theme::palette();
    const QString lasts =
        reading.wholeBeats
            ? tr("%1 beats").arg(*reading.wholeBeats)
            : tr("%1 beats").arg(search_.length().count() * reading.bpm / 60.0, 0, 'f', 2);
    paintHead(
        painter,
        frame,
        place == search_.place(),
        false,
        tr("%1 bpm").arg(reading.bpm, 0, 'f', 2),
        tr("%1 · %2 %").arg(lasts).arg(100.0 * reading.score, 0, 'f', 0)
    );
    const QRectF area = QRectF(frame).adjusted(8, 26, -8, -6);
    const double shown = std::min(kShown, search_.length().count());
    const double perSecond = area.width() / std::max(shown, 0.1);
    const auto& values = found.strength.values;
    const auto count =
        std::min(values.size(), static_cast<std::size_t>(shown / found.strength.step.count()));
    const auto drawn = std::span(values).first(count);
    const float most = drawn.empty() ? 1.0F : std::max(*std::ranges::max_element(drawn), 1e-6F);
    QPolygonF curve{area.bottomLeft()};
    for (std::size_t n = 0; n < drawn.size(); ++n) {
        const double x = static_cast<double>(n) * found.strength.step.count() * perSecond;
        const double height = static_cast<double>(drawn[n] / most) * area.height();
        curve << QPointF(area.left() + x, area.bottom() - height);
    }
    curve << QPointF(curve.back().x(), area.bottom());
    QColor fill = colours.finding;
    fill.setAlpha(60);
    painter.setPen(QPen(colours.finding, 1.0));
    painter.setBrush(fill);
    painter.drawPolygon(curve);
    painter.setBrush(Qt::NoBrush);
    painter.setPen(QPen(colours.ink, 1.0));
    for (const Seconds beat : beatsOf(reading, Seconds(shown))) {
        const double x = area.left() + beat.count() * perSecond;
        painter.drawLine(QPointF(x, area.top()), QPointF(x, area.bottom()));
    }
}

}  // namespace orthochron::app
