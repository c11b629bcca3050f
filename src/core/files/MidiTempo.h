#pragma once

#include "core/time/TempoMap.h"

#include <filesystem>

namespace orthochron {

// Reads tempi and meters of a Standard MIDI File (format 0 or 1, metrical time). Its beginning is
// bar 1, `offset` after the song's start. Where it says no meter, `meter` holds. Ticks are read as
// quarter notes divided by the file's division. Errors: BadInput for anything that is no such file.
[[nodiscard]] Result<TempoMap>
readMidiTempo(const std::filesystem::path& path, Meter meter, Seconds offset);

}  // namespace orthochron
