#include "core/demo/DemoSong.h"

#include <fmt/format.h>
#include <oneapi/tbb/parallel_for.h>

#include "core/audio/SoundFile.h"
#include "core/edits/MarkEdits.h"
#include "core/edits/TakeEdits.h"

namespace orthochron::demo {

namespace {

Result<void> makeFolder(const std::filesystem::path& folder)
{
    std::error_code error;
    std::filesystem::create_directories(folder, error);
    if (error) {
        return failed(
            fmt::format("{}: the folder cannot be made ({})", folder.string(), error.message())
        );
    }
    return {};
}

Result<Song> songOf(
    const KitPerformance& performance,
    const std::vector<std::filesystem::path>& paths,
    Hertz rate,
    const std::filesystem::path& folder
)
{
    Song song;
    song.name = kSongName;
    song.rate = rate;
    song.tempo = performance.map;
    std::vector<ImportedTake> takes;
    for (const auto& path : paths) {
        auto take = takeFromFile(path, rate, folder);
        if (!take) {
            return tl::unexpected(take.error());
        }
        takes.push_back({std::move(*take), false});
    }
    auto added = addTakes(song, std::move(takes));
    if (!added) {
        return added;
    }
    std::vector<TrackId> tracks;
    for (const auto& track : added->tracks) {
        tracks.push_back(track->id);
    }
    auto set = makeSet(*added, tracks, "Kit");
    if (!set) {
        return set;
    }
    auto kick = setLead(*set, tracks[0], true);
    return kick ? setLead(*kick, tracks[2], true) : kick;
}

}  // namespace

Result<std::vector<std::filesystem::path>> writeKitTakes(
    const KitPerformance& performance,
    const RecordingSettings& settings,
    const std::filesystem::path& folder,
    const Work& work
)
{
    if (auto made = makeFolder(folder); !made) {
        return tl::unexpected(made.error());
    }
    const auto recorded = recordKit(performance, settings, work.part(0.0, 0.7));
    if (!recorded) {
        return tl::unexpected(recorded.error());
    }
    const auto& microphones = boathouseMicrophones();
    std::vector<std::filesystem::path> paths(microphones.size());
    std::vector<Result<void>> outcomes(microphones.size());
    tbb::parallel_for(std::size_t{0}, microphones.size(), [&](std::size_t m) {
        paths[m] = folder / (microphones[m].name + ".wav");
        auto writer = SoundFileWriter::create(
            paths[m], {settings.rate, 1, PrintFormat::Wav24, 0, false, (*recorded)[m].frames()}
        );
        if (!writer) {
            outcomes[m] = tl::unexpected(writer.error());
            return;
        }
        outcomes[m] = (*writer)->write((*recorded)[m]);
        if (outcomes[m]) {
            outcomes[m] = (*writer)->finish();
        }
    });
    for (const auto& outcome : outcomes) {
        if (!outcome) {
            return tl::unexpected(outcome.error());
        }
    }
    work.report(0.9);
    return paths;
}

Result<std::filesystem::path> writeDemoSong(const std::filesystem::path& folder, const Work& work)
{
    const KitPerformance performance = performKit();
    const RecordingSettings settings;
    const auto paths = writeKitTakes(performance, settings, folder, work);
    if (!paths) {
        return tl::unexpected(paths.error());
    }
    std::error_code error;
    const auto absolute = std::filesystem::absolute(folder, error);
    auto song = songOf(performance, *paths, settings.rate, absolute);
    if (!song) {
        return tl::unexpected(song.error());
    }
    const auto path = folder / fmt::format("{}{}", kSongName, kSongEnding);
    if (auto saved = saveSong({History(std::move(*song), "Demo song"), {}}, path); !saved) {
        return tl::unexpected(saved.error());
    }
    work.report(1.0);
    return path;
}

}  // namespace orthochron::demo
