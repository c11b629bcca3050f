#include "app/stages/tune/OffList.h"

#include <QPainter>

#include "app/theme/Theme.h"

#include <algorithm>
#include <cmath>

namespace orthochron::app {

namespace {

constexpr double kLetBe = 0.05;  // semitones: nobody hears it

}  // namespace

OffList::OffList(Session& session, TuneHands& hands, QWidget* parent)
    : FrameSheet(62, parent, 118), session_(session), hands_(hands)
{
    setObjectName(QStringLiteral("furthestOff"));
    setAccessibleName(tr("Most out of tune"));
}

void OffList::fill()
{
    order_.clear();
    const Sung* sung = hands_.sung();
    if (sung != nullptr && !hands_.trouble()) {
        const auto& asked = hands_.asked();
        const auto off = [&](std::size_t i) {
            return std::abs(sung->notes[i].offset() + asked[i].shift);
        };
        for (std::size_t i = 0; i < sung->notes.size(); ++i) {
            if (off(i) > kLetBe) {
                order_.push_back(i);
            }
        }
        std::ranges::stable_sort(order_, std::ranges::greater{}, off);
    }
    update();
}

std::size_t OffList::chosenPlace() const
{
    const auto& chosen = hands_.chosen();
    if (chosen.size() != 1) {
        return count();
    }
    return static_cast<std::size_t>(std::ranges::find(order_, *chosen.begin()) - order_.begin());
}

void OffList::choose(std::size_t place)
{
    const std::size_t note = order_[place];
    hands_.choose({note});
    if (const auto at = hands_.heardAt(hands_.sung()->notes[note].start)) {
        session_.shown.reveal(*at);
        session_.player.seek(*at);
    }
}

void OffList::paintFrame(QPainter& painter, QRect frame, std::size_t place)
{
    const Palette& colours = Theme::palette();
    const Sung& sung = *hands_.sung();
    const std::size_t i = order_[place];
    const SungNote& note = sung.notes[i];
    const double shift = hands_.asked()[i].shift;
    const double centre = note.centre + shift;
    const int rung = note.rung;
    const double cents = 100.0 * (centre - note.height);
    const auto at = hands_.heardAt(note.start);
    paintHead(
        painter,
        frame,
        place == chosenPlace(),
        false,
        at ? placeText(session_.song(), *at).place : QString(),
        QStringLiteral("%1 %2%3")
            .arg(rungName(rung))
            .arg(cents > 0.0 ? QStringLiteral("+") : QString(QChar(0x2212)))
            .arg(std::abs(cents), 0, 'f', 0)
    );
    // Its rung, and its curve a semitone to either side.
    const QRectF area = QRectF(frame).adjusted(6, 20, -6, -5);
    const auto yOf = [&](double midi) {
        return area.center().y() -
               std::clamp((midi - note.height) / 1.6, -0.5, 0.5) * area.height();
    };
    painter.setPen(QPen(colours.barLine, 1.0));
    painter.drawLine(
        QPointF(area.left(), yOf(note.height)), QPointF(area.right(), yOf(note.height))
    );
    QPolygonF curve;
    for (std::size_t k = 0; k < note.wander.size(); ++k) {
        const double part = static_cast<double>(k) / static_cast<double>(note.wander.size());
        curve << QPointF(
            area.left() + part * area.width(), yOf(centre + note.wander[k] + note.vibrato[k])
        );
    }
    painter.setPen(QPen(Theme::colourOf(cents, 10.0), 1.4));
    painter.setBrush(Qt::NoBrush);
    painter.drawPolyline(curve);
}

QString OffList::emptyText() const
{
    return hands_.sung() != nullptr && !hands_.trouble() ? tr("All notes are within 5 cents")
                                                         : QString();
}

}  // namespace orthochron::app
