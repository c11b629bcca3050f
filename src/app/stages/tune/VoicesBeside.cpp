#include "app/stages/tune/VoicesBeside.h"

#include <QPainter>

#include "app/theme/Theme.h"

#include <algorithm>

namespace orthochron::app {

namespace {

constexpr double kTall = 6.0;  // px

}  // namespace

VoicesBeside::VoicesBeside(const Session& session, const LanesView& lanes, const TuneHands& hands)
    : session_(session), lanes_(lanes), hands_(hands)
{}

QRectF VoicesBeside::beamOf(const HeardNote& note, const Height& yOf) const
{
    const double left = lanes_.xOf(note.start);
    const double wide = std::max(lanes_.xOf(note.end) - left, 2.0);
    return {left, yOf(note.centre) - 0.5 * kTall, wide, kTall};
}

void VoicesBeside::paint(QPainter& painter, QRect area, const Height& yOf) const
{
    painter.setFont(Theme::label(8.5));
    painter.setPen(QPen(Theme::palette().secondInk, 1.0));
    for (const auto& voice : hands_.beside()) {
        bool isNamed = false;
        for (const HeardNote& note : voice.notes) {
            const QRectF beam = beamOf(note, yOf);
            if (beam.right() < area.left() || beam.left() > area.right()) {
                continue;
            }
            painter.drawRect(beam);
            if (!std::exchange(isNamed, true)) {
                painter.drawText(
                    QPointF(std::max(beam.left(), area.left() + 4.0), beam.top() - 4.0),
                    QString::fromStdString(session_.song().track(voice.track)->name)
                );
            }
        }
    }
}

std::optional<TrackId> VoicesBeside::at(QPoint place, const Height& yOf) const
{
    for (const auto& voice : hands_.beside()) {
        for (const HeardNote& note : voice.notes) {
            if (beamOf(note, yOf).adjusted(-2, -3, 2, 3).contains(place)) {
                return voice.track;
            }
        }
    }
    return std::nullopt;
}

std::optional<std::pair<double, double>> VoicesBeside::range() const
{
    std::optional<std::pair<double, double>> found;
    for (const auto& voice : hands_.beside()) {
        for (const HeardNote& note : voice.notes) {
            found =
                found
                    ? std::
                          pair{std::min(found->first, note.centre), std::max(found->second, note.centre)}
                    : std::pair{note.centre, note.centre};
        }
    }
    return found;
}

}  // namespace orthochron::app
