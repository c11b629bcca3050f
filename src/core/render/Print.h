#pragma once

#include "core/audio/SoundFile.h"
#include "core/base/Work.h"
#include "core/render/Render.h"

#include <filesystem>
#include <optional>
#include <string>
#include <vector>

namespace orthochron {

struct PrintSettings {
    Frames from;  // song time
    Frames to;    // past the last frame
    PrintFormat format = PrintFormat::Wav24;
    bool dither = false;
};

struct PrintedFile {
    std::filesystem::path path;
    double peak = 0.0;         // linear
    std::int64_t clipped = 0;  // samples over full scale in a whole-number format
};

// Writes the stereo mix of what is heard. Nothing is changed in level. A failed or stopped print
// leaves no file. Errors: BadInput, Failed, Cancelled; BadArgument when it would land on a take, a
// song or what is no regular file.
[[nodiscard]] Result<PrintedFile> printMix(
    const Song& song,
    const Sources& sources,
    const std::filesystem::path& path,
    const PrintSettings& settings,
    const Work& work = {}
);

// Writes each of the tracks to its path, as deep as it says: trimmed to the range, all of one length. Either all files are put in place or none.
struct TrackPrint {
    TrackId track;
    std::filesystem::path path;
    int sameAs = 0;  // format code, for PrintFormat::Same
    // None: a stem, with its level line and hushes, without its level and pan.
    std::optional<PrintDepth> depth = std::nullopt;
};
[[nodiscard]] Result<std::vector<PrintedFile>> printTracks(
    const Song& song,
    const Sources& sources,
    const std::vector<TrackPrint>& tracks,
    const PrintSettings& settings,
    const Work& work = {}
);

// Where the tracks of a set are printed to: "NAME print N", N the first of which there is no file yet
// for any of them, so that nothing is replaced.
[[nodiscard]] std::vector<TrackPrint> printFiles(
    const Song& song,
    SetId set,
    PrintDepth depth,
    const std::filesystem::path& folder,
    PrintFormat format
);

// The file names tracks are printed under, in the order of the lanes: each track's name with what
// file systems refuse replaced, its number before it where another track has that name.
[[nodiscard]] std::vector<std::string> printNames(const Song& song, PrintFormat format);

}  // namespace orthochron
