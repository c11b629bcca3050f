#include "core/files/SongFile.h"

#include <fcntl.h>
#include <fmt/format.h>
#include <sys/file.h>
#include <unistd.h>

#include "core/files/AtomicFile.h"

#include <utility>

namespace orthochron {

Result<void> saveSong(const SongDocument& document, const std::filesystem::path& path)
{
    return writeAtomically(path, writeSong(document));
}

Result<SongDocument> loadSong(const std::filesystem::path& path)
{
    constexpr std::uintmax_t kLargest = 512U << 20U;
    const auto text = readWhole(path, kLargest);
    if (!text) {
        return tl::unexpected(text.error());
    }
    return readSong(*text, path.string());
}

std::filesystem::path autosavePath(const std::filesystem::path& song)
{
    return song.parent_path() / fmt::format(".{}-autosave", song.filename().string());
}

Result<SongLock> SongLock::acquire(const std::filesystem::path& song)
{
    // The file itself, however many links lead to it.
    std::error_code error;
    auto file = std::filesystem::weakly_canonical(song, error);
    file = error ? song : file;
    SongLock lock;
    lock.path_ = file.parent_path() / fmt::format(".{}-lock", file.filename().string());
    lock.file_ = ::open(lock.path_.c_str(), O_RDWR | O_CREAT | O_CLOEXEC, 0644);
    if (lock.file_ < 0) {
        return lock;
    }
    if (::flock(lock.file_, LOCK_EX | LOCK_NB) != 0) {
        ::close(lock.file_);
        lock.file_ = -1;
        return failed(fmt::format(
            "{}: is open in another window; close it there first, or open a copy", song.string()
        ));
    }
    return lock;
}

SongLock::SongLock(SongLock&& other) noexcept
    : file_(std::exchange(other.file_, -1)), path_(std::move(other.path_))
{}

SongLock& SongLock::operator=(SongLock&& other) noexcept
{
    if (this != &other) {
        release();
        file_ = std::exchange(other.file_, -1);
        path_ = std::move(other.path_);
    }
    return *this;
}

SongLock::~SongLock()
{
    release();
}

void SongLock::release()
{
    if (file_ >= 0) {
        ::unlink(path_.c_str());
        ::close(file_);
        file_ = -1;
    }
}

}  // namespace orthochron
