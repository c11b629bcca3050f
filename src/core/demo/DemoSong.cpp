#include "core/demo/DemoSong.h"

#include <fmt/format.h>
#include <oneapi/tbb/parallel_for.h>

#include "core/audio/SoundFile.h"
#include "core/base/Hash.h"
#include "core/base/Replacement.h"
#include "core/demo/SungLines.h"
#include "core/edits/ClipEdits.h"
#include "core/edits/MarkEdits.h"
#include "core/edits/ShapeEdits.h"
#include "core/edits/SpeedEdits.h"
#include "core/edits/TakeEdits.h"
#include "core/files/SongFile.h"
#include "core/render/Sources.h"

#include <array>

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

constexpr const char* kAltoName = "Alto voice";
constexpr const char* kBassName = "Double bass";

// The mark in the song file by which a demo song is known as made here.
constexpr const char* kMark = "demo";

std::filesystem::path songIn(const std::filesystem::path& folder, std::string_view name = kSongName)
{
    return folder / fmt::format("{}{}", name, kSongEnding);
}

bool isUneditedSong(const std::filesystem::path& path)
{
    const auto document = loadSong(path);
    return document && document->unknown.contains(kMark) && document->history.size() == 1;
}

// Whether the folder holds an earlier demo song, not edited since, and nothing of anybody else's
// under the names of its takes.
bool isUntouchedDemo(const std::filesystem::path& folder)
{
    std::error_code missing;
    const auto shaped = songIn(folder, kShapedName);
    if (!isUneditedSong(songIn(folder)) ||
        (std::filesystem::exists(shaped, missing) && !isUneditedSong(shaped))) {
        return false;
    }
    const auto document = loadSong(songIn(folder));
    std::vector<Take> own = document->history.song()->takes;
    if (const auto sung = loadSong(shaped)) {
        const auto& takes = sung->history.song()->takes;
        own.insert(own.end(), takes.begin(), takes.end());
    }
    std::vector<std::string> names{kAltoName, kBassName};
    for (const auto& microphone : boathouseMicrophones()) {
        names.push_back(microphone.name);
    }
    return std::ranges::all_of(names, [&](const std::string& name) {
        const auto path = folder / (name + ".wav");
        std::error_code error;
        if (!std::filesystem::exists(path, error)) {
            return true;
        }
        const auto hash = hashOfFile(path);
        return hash && std::ranges::any_of(own, [&](const Take& known) {
                   return known.hash == *hash && isSameFile(pathOf(known, folder), path);
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

// The takes of an alto and a bass beside those of the kit.
Result<Song> withLines(const Song& song, const std::filesystem::path& folder)
{
    std::vector<ImportedTake> takes;
    for (const auto& line :
         {singAlto(song.tempo, song.length(), song.rate),
          bowBass(song.tempo, song.length(), song.rate)}) {
        const auto path = folder / (line.name + ".wav");
        auto writer = SoundFileWriter::create(
            path, {song.rate, 1, PrintFormat::Wav24, 0, false, line.sound.frames()}
        );
        if (!writer) {
            return tl::unexpected(writer.error());
        }
        if (auto written = (*writer)->write(line.sound); !written) {
            return tl::unexpected(written.error());
        }
        if (auto finished = (*writer)->finish(); !finished) {
            return tl::unexpected(finished.error());
        }
        auto take = takeFromFile(path, song.rate, folder);
        if (!take) {
            return tl::unexpected(take.error());
        }
        takes.push_back({std::move(*take), false});
    }
    auto next = addTakes(song, std::move(takes));
    if (next) {
        next->sets.front().isFolded = true;
    }
    return next;
}

// The song faded, a line on the alto, the bass in late, and the kit spun down into a bar.
Result<Song> shapedFrom(const Song& song)
{
    constexpr int kSpunBar = 33;
    constexpr std::size_t kAlto = 8;
    constexpr std::size_t kBass = 9;
    const TempoMap& map = song.tempo;
    const auto place = [&](int bar) { return HeldPlace(map.startOfBar(bar).count()); };
    auto next = fadeLong(song, {}, {true, {8.0, {}}, 0.5});
    LevelLine alto;
    alto.points = {{place(11), 0.0, 0.5}, {place(13), -9.0, 0.0, true}, {place(15), 3.0}};
    next = next ? setLevelLine(*next, std::array{song.tracks[kAlto]->id}, alto) : next;
    Hush late;
    late.label = "in at 9";
    late.from = place(5);
    late.to = place(9);
    next = next ? addHush(*next, std::array{song.tracks[kBass]->id}, late) : next;
    if (!next) {
        return next;
    }
    const Frames cut = toFrames(map.timeAt(map.startOfBar(kSpunBar)), song.rate);
    next = splitClips(*next, {song.tracks.front()->clips.front().id}, {cut}, {});
    if (!next) {
        return next;
    }
    Spin spin;
    spin.length = cut - toFrames(map.timeAt(map.startOfBar(kSpunBar) - Beats(2.0)), song.rate);
    return spinClips(*next, {next->tracks.front()->clips.front().id}, true, spin);
}

Result<void> write(Song song, std::string_view name, const std::filesystem::path& folder)
{
    song.name = name;
    const SongDocument document{History(std::move(song), "Demo song"), {{kMark, true}}};
    return saveSong(document, songIn(folder, name));
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
    auto sung = withLines(*song, absolute);
    if (!sung) {
        return tl::unexpected(sung.error());
    }
    auto shaped = shapedFrom(*sung);
    if (!shaped) {
        return tl::unexpected(shaped.error());
    }
    if (auto saved = write(std::move(*shaped), kShapedName, folder); !saved) {
        return tl::unexpected(saved.error());
    }
    if (auto saved = write(std::move(*song), kSongName, folder); !saved) {
        return tl::unexpected(saved.error());
    }
    work.report(1.0);
    return songIn(folder);
}

}  // namespace orthochron::demo
