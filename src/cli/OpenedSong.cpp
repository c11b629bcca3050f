#include "cli/OpenedSong.h"

#include <fmt/format.h>

#include "core/edits/TakeEdits.h"
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

Result<void> checkNewSong(const std::string& out, const std::string& in)
{
    if (std::filesystem::path(out).extension() != kSongEnding) {
        return badArgument(fmt::format("{}: the name of a song must end in {}", out, kSongEnding));
    }
    std::error_code error;
    if (std::filesystem::equivalent(out, in, error)) {
        return badArgument(fmt::format("{}: is the input song; write to another file", out));
    }
    return {};
}

Result<void> saveAs(OpenedSong& opened, const std::string& out)
{
    const auto folder = std::filesystem::absolute(out).parent_path();
    opened.document.history.changeTakes([&](Take& take) {
        const std::filesystem::path path = pathOf(take, opened.folder);
        std::error_code error;
        const auto relative = std::filesystem::proximate(path, folder, error);
        take.path = error ? path.string() : relative.string();
    });
    return saveSong(opened.document, out);
}

}  // namespace orthochron::cli
