#include <fmt/format.h>
#include <sys/resource.h>

#include "core/files/SongWriter.h"
#include "testkit/CutSong.h"

#include <chrono>
#include <cstdlib>
#include <filesystem>
#include <fstream>

// How large a song with its history gets, how long it takes to save and open, and what it takes in
// memory: orthochron_songs TRACKS CLIPS STEPS.
namespace orthochron {
namespace {

// One clip of every microphone is moved, and all later ones with it.
Song moved(const Song& song, std::size_t piece)
{
    Song next = song;
    for (const auto& old : song.tracks) {
        Track track = *old;
        for (std::size_t i = piece; i < track.clips.size(); ++i) {
            track.clips[i].at += Frames(3);
        }
        track.clips[piece].in.length += Frames(1);
        putTrack(next, std::move(track));
    }
    return next;
}

double megabytesUsed()
{
    std::ifstream status("/proc/self/statm");
    double pages = 0.0;
    status >> pages >> pages;
    return pages * 4096.0 / 1e6;
}

template<class Job>
double secondsOf(const Job& job)
{
    const auto start = std::chrono::steady_clock::now();
    job();
    return std::chrono::duration<double>(std::chrono::steady_clock::now() - start).count();
}

int run(int tracks, int clips, int steps)
{
    const auto file = std::filesystem::temp_directory_path() / "orthochron-songs.orthochron";
    SongDocument document{History(testkit::cutSong(tracks, clips)), {}, 1};
    SongWriter autosave;
    (void)autosave.whole(document);
    double slowest = 0.0;
    double appended = 0.0;
    for (int step = 0; step < steps; ++step) {
        Song next = moved(*document.history.song(), static_cast<std::size_t>(step * 37 % clips));
        slowest =
            std::max(slowest, secondsOf([&] { document.history.add(std::move(next), "Move"); }));
        appended = std::max(appended, secondsOf([&] { (void)autosave.more(document); }));
    }
    autosave = SongWriter();
    const double before = megabytesUsed();
    const double saved = secondsOf([&] { (void)saveSong(document, file); });
    const double opened = secondsOf([&] { (void)loadSong(file); });
    rusage usage{};
    getrusage(RUSAGE_SELF, &usage);
    fmt::print(
        "{} tracks of {} clips, {} steps: {:.1f} MB on the disk, {:.0f} MB in memory; saved in "
        "{:.2f} s, opened in {:.2f} s, at most {:.0f} MB meanwhile; a step added in {:.1f} ms, "
        "written down by the autosave in {:.0f} ms at most\n",
        tracks,
        clips,
        steps,
        static_cast<double>(std::filesystem::file_size(file)) / 1e6,
        before,
        saved,
        opened,
        static_cast<double>(usage.ru_maxrss) / 1e3,
        slowest * 1e3,
        appended * 1e3
    );
    std::filesystem::remove(file);
    return 0;
}

}  // namespace
}  // namespace orthochron

int main(int argc, char** argv)
{
    const auto number = [&](int place, int usual) {
        return argc > place ? std::max(1, std::atoi(argv[place])) : usual;
    };
    return orthochron::run(number(1, 24), number(2, 1000), number(3, 200));
}
