#pragma once

#include "core/files/MidiTempo.h"
#include "core/time/TempoMap.h"

#include <filesystem>
#include <span>

namespace orthochron {

// Writes where the beats of a map fall up to `end`, song time, by the ending of the name: .csv as a table of
// bar, beat, seconds (to a microsecond), bpm, meter and "pinned" where that place is; .json as
// {"first_downbeat", "beats": [{"bar", "beat", "seconds", "bpm", "pinned"}], "meters": [{"bar", "meter"}]}.
// What lies before bar 1 counts bars 0, -1 and so on. JSON also has "parts": [{"name", "notes": [{"seconds", "bar",
// "beat", "length_seconds", "key", "velocity", "channel"}]}], a beat counted from 1 with its fraction.
// Errors: BadArgument for another ending; Failed.
[[nodiscard]] Result<void> writeMapTable(
    const TempoMap& map,
    Seconds end,
    const std::filesystem::path& path,
    std::span<const TimedPart> parts = {}
);

}  // namespace orthochron
