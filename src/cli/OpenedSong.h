#pragma once

#include "core/base/Work.h"
#include "core/files/SongFile.h"
#include "core/render/Sources.h"

#include <filesystem>
#include <string>

namespace orthochron::cli {

struct OpenedSong {
    SongDocument document;
    std::filesystem::path folder;

    [[nodiscard]] const Song& song() const { return *document.history.song(); }
};

// Errors: loadSong's.
[[nodiscard]] Result<OpenedSong> openSong(const std::string& path);

// Whether a song may be written there: its name ends as a song's does, and it is not the one that was
// read. Errors: BadArgument.
[[nodiscard]] Result<void> checkNewSong(const std::string& out, const std::string& in);
// Writes it, with its takes named from the folder of the new song. Errors: saveSong's.
[[nodiscard]] Result<void> saveAs(OpenedSong& opened, const std::string& out);

// Its takes, opened, after each was held against what the song knows of it: nothing is heard,
// checked or printed of another recording than the one that was edited.
// Errors: BadInput, naming the first take that is missing or has changed; Cancelled.
[[nodiscard]] Result<std::shared_ptr<Sources>>
openTakes(const OpenedSong& opened, const Work& work);

}  // namespace orthochron::cli
