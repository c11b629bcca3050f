#pragma once

#include "core/base/Work.h"
#include "core/demo/KitRecording.h"
#include "core/files/SongFile.h"

#include <filesystem>
#include <string_view>
#include <vector>

namespace orthochron::demo {

constexpr std::string_view kSongName = "Lantern Weir";
constexpr std::string_view kShapedName = "Lantern Weir, shaped";
constexpr std::string_view kFreeName = "Slack Water";

// Writes the made-up takes (24-bit WAV) and the song file into a folder, which is made if needed; a
// second song on the same takes with an alto and a double bass, a level line, a hush and a spin-down; and a
// third whose bars and tempi are to be found: a dulcimer played freely, what it played as a MIDI guide, and a
// loop of a frame drum.
// Only a new or empty folder is written to, or one that holds a demo song from here that nobody
// edited. Gives the song's path. Errors: BadArgument for any other folder; Failed, Cancelled.
[[nodiscard]] Result<std::filesystem::path>
writeDemoSong(const std::filesystem::path& folder, const Work& work = {});

// The takes of a performance as files, named after the microphones. For tests of other kits.
[[nodiscard]] Result<std::vector<std::filesystem::path>> writeKitTakes(
    const KitPerformance& performance,
    const RecordingSettings& settings,
    const std::filesystem::path& folder,
    const Work& work = {}
);

}  // namespace orthochron::demo
