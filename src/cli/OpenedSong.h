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

// Its takes, opened, after each was held against what the song knows of it: nothing is heard,
// checked or printed of another recording than the one that was edited.
// Errors: BadInput, naming the first take that is missing or has changed; Cancelled.
[[nodiscard]] Result<std::shared_ptr<Sources>>
openTakes(const OpenedSong& opened, const Work& work);

}  // namespace orthochron::cli
