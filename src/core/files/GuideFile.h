#pragma once

#include "core/base/Result.h"
#include "core/song/MidiGuide.h"

#include <filesystem>

namespace orthochron {

// Reads the notes of a Standard MIDI File of format 0 or 1 as they sound by its own tempi, the file beginning with
// the song. Errors: BadInput for anything else, for no notes, more than 200 000 or notes after a day.
[[nodiscard]] Result<MidiGuide> readGuide(const std::filesystem::path& path);

}  // namespace orthochron
