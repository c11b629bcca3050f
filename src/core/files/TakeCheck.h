#pragma once

#include "core/base/Work.h"
#include "core/song/Song.h"

#include <filesystem>
#include <optional>
#include <string>
#include <vector>

// Whether a song's takes are the files it was made with.
namespace orthochron {

// A take that is not as the song knows it.
struct TakeTrouble {
    TakeId take;
    bool isMissing = false;  // otherwise changed
    std::string sentence;
};

// The hashes of files by their place, size and time of change, kept between runs: a file that was
// not touched since is not read again. A cache: it may be deleted at any time, and where it cannot
// be written it only costs time.
//
// Threads: any; two programs may use one folder.
class KnownHashes {
public:
    // `folder` need not be there. Without one nothing is known.
    explicit KnownHashes(std::filesystem::path folder = {}) : folder_(std::move(folder)) {}
    // Kept with the user's other caches.
    [[nodiscard]] static KnownHashes ofUser();
    [[nodiscard]] const std::filesystem::path& folder() const { return folder_; }

    // Empty when it is not known, or the file was touched since.
    [[nodiscard]] std::string find(const std::filesystem::path& file) const;
    // hashOfFile, remembered. Errors: its.
    [[nodiscard]] Result<std::string> hash(const std::filesystem::path& file) const;

private:
    std::filesystem::path folder_;
};

// Compares every take with its file by size and content, and says which are in trouble; hashes
// that are known are not made again. Errors: Cancelled.
[[nodiscard]] Result<std::vector<TakeTrouble>> checkTakes(
    const Song& song,
    const std::filesystem::path& songFolder,
    const KnownHashes& known,
    const Work& work = {}
);

// What is wrong with one of them, by what costs nothing to find out: its size, and its content
// where that is known.
[[nodiscard]] std::optional<TakeTrouble>
glanceAtTake(const Take& take, const std::filesystem::path& songFolder, const KnownHashes& known);

}  // namespace orthochron
