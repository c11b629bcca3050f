#include "core/files/GrooveLibrary.h"

#include <fmt/format.h>

#include "core/base/FileName.h"
#include "core/files/GrooveFile.h"

#include <algorithm>

namespace orthochron {

namespace {

namespace fs = std::filesystem;

fs::path fileOf(const std::string& name, const fs::path& folder)
{
    return folder / (fileNameOf(name, "groove ") + ".json");
}

}  // namespace

std::vector<Groove> groovesIn(const fs::path& folder)
{
    std::vector<Groove> grooves;
    std::error_code error;
    for (const auto& entry : fs::directory_iterator(folder, error)) {
        if (entry.path().extension() != ".json") {
            continue;
        }
        if (auto groove = readGroove(entry.path(), Meter{}, GridSettings{});
            groove && !groove->isEmpty() && !groove->name.empty()) {
            grooves.push_back(std::move(*groove));
        }
    }
    std::ranges::sort(grooves, {}, &Groove::name);
    return grooves;
}

Result<void> keepGroove(const Groove& groove, const fs::path& folder)
{
    if (groove.isEmpty() || groove.name.empty()) {
        return badArgument("a groove needs a name and hits");
    }
    std::error_code error;
    fs::create_directories(folder, error);
    if (error) {
        return failed(fmt::format("{}: {}", folder.string(), error.message()));
    }
    return writeGroove(groove, fileOf(groove.name, folder));
}

Result<void> forgetGroove(const std::string& name, const fs::path& folder)
{
    std::error_code error;
    if (name.empty() || !fs::remove(fileOf(name, folder), error)) {
        return error ? failed(fmt::format("{}: {}", folder.string(), error.message()))
                     : badArgument(fmt::format("no groove named {} is saved", name));
    }
    return {};
}

}  // namespace orthochron
