#pragma once

#include "core/song/History.h"

#include <filesystem>
#include <string>
#include <string_view>

// The song file: JSON, specified in docs/file-format.md.
namespace orthochron {

constexpr int kSongFormat = 9;
constexpr std::string_view kSongEnding = ".orthochron";

struct SongDocument {
    History history;
    // Top-level fields this version does not know: kept and written back.
    Extras extras;
    // Rises with every writing of the song, to its file or to its autosave: what is older never
    // wins. 0 in files of programs that did not count.
    std::uint64_t generation = 0;
    // Of the version that is open, clips of an older format of which it had to be guessed what
    // belongs together on the microphones of a set.
    int guessedClips = 0;
};

// A song with its history as text: SongWriter's, written whole.
[[nodiscard]] std::string writeSong(const SongDocument& document);

// Reads it back. Treats every field as hostile. `name` is for messages. Errors: BadInput, saying
// where in the file; for a newer format, that a newer program is needed.
[[nodiscard]] Result<SongDocument> readSong(std::string_view text, const std::string& name);

[[nodiscard]] Result<void>
saveSong(const SongDocument& document, const std::filesystem::path& path);
[[nodiscard]] Result<SongDocument> loadSong(const std::filesystem::path& path);

// Where the unsaved state of a song is kept, beside it.
[[nodiscard]] std::filesystem::path autosavePath(const std::filesystem::path& song);

// Holds a song for one program at a time, as long as it lives; freed by the system after a crash.
class SongLock {
public:
    // Errors: Failed when another program holds it. A folder that cannot be written to gives a
    // lock that holds nothing: the song can still be looked at.
    [[nodiscard]] static Result<SongLock> acquire(const std::filesystem::path& song);
    SongLock() = default;
    SongLock(SongLock&& other) noexcept;
    SongLock& operator=(SongLock&& other) noexcept;
    SongLock(const SongLock&) = delete;
    SongLock& operator=(const SongLock&) = delete;
    ~SongLock();

private:
    void release();

    int file_ = -1;
    std::filesystem::path path_;
};

}  // namespace orthochron
