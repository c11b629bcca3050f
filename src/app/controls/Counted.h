#pragma once

#include <QString>

namespace orthochron::app {

// "1 take", "8 takes": nothing is ever "1 takes" or "8 take(s)".
[[nodiscard]] inline QString counted(qsizetype count, const QString& one, const QString& many)
{
    return QStringLiteral("%1 %2").arg(count).arg(count == 1 ? one : many);
}

}  // namespace orthochron::app
