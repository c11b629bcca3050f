#pragma once

#include "core/files/SongFile.h"

#include <optional>
#include <vector>

// Songs that were never named: each is kept in a file of its own in the user's data folder until it
// is saved or discarded, whatever becomes of the program.
namespace orthochron::app {

// The place of one of them, held by this program as long as it lives, so that no other takes a
// song at work for one that was left behind.
class UnsavedPlace {
public:
    // A new one, under a name nothing has.
    [[nodiscard]] static UnsavedPlace make();
    // One that was left behind. Errors: Failed when another program is at work on it.
    [[nodiscard]] static Result<UnsavedPlace> take(const std::filesystem::path& file);

    [[nodiscard]] const std::filesystem::path& file() const { return file_; }

private:
    UnsavedPlace(std::filesystem::path file, SongLock lock);

    std::filesystem::path file_;
    SongLock lock_;
};

struct UnsavedSong {
    std::filesystem::path file;
    std::int64_t secondsSinceEpoch = 0;  // when it was last changed
    std::shared_ptr<const Song> song;
};

// Those that were left behind and can be read, newest first; none that a program is at work on.
[[nodiscard]] std::vector<UnsavedSong> unsavedSongs();

}  // namespace orthochron::app
