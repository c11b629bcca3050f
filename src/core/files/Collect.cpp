#include "core/files/Collect.h"

#include <fmt/format.h>
#include <oneapi/tbb/parallel_for.h>

#include "core/base/FileName.h"
#include "core/base/Hash.h"
#include "core/render/Sources.h"

#include <atomic>
#include <map>
#include <system_error>
#include <vector>

namespace orthochron {

namespace {

namespace fs = std::filesystem;

// The takes of all versions, once each.
std::map<TakeId, Take> takesOf(const History& history)
{
    std::map<TakeId, Take> takes;
    history.visit(0, [&](const History::Version& version) {
        for (const Take& take : version.song->takes) {
            takes.insert_or_assign(take.id, take);
        }
    });
    return takes;
}

Result<void> copyTake(const Take& take, const fs::path& from, const fs::path& to)
{
    std::error_code error;
    if (!fs::is_regular_file(from, error)) {
        return badInput(fmt::format("{}: not found; restore it or locate it first", from.string()));
    }
    if (!fs::copy_file(from, to, error)) {
        return failed(fmt::format("{}: cannot be copied ({})", to.string(), error.message()));
    }
    const auto hash = hashOfFile(to);
    if (!hash) {
        return tl::unexpected(hash.error());
    }
    if (*hash != take.hash) {
        return badInput(fmt::format(
            "{}: has changed since import; restore the original file first", from.string()
        ));
    }
    return {};
}

}  // namespace

Result<fs::path> collectSong(
    SongDocument document, const fs::path& songFolder, const fs::path& folder, const Work& work
)
{
    std::error_code error;
    const bool isThere = fs::exists(folder, error);
    if (isThere && !fs::is_empty(folder, error)) {
        return badArgument(
            fmt::format("{}: is not empty; use a new or an empty folder", folder.string())
        );
    }
    const fs::path takesFolder = folder / "takes";
    fs::create_directories(takesFolder, error);
    if (error) {
        return failed(
            fmt::format("{}: cannot create the folder ({})", folder.string(), error.message())
        );
    }
    const auto giveUp = [&](const Error& trouble) -> tl::unexpected<Error> {
        std::error_code ignored;
        fs::remove_all(isThere ? takesFolder : folder, ignored);
        return tl::unexpected(trouble);
    };
    const auto takes = takesOf(document.history);
    // Named one after the other, copied and read back side by side.
    struct Copy {
        Take take;
        fs::path to;
        Result<void> outcome;
    };
    std::vector<Copy> copies;
    std::map<TakeId, std::string> names;
    UsedNames used;
    for (const auto& [id, take] : takes) {
        const fs::path from = pathOf(take, songFolder);
        const std::string stem =
            used.unique(fileNameOf(from.stem().string(), "Take " + std::to_string(id.value)));
        const std::string name = stem + from.extension().string();
        copies.push_back({take, takesFolder / name, {}});
        names[id] = (fs::path("takes") / name).string();
    }
    std::atomic<std::size_t> done{0};
    tbb::parallel_for(std::size_t{0}, copies.size(), [&](std::size_t i) {
        Copy& copy = copies[i];
        if (work.stopped()) {
            copy.outcome = cancelled();
            return;
        }
        copy.outcome = copyTake(copy.take, pathOf(copy.take, songFolder), copy.to);
        work.report(static_cast<double>(++done) / static_cast<double>(copies.size()));
    });
    for (const Copy& copy : copies) {
        if (!copy.outcome) {
            return giveUp(copy.outcome.error());
        }
    }
    document.history.changeTakes([&](Take& take) { take.path = names.at(take.id); });
    const fs::path song =
        folder / (fileNameOf(document.history.song()->name, "Song") + std::string(kSongEnding));
    if (auto saved = saveSong(document, song); !saved) {
        return giveUp(saved.error());
    }
    return song;
}

}  // namespace orthochron
