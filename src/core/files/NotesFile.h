#pragma once

#include "core/tune/Tuning.h"

#include <filesystem>
#include <vector>

namespace orthochron {

// Reads changes to single notes: a JSON list of objects with `start_s` (a time at which the note sounds)
// and any of `semitones`, `cents`, `formants` ("keep" or "move"), `new_start_s`, `new_end_s`. Errors:
// BadInput, saying what is wrong where.
[[nodiscard]] Result<std::vector<NoteChange>>
readNoteChanges(const std::filesystem::path& path, Hertz rate);

}  // namespace orthochron
