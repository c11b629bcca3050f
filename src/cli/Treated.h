#pragma once

#include "core/audio/SoundFile.h"
#include "core/base/Work.h"
#include "core/stretch/Treatment.h"

#include <string>

namespace orthochron::cli {

// Writes a sound file as it sounds through a treatment, all its channels alike; gives how long it is.
// Errors: the files'; BadArgument for a treatment that cannot be.
[[nodiscard]] Result<Frames> writeTreated(
    const std::string& in,
    const std::string& out,
    const Treatment& treatment,
    PrintFormat format,
    const Work& work
);

}  // namespace orthochron::cli
