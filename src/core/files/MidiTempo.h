#pragma once

#include "core/song/MidiGuide.h"
#include "core/time/TempoMap.h"

#include <filesystem>
#include <span>

namespace orthochron {

// Reads tempi and meters of a Standard MIDI File (format 0 or 1, metrical time). Its beginning is
// bar 1, `offset` after the song's start, unless it has a marker "bar 1" as those we write have. Where it says
// no meter, `meter` holds. Ticks are read as quarter notes divided by the file's division. A tempo that differs
// from the one before only to correct its rounding is no point of its own.
// Errors: BadInput for anything that is no such file.
[[nodiscard]] Result<TempoMap>
readMidiTempo(const std::filesystem::path& path, Meter meter, Seconds offset);

// Errors: BadArgument for a name that does not end in .mid or .midi: a map never takes the place of a take.
[[nodiscard]] Result<void> checkMidiName(const std::filesystem::path& path);

// Writes a map up to `end`, song time, as format 1 with a click track; the file begins with the song, what lies
// before its first bar line is a bar of its own, and bar 1 has a marker, as has a pick-up with a tempo of its own.
// A MIDI tempo is a whole number of microseconds to the quarter note and is always steady: each bar's is chosen to
// end where the bar ends, and a ramp is drawn in steps of a quarter note, so that bar lines are at most 20
// microseconds off.
// Errors: Failed; checkMidiName's; BadArgument for a map whose first bar line (or pick-up) in the song is so near
// its start that no tempo leads there (19 ms).
// What else is played can be laid beside it, each part in a track of its own: its notes sound at their song times, to
// half a tick; what begins before the song is left out.
[[nodiscard]] Result<void> writeMidiTempo(
    const TempoMap& map,
    Seconds end,
    const std::filesystem::path& path,
    std::span<const TimedPart> parts = {}
);

}  // namespace orthochron
