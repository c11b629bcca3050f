#pragma once

#include "app/views/LanesView.h"

namespace orthochron::app {

// How strong an attack would be at each moment, drawn in a lane on a scale of decibels, with the
// threshold it is held against.
[[nodiscard]] double heightOfStrength(const Lane& lane, double strength);  // y on the sheet
[[nodiscard]] double decibelsAtHeight(const Lane& lane, double y);

// Nothing while the lead was not listened to; only the threshold from afar.
void paintStrengthCurve(
    QPainter& painter,
    const Lane& lane,
    const LanesView& lanes,
    const Session& session,
    const OnsetSettings& settings
);

}  // namespace orthochron::app
