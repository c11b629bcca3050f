#include "core/demo/DemoSong.h"

#include <fmt/format.h>
#include <oneapi/tbb/parallel_for.h>

#include "core/audio/SoundFile.h"
#include "core/base/Hash.h"
#include "core/base/Replacement.h"
#include "core/demo/FreePlaying.h"
#include "core/demo/SungLines.h"
#include "core/edits/ClipEdits.h"
#include "core/edits/GuideEdits.h"
#include "core/edits/MarkEdits.h"
#include "core/edits/ShapeEdits.h"
#include "core/edits/SpeedEdits.h"
#include "core/edits/TakeEdits.h"
#include "core/files/GuideFile.h"
#include "core/files/MidiFile.h"
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
            fmt::format("{}: cannot create the folder ({})", folder.string(), error.message())
        );
    }
    return {};
}

constexpr const char* kAltoName = "Alto voice";
constexpr const char* kBassName = "Double bass";
constexpr const char* kDulcimerName = "Dulcimer";
constexpr const char* kDrumName = "Frame drum";
constexpr const char* kGuideName = "Dulcimer, played.mid";

// The mark in the song file by which a demo song is known as made here.
constexpr std::string_view kMark = R"({"demo":true})";  // of the song's file

std::filesystem::path songIn(const std::filesystem::path& folder, std::string_view name = kSongName)
{
    return folder / fmt::format("{}{}", name, kSongEnding);
}

bool isUneditedSong(const std::filesystem::path& path)
{
    const auto document = loadSong(path);
    return document && document->extras.text && *document->extras.text == kMark &&
           document->history.size() == 1;
}

// Whether the folder holds an earlier demo song, not edited since, and nothing of anybody else's
// under the names of its takes.
bool isUntouchedDemo(const std::filesystem::path& folder)
{
    std::error_code missing;
    std::vector<Take> own;
    std::shared_ptr<const MidiGuide> guide;
    for (const std::string_view name : {kSongName, kShapedName, kFreeName}) {
        const auto path = songIn(folder, name);
        // An older demo has fewer songs.
        if (name != kSongName && !std::filesystem::exists(path, missing)) {
            continue;
        }
        if (!isUneditedSong(path)) {
            return false;
        }
        const auto document = loadSong(path);
        const auto& takes = document->history.song()->takes;
        own.insert(own.end(), takes.begin(), takes.end());
        guide = document->history.song()->guide;
    }
    if (const auto path = folder / kGuideName; std::filesystem::exists(path, missing)) {
        const auto found = readGuide(path);
        if (!found || !guide || !(*found == *guide)) {
            return false;
        }
    }
    std::vector<std::string> names{kAltoName, kBassName, kDulcimerName, kDrumName};
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
        "{}: contains other files or an edited demo song; use a new or empty folder",
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

// Writes one channel of sound as a take of a song to be.
Result<Take> writeTake(
    const std::string& name,
    const AudioBuffer& sound,
    Hertz rate,
    const std::filesystem::path& folder
)
{
    const auto path = folder / (name + ".wav");
    auto writer =
        SoundFileWriter::create(path, {rate, 1, PrintFormat::Wav24, 0, false, sound.frames()});
    if (!writer) {
        return tl::unexpected(writer.error());
    }
    if (auto written = (*writer)->write(sound); !written) {
        return tl::unexpected(written.error());
    }
    if (auto finished = (*writer)->finish(); !finished) {
        return tl::unexpected(finished.error());
    }
    return takeFromFile(path, rate, folder);
}

// The takes of an alto and a bass beside those of the kit.
Result<Song> withLines(const Song& song, const std::filesystem::path& folder)
{
    std::vector<ImportedTake> takes;
    for (const auto& line :
         {singAlto(song.tempo, song.length(), song.rate),
          bowBass(song.tempo, song.length(), song.rate)}) {
        auto take = writeTake(line.name, line.sound, song.rate, folder);
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

// What the dulcimer played, as the file its player handed over: in bars of no meaning.
Result<void> writeGuide(const FreePlaying& playing, const std::filesystem::path& path)
{
    MidiFile midi;
    midi.tempi = {{Beats(0.0), 120.0}};
    const MidiTimes times(midi.tempi);
    for (const TimedNote& note : playing.strokes) {
        midi.notes.push_back(
            {times.placeAt(note.at),
             times.placeAt(note.length),
             note.key,
             note.velocity,
             note.channel}
        );
    }
    return writeMidi(midi, path);
}

// Takes without a tempo, and a guide.
Result<Song> freeSong(Hertz rate, const std::filesystem::path& folder)
{
    Song song;
    song.rate = rate;
    const FreePlaying dulcimer = playDulcimer(rate);
    std::vector<ImportedTake> takes;
    for (const FreePlaying& playing : {dulcimer, playFrameDrum(rate)}) {
        auto take = writeTake(playing.name, playing.sound, rate, folder);
        if (!take) {
            return tl::unexpected(take.error());
        }
        takes.push_back({std::move(*take), false});
    }
    if (auto written = writeGuide(dulcimer, folder / kGuideName); !written) {
        return tl::unexpected(written.error());
    }
    auto guide = readGuide(folder / kGuideName);
    if (!guide) {
        return tl::unexpected(guide.error());
    }
    auto next = addTakes(song, std::move(takes));
    return next ? takeGuide(*next, std::move(*guide)) : next;
}

Result<void> write(Song song, std::string_view name, const std::filesystem::path& folder)
{
    song.name = name;
    const SongDocument document{
        History(std::move(song), "Demo song"), {std::make_shared<const std::string>(kMark)}};
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
    auto free = freeSong(settings.rate, absolute);
    if (!free) {
        return tl::unexpected(free.error());
    }
    if (auto saved = write(std::move(*free), kFreeName, folder); !saved) {
        return tl::unexpected(saved.error());
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
