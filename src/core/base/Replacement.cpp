#include "core/base/Replacement.h"

#include <fcntl.h>
#include <fmt/format.h>
#include <signal.h>
#include <stdio.h>
#include <sys/stat.h>
#include <unistd.h>

#include "core/base/Removal.h"

#include <cerrno>
#include <charconv>
#include <cstring>
#include <set>
#include <utility>
#include <vector>

namespace orthochron {

namespace fs = std::filesystem;

namespace {

constexpr std::string_view kPart = ".part";
constexpr std::string_view kSongEnding = ".orthochron";

// The file a name leads to, through links, be it there or not yet.
fs::path realPath(const fs::path& path)
{
    std::error_code error;
    const fs::path real = fs::weakly_canonical(fs::absolute(path, error), error);
    return error ? path : real;
}

Result<void> checkRegular(const fs::path& path)
{
    std::error_code error;
    const fs::file_status status = fs::status(path, error);
    if (!fs::exists(status) || fs::is_regular_file(status)) {
        return {};
    }
    return badArgument(fmt::format(
        "{}: is {} and cannot be overwritten; use another name",
        path.string(),
        fs::is_directory(status) ? "a folder" : "not a regular file"
    ));
}

// Removes the halves that runs which no longer live left of this file.
void sweep(const fs::path& target)
{
    const std::string prefix = fmt::format(".{}.", target.filename().string());
    std::error_code error;
    for (fs::directory_iterator each(target.parent_path(), error), end; !error && each != end;
         each.increment(error)) {
        const std::string name = each->path().filename().string();
        if (!name.starts_with(prefix) || !name.ends_with(kPart) ||
            name.size() <= prefix.size() + kPart.size()) {
            continue;
        }
        const char* first = name.data() + prefix.size();
        const char* last = name.data() + name.size() - kPart.size();
        pid_t writer = 0;
        const auto [rest, failure] = std::from_chars(first, last, writer);
        const bool isOurs = failure == std::errc() && rest == last && writer > 0;
        if (isOurs && ::kill(writer, 0) != 0 && errno == ESRCH) {
            std::error_code ignored;
            fs::remove(each->path(), ignored);
        }
    }
}

}  // namespace

Result<Replacement> Replacement::of(const fs::path& path)
{
    if (auto regular = checkRegular(path); !regular) {
        return tl::unexpected(regular.error());
    }
    const fs::path target = realPath(path);
    sweep(target);
    return Replacement(
        target,
        target.parent_path() /
            fmt::format(".{}.{}{}", target.filename().string(), ::getpid(), kPart)
    );
}

Replacement::Replacement(fs::path target, fs::path beside)
    : target_(std::move(target)), beside_(std::move(beside))
{}

Replacement::Replacement(Replacement&& other) noexcept
    : target_(std::move(other.target_)),
      beside_(std::exchange(other.beside_, {})),
      replacedOld_(std::exchange(other.replacedOld_, false))
{}

Replacement& Replacement::operator=(Replacement&& other) noexcept
{
    if (this != &other) {
        drop();
        target_ = std::move(other.target_);
        beside_ = std::exchange(other.beside_, {});
        replacedOld_ = std::exchange(other.replacedOld_, false);
    }
    return *this;
}

Replacement::~Replacement()
{
    drop();
}

void Replacement::drop() noexcept
{
    if (!beside_.empty()) {
        removeFiles({&beside_, 1});
        beside_.clear();
    }
}

// Swaps the two names in one step, so that the old file can be put back while others are placed.
Result<void> Replacement::exchange()
{
    struct stat old {};
    const bool hasOld = ::stat(target_.c_str(), &old) == 0;
    if (hasOld) {
        // Something else may have come to stand there since; a folder would be swapped as readily.
        if (!S_ISREG(old.st_mode)) {
            return checkRegular(target_);
        }
        // Permissions are the user's; where they cannot be kept the file is still the right one.
        (void)::chmod(beside_.c_str(), old.st_mode & 07777U);
        if (::renameat2(AT_FDCWD, beside_.c_str(), AT_FDCWD, target_.c_str(), RENAME_EXCHANGE) ==
            0) {
            replacedOld_ = true;
            return {};
        }
        if (errno != EINVAL && errno != ENOSYS) {
            return failed(fmt::format(
                "{}: cannot be put in place ({})", target_.string(), std::strerror(errno)
            ));
        }
    }
    if (::rename(beside_.c_str(), target_.c_str()) != 0) {
        return failed(
            fmt::format("{}: cannot be put in place ({})", target_.string(), std::strerror(errno))
        );
    }
    if (hasOld) {
        // A file system that cannot swap names: the old file is gone, so the new one stays.
        beside_.clear();
    }
    return {};
}

void Replacement::undo() noexcept
{
    if (replacedOld_) {
        ::rename(beside_.c_str(), target_.c_str());
    } else if (!beside_.empty()) {
        ::unlink(target_.c_str());
    }
    beside_.clear();
}

Result<void> Replacement::commit()
{
    return commitAll({this, 1});
}

Result<void> commitAll(std::span<Replacement> replacements)
{
    for (std::size_t i = 0; i < replacements.size(); ++i) {
        if (auto placed = replacements[i].exchange(); !placed) {
            for (std::size_t k = 0; k < i; ++k) {
                replacements[k].undo();
            }
            return placed;
        }
    }
    std::vector<fs::path> replaced;
    for (Replacement& each : replacements) {
        if (each.replacedOld_) {
            replaced.push_back(std::move(each.beside_));
        }
        each.beside_.clear();
    }
    removeFiles(replaced);
    return {};
}

bool isSameFile(const fs::path& one, const fs::path& other)
{
    std::error_code error;
    return realPath(one) == realPath(other) || (fs::equivalent(one, other, error) && !error);
}

Result<void> checkOutputs(std::span<const fs::path> outputs, std::span<const fs::path> kept)
{
    std::set<fs::path> seen;
    for (const fs::path& output : outputs) {
        if (auto regular = checkRegular(output); !regular) {
            return regular;
        }
        const fs::path real = realPath(output);
        if (output.extension() == kSongEnding || real.extension() == kSongEnding) {
            return badArgument(fmt::format(
                "{}: is a song; use another file extension for the print", output.string()
            ));
        }
        for (const fs::path& input : kept) {
            if (isSameFile(output, input)) {
                return badArgument(fmt::format(
                    "{}: is one of the source takes; write to another folder", output.string()
                ));
            }
        }
        if (!seen.insert(real).second) {
            return badArgument(fmt::format(
                "{}: two outputs would have this name; name them differently", output.string()
            ));
        }
    }
    return {};
}

}  // namespace orthochron
