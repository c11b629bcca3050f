#pragma once

#include "core/base/Work.h"
#include "core/files/SongFile.h"

#include <filesystem>

namespace orthochron {

// Copies a song and every take that any of its versions plays into a folder that is new or empty, so that
// the folder is all that is needed to go on elsewhere. Each copy is read back and held against what the
// song knows of the take. `songFolder` is where the song's takes are named from. Gives the new song's file.
// Errors: BadArgument when the folder holds something; BadInput for a take that is missing or has
// changed; Failed, Cancelled. What was copied until then is removed.
[[nodiscard]] Result<std::filesystem::path> collectSong(
    SongDocument document,
    const std::filesystem::path& songFolder,
    const std::filesystem::path& folder,
    const Work& work = {}
);

}  // namespace orthochron
