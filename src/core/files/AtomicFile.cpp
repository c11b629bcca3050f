#include "core/files/AtomicFile.h"

#include <fcntl.h>
#include <fmt/format.h>
#include <unistd.h>

#include "core/base/Replacement.h"

#include <cerrno>
#include <cstring>
#include <fstream>

namespace orthochron {

namespace {

bool writeSynced(int file, std::string_view text)
{
    while (!text.empty()) {
        const ssize_t written = ::write(file, text.data(), text.size());
        if (written < 0 && errno == EINTR) {
            continue;
        }
        if (written <= 0) {
            return false;
        }
        text.remove_prefix(static_cast<std::size_t>(written));
    }
    return ::fsync(file) == 0;
}

std::string reasonOf(int code)
{
    switch (code) {
    case ENOSPC: return "the disk is full; free space and try again";
    case EROFS: return "the disk is read-only; save elsewhere";
    case EACCES:
    case EPERM:
        return "no permission to write to this folder; save elsewhere or change its permissions";
    case ENOENT: return "the folder does not exist";
    default: return std::strerror(code);
    }
}

}  // namespace

Result<void> appendSynced(const std::filesystem::path& path, std::string_view text)
{
    const int file = ::open(path.c_str(), O_WRONLY | O_APPEND | O_CLOEXEC);
    const bool isWritten = file >= 0 && writeSynced(file, text);
    const int reason = errno;
    if (file >= 0) {
        ::close(file);
    }
    if (!isWritten) {
        return failed(fmt::format("{}: cannot be written to: {}", path.string(), reasonOf(reason)));
    }
    return {};
}

Result<void> writeAtomically(const std::filesystem::path& path, std::string_view text)
{
    auto replacement = Replacement::of(path);
    if (!replacement) {
        return tl::unexpected(replacement.error());
    }
    const std::filesystem::path& beside = replacement->beside();
    const int file = ::open(beside.c_str(), O_WRONLY | O_CREAT | O_TRUNC | O_CLOEXEC, 0644);
    if (file < 0) {
        return failed(fmt::format(
            "{}: cannot be saved: {}. What was there is unchanged", path.string(), reasonOf(errno)
        ));
    }
    const bool isWritten = writeSynced(file, text);
    int code = errno;
    const bool isClosed = ::close(file) == 0;
    if (!isWritten || !isClosed) {
        code = isWritten ? errno : code;
        return failed(fmt::format(
            "{}: cannot be saved: {}. What was there is unchanged", path.string(), reasonOf(code)
        ));
    }
    if (auto placed = replacement->commit(); !placed) {
        return placed;
    }
    // The rename itself must reach the disk too.
    const auto folder = replacement->target().parent_path();
    if (const int directory = ::open(folder.c_str(), O_RDONLY | O_DIRECTORY | O_CLOEXEC);
        directory >= 0) {
        ::fsync(directory);
        ::close(directory);
    }
    return {};
}

Result<std::string> readWhole(const std::filesystem::path& path, std::uintmax_t limit)
{
    std::error_code error;
    if (!std::filesystem::exists(path, error)) {
        return badInput(fmt::format("{}: not found; check the name and the folder", path.string()));
    }
    // A pipe would hang and a device has no end.
    const std::uintmax_t size =
        std::filesystem::is_regular_file(path, error) ? std::filesystem::file_size(path, error) : 0;
    if (error || !std::filesystem::is_regular_file(path, error)) {
        return badInput(fmt::format("{}: is not a regular file", path.string()));
    }
    if (size > limit) {
        return badInput(
            fmt::format("{}: is {} bytes long, too large for such a file", path.string(), size)
        );
    }
    std::ifstream file(path, std::ios::binary);
    std::string text(static_cast<std::size_t>(size), '\0');
    if (!file.read(text.data(), static_cast<std::streamsize>(size))) {
        return badInput(
            fmt::format("{}: cannot be read; check its permissions and the disk", path.string())
        );
    }
    return text;
}

}  // namespace orthochron
