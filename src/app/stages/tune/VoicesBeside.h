#pragma once

#include <QRectF>

#include "app/stages/tune/TuneHands.h"
#include "app/views/LanesView.h"

class QPainter;

namespace orthochron::app {

// Other voices on the ladder, as empty beams.
class VoicesBeside final {
public:
    using Height = std::function<double(double)>;  // of a pitch on the ladder, px

    VoicesBeside(const Session& session, const LanesView& lanes, const TuneHands& hands);

    void paint(QPainter& painter, QRect area, const Height& yOf) const;
    // The voice whose beam is there; none without.
    [[nodiscard]] std::optional<TrackId> at(QPoint place, const Height& yOf) const;
    // The lowest and the highest pitch of them; none without a note.
    [[nodiscard]] std::optional<std::pair<double, double>> range() const;

private:
    [[nodiscard]] QRectF beamOf(const HeardNote& note, const Height& yOf) const;

    const Session& session_;
    const LanesView& lanes_;
    const TuneHands& hands_;
};

}  // namespace orthochron::app
