#pragma once

#include "core/stretch/Material.h"
#include "core/stretch/Strain.h"

#include <functional>

class QPainter;
class QRectF;

namespace orthochron::app {

// Strain as a spring along the lower edge of a lane: coils close together where sound is squeezed, wide
// apart where it is pulled, drawn double and tinted where that is more than the material bears. From
// afar, where coils would run into each other, only that is drawn. `xOf` gives the place of a moment
// of sound time; `isMade` is false for what would come.
void paintSpring(
    QPainter& painter,
    const QRectF& area,
    const std::vector<StrainSpan>& spans,
    const StrainLimits& limits,
    const std::function<double(Frames)>& xOf,
    bool isMade
);

}  // namespace orthochron::app
