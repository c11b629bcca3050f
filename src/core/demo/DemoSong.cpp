#include "core/demo/DemoSong.h"

#include <fmt/format.h>
#include <oneapi/tbb/parallel_for.h>

#include "core/audio/SoundFile.h"
#include "core/base/Hash.h"
#include "core/base/Replacement.h"
#include "core/edits/MarkEdits.h"
#include "core/edits/TakeEdits.h"
#include "core/files/SongFile.h"
#include "core/render/Sources.h"

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

// The mark in the song file by which a demo song is known as made here.
constexpr const char* kMark = "demo";

std::filesystem::path songIn(const std::filesystem::path& folder)
{
    return folder / fmt::format("{}{}", kSongName, kSongEnding);
}

// Whether the folder holds an earlier demo song, not edited since, and nothing of anybody else's
// under the names of its takes.
bool isUntouchedDemo(const std::filesystem::path& folder)
{
    const auto document = loadSong(songIn(folder));
    if (!document || !document->unknown.contains(kMark) || document->history.size() != 1) {
        return false;
    }
    const Song& song = *document->history.song();
    return std::ranges::all_of(boathouseMicrophones(), [&](const auto& microphone) {
        const auto path = folder / (microphone.name + ".wav");
        std::error_code error;
        if (!std::filesystem::exists(path, error)) {
            return true;
        }
        const auto hash = hashOfFile(path);
        return hash && std::ranges::any_of(song.takes, [&](const Take& own) {
                   return own.hash == *hash && isSameFile(pathOf(own, folder), path);
               });
    });
}

Result<void> checkFolder(const std::filesystem::path& folder)
{
    std::error_code error;
    if (!std::filesystem::exists(folder, error) || std::filesystem::is_empty(folder, error) ||
        isUntouchedDemo(folder)) {
        return {};
    }
    return badArgument(fmt::format(
        "{}: holds other files, or a demo song that was edited; name a new or an empty folder",
        folder.string()
    ));
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
    std::vector<std::unique_ptr<SoundFileWriter>> writers(microphones.size());
    tbb::parallel_for(std::size_t{0}, microphones.size(), [&](std::size_t m) {
        paths[m] = folder / (microphones[m].name + ".wav");
        auto writer = SoundFileWriter::create(
            paths[m], {settings.rate, 1, PrintFormat::Wav24, 0, false, (*recorded)[m].frames()}
        );
        if (!writer) {
            outcomes[m] = tl::unexpected(writer.error());
            return;
        }
        writers[m] = std::move(*writer);
        outcomes[m] = writers[m]->write((*recorded)[m]);
    });
    for (const auto& outcome : outcomes) {
        if (!outcome) {
            return tl::unexpected(outcome.error());
        }
    }
    if (auto finished = SoundFileWriter::finishAll(writers); !finished) {
        return tl::unexpected(finished.error());
    }
    work.report(0.9);
    return paths;
}

Result<std::filesystem::path> writeDemoSong(const std::filesystem::path& folder, const Work& work)
{
    if (auto checked = checkFolder(folder); !checked) {
        return tl::unexpected(checked.error());
    }
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
    const auto path = songIn(folder);
    const SongDocument document{History(std::move(*song), "Demo song"), {{kMark, true}}};
    if (auto saved = saveSong(document, path); !saved) {
        return tl::unexpected(saved.error());
    }
    work.report(1.0);
    return path;
}

}  // namespace orthochron::demo
