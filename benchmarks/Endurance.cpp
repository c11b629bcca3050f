#include <fmt/format.h>
#include <malloc.h>

#include "core/demo/DemoSong.h"
#include "core/edits/StretchEdits.h"
#include "core/edits/TakeEdits.h"
#include "engine/device/SimulatedDevice.h"
#include "engine/playback/Player.h"

#include <chrono>
#include <cstdlib>
#include <filesystem>
#include <fstream>

// Plays 32 tracks of a thousand clips each, one stretched as hits and one as a blend, on the simulated card in real
// time, with seeks and edits, and says how many blocks came short and how much memory it took.
// Usage: orthochron_endurance [MINUTES]
namespace orthochron {
namespace {

namespace fs = std::filesystem;

constexpr int kTracks = 32;
constexpr std::int64_t kClips = 1000;

Song songOf(const std::vector<fs::path>& takes, const fs::path& folder)
{
    Song song;
    for (int t = 0; t < kTracks; ++t) {
        const auto& path = takes[static_cast<std::size_t>(t) % takes.size()];
        song = *addTakes(song, {{*takeFromFile(path, song.rate, folder), false}});
        if (t < 2) {
            const Material material = t == 0 ? Material::Hits : Material::Blend;
            song = *stretchClips(
                song, {song.tracks.back()->clips[0].id}, {.material = material, .ratio = 1.03}
            );
        }
        Track track = *song.tracks.back();
        const Clip whole = track.clips[0];
        track.clips.clear();
        const std::int64_t length = whole.length.count() / kClips;
        for (std::int64_t i = 0; i < kClips; ++i) {
            Clip clip = whole;
            clip.id = ClipId{++song.lastId};
            clip.part = PartId{clip.id.value};
            clip.at = Frames(i * length);
            clip.soundStart = Frames(i * length + (i % 7) * 10);
            clip.length = Frames(length + 240);
            clip.in.length = Frames(i > 0 ? 240 : 0);
            clip.out.length = Frames(240);
            track.clips.push_back(clip);
        }
        putTrack(song, std::move(track));
    }
    return song;
}

// The most memory the process ever held, in MB, as the system counts it.
double peakMegabytes()
{
    std::ifstream status("/proc/self/status");
    for (std::string line; std::getline(status, line);) {
        if (line.rfind("VmHWM:", 0) == 0) {
            return std::atof(line.c_str() + 6) / 1024.0;
        }
    }
    return 0.0;
}

int run(double minutes)
{
    const fs::path folder = fs::temp_directory_path() / "orthochron-endurance";
    const auto takes = demo::writeKitTakes(demo::performKit({.bars = 115}), {}, folder);
    if (!takes) {
        fmt::print(stderr, "{}\n", takes.error().message);
        return 1;
    }
    Song song = songOf(*takes, folder);
    const auto sources = Sources::open(song, folder);
    // What it took to make the takes is not counted.
    malloc_trim(0);
    std::ofstream("/proc/self/clear_refs") << "5";
    const double before = peakMegabytes();
    engine::Player player(std::make_unique<engine::SimulatedDevice>());
    player.setSong(std::make_shared<const Song>(song), *sources);
    player.setLoop(engine::LoopRange{Frames(0), song.length()});
    player.play();
    const auto end = std::chrono::steady_clock::now() +
                     std::chrono::duration_cast<std::chrono::steady_clock::duration>(
                         std::chrono::duration<double>(minutes * 60.0)
                     );
    for (int round = 0; std::chrono::steady_clock::now() < end; ++round) {
        std::this_thread::sleep_for(std::chrono::seconds(2));
        // A user at work: every so often another place, another level.
        if (round % 10 == 9) {
            player.seek(Frames((round * 7919LL * 480) % song.length().count()));
        } else if (round % 5 == 4) {
            const TrackId track = song.tracks[static_cast<std::size_t>(round % kTracks)]->id;
            song = *changeMix(song, track, {.gainDecibels = -static_cast<double>(round % 12)});
            player.setSong(std::make_shared<const Song>(song), *sources);
        }
    }
    fmt::print(
        "{:g} minutes, {} tracks, two of them stretched, {} clips each: {} blocks short; {:.0f} MB "
        "before playing, {:.0f} "
        "MB at most\n",
        minutes,
        kTracks,
        kClips,
        player.dropouts(),
        before,
        peakMegabytes()
    );
    player.stop();
    fs::remove_all(folder);
    return player.dropouts() == 0 ? 0 : 1;
}

}  // namespace
}  // namespace orthochron

int main(int argc, char** argv)
{
    const double minutes = argc > 1 ? std::atof(argv[1]) : 10.0;
    return orthochron::run(minutes > 0.0 ? minutes : 10.0);
}
