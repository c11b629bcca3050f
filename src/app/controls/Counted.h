#pragma once

#include <QString>

#include "core/time/Units.h"

#include <cmath>

namespace orthochron::app {

// "1 take", "8 takes": nothing is ever "1 takes" or "8 take(s)".
[[nodiscard]] inline QString counted(qsizetype count, const QString& one, const QString& many)
{
    return QStringLiteral("%1 %2").arg(count).arg(count == 1 ? one : many);
}

// "12.50 ms", "8.600 s": long times are read in seconds.
[[nodiscard]] inline QString durationText(Seconds time)
{
    const bool isLong = std::abs(time.count()) >= 1.0;
    QString text = isLong ? QStringLiteral("%1 s").arg(time.count(), 0, 'f', 3)
                          : QStringLiteral("%1 ms").arg(inMilliseconds(time), 0, 'f', 2);
    return text.replace(QLatin1Char('-'), QChar(0x2212));
}

}  // namespace orthochron::app
