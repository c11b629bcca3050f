#pragma once

#include <QString>

#include "core/base/Result.h"

namespace orthochron::app {

// What the window has to say by itself, as the core does.

// Cannot be done as things are: it need not be said any longer once something else was done.
[[nodiscard]] inline Error refusal(const QString& sentence)
{
    return {ErrorKind::BadArgument, sentence.toStdString()};
}

// Stays until it is put away.
[[nodiscard]] inline Error failure(const QString& sentence)
{
    return {ErrorKind::Failed, sentence.toStdString()};
}

[[nodiscard]] inline QString textOf(const Error& error)
{
    return QString::fromStdString(error.message);
}

}  // namespace orthochron::app
