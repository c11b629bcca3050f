#include "cli/OpenedSong.h"

#include "core/files/TakeCheck.h"

namespace orthochron::cli {

Result<OpenedSong> openSong(const std::string& path)
{
    auto document = loadSong(path);
    if (!document) {
        return tl::unexpected(document.error());
    }
    return OpenedSong{std::move(*document), std::filesystem::path(path).parent_path()};
}

Result<std::shared_ptr<Sources>> openTakes(const OpenedSong& opened, const Work& work)
{
    const auto troubles =
        checkTakes(opened.song(), opened.folder, KnownHashes::ofUser(), {work.stop, {}});
    if (!troubles) {
        return tl::unexpected(troubles.error());
    }
    if (!troubles->empty()) {
        return badInput(troubles->front().sentence);
    }
    return Sources::open(opened.song(), opened.folder);
}

}  // namespace orthochron::cli
