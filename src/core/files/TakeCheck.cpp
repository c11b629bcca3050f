#include "core/files/TakeCheck.h"

#include <fmt/format.h>
#include <sys/stat.h>

#include "core/base/Hash.h"
#include "core/files/AtomicFile.h"
#include "core/files/JsonText.h"
#include "core/render/Sources.h"

#include <cstdlib>
#include <optional>
#include <span>

namespace orthochron {

namespace {

namespace fs = std::filesystem;
using Json = nlohmann::json;

// What changes when a file is written to or another takes its place.
std::optional<Json> stampOf(const fs::path& file)
{
    struct stat status {};
    if (::stat(file.c_str(), &status) != 0) {
        return std::nullopt;
    }
    return Json::array(
        {status.st_size, status.st_mtim.tv_sec, status.st_mtim.tv_nsec, status.st_ino}
    );
}

fs::path entryOf(const fs::path& folder, const fs::path& file)
{
    std::error_code error;
    const std::string name = fs::absolute(file, error).lexically_normal().string();
    return folder / fmt::format("{:016x}.hash", hashOf(std::as_bytes(std::span(name))));
}

std::string changedSentence(const fs::path& path)
{
    return fmt::format(
        "{}: has changed since import; restore the original file or import the new one as a new "
        "take",
        path.string()
    );
}

// The trouble that can be seen without reading the file.
std::optional<TakeTrouble> troubleAtAGlance(const Take& take, const fs::path& path)
{
    std::error_code error;
    if (!fs::exists(path, error)) {
        return TakeTrouble{
            take.id, true, fmt::format("{}: is missing; restore it or locate it", path.string())};
    }
    if (fs::file_size(path, error) != take.bytes) {
        return TakeTrouble{take.id, false, changedSentence(path)};
    }
    return std::nullopt;
}

}  // namespace

KnownHashes KnownHashes::ofUser()
{
    if (const char* cache = std::getenv("XDG_CACHE_HOME"); cache != nullptr && *cache == '/') {
        return KnownHashes(fs::path(cache) / "orthochron" / "hashes");
    }
    if (const char* home = std::getenv("HOME"); home != nullptr && *home == '/') {
        return KnownHashes(fs::path(home) / ".cache" / "orthochron" / "hashes");
    }
    return KnownHashes();
}

std::string KnownHashes::find(const fs::path& file) const
{
    constexpr std::uintmax_t kLargest = 4096;
    const auto stamp = stampOf(file);
    const auto text = folder_.empty() ? Result<std::string>(failed("nothing kept"))
                                      : readWhole(entryOf(folder_, file), kLargest);
    if (!text || !stamp) {
        return {};
    }
    const Json entry = parseJson(*text);
    if (!entry.is_object() || entry.value("stamp", Json()) != *stamp) {
        return {};
    }
    const Json hash = entry.value("hash", Json());
    return hash.is_string() ? hash.get<std::string>() : std::string();
}

Result<std::string> KnownHashes::hash(const fs::path& file) const
{
    // The stamp of before: what is written to it meanwhile makes the entry worthless.
    const auto stamp = stampOf(file);
    auto hash = hashOfFile(file);
    if (hash && stamp && !folder_.empty()) {
        std::error_code ignored;
        fs::create_directories(folder_, ignored);
        (void
        )writeAtomically(entryOf(folder_, file), Json{{"stamp", *stamp}, {"hash", *hash}}.dump());
    }
    return hash;
}

Result<std::vector<TakeTrouble>>
checkTakes(const Song& song, const fs::path& songFolder, const KnownHashes& known, const Work& work)
{
    std::vector<TakeTrouble> troubles;
    for (std::size_t i = 0; i < song.takes.size(); ++i) {
        if (work.stopped()) {
            return cancelled();
        }
        work.report(static_cast<double>(i) / static_cast<double>(song.takes.size()));
        const Take& take = song.takes[i];
        const auto path = pathOf(take, songFolder);
        if (auto trouble = troubleAtAGlance(take, path)) {
            troubles.push_back(std::move(*trouble));
            continue;
        }
        // A take that was never a file of its own has no hash.
        if (take.hash.empty() || known.find(path) == take.hash) {
            continue;
        }
        // What is known to differ is read once more: nothing is said of a file on a cache's word.
        const auto hash = known.hash(path);
        if (!hash) {
            troubles.push_back({take.id, false, hash.error().message});
        } else if (*hash != take.hash) {
            troubles.push_back({take.id, false, changedSentence(path)});
        }
    }
    work.report(1.0);
    return troubles;
}

std::optional<TakeTrouble>
glanceAtTake(const Take& take, const fs::path& songFolder, const KnownHashes& known)
{
    const auto path = pathOf(take, songFolder);
    auto trouble = troubleAtAGlance(take, path);
    const std::string found = trouble || take.hash.empty() ? std::string() : known.find(path);
    if (!found.empty() && found != take.hash) {
        trouble = TakeTrouble{take.id, false, changedSentence(path)};
    }
    return trouble;
}

}  // namespace orthochron
