#include "core/files/Collect.h"

#include <fmt/format.h>

#include "core/base/FileName.h"
#include "core/base/Hash.h"
#include "core/render/Sources.h"

#include <map>
#include <system_error>

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
    std::map<TakeId, std::string> names;
    UsedNames used;
    std::size_t done = 0;
    for (const auto& [id, take] : takes) {
        if (work.stopped()) {
            return giveUp(Error{ErrorKind::Cancelled, "stopped"});
        }
        const fs::path from = pathOf(take, songFolder);
        const std::string stem =
            used.unique(fileNameOf(from.stem().string(), "Take " + std::to_string(id.value)));
        const fs::path to = takesFolder / (stem + from.extension().string());
        if (auto copied = copyTake(take, from, to); !copied) {
            return giveUp(copied.error());
        }
        names[id] = (fs::path("takes") / to.filename()).string();
        work.report(static_cast<double>(++done) / static_cast<double>(takes.size()));
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
