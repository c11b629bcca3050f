#pragma once

#include "core/base/Result.h"
#include "core/time/TempoMap.h"

#include <filesystem>
#include <string>
#include <utility>
#include <vector>

namespace orthochron {

struct MidiNote {
    Beats at;  // from the file's beginning, in quarter notes
    Beats length{0.25};
    int key = 60;        // 0..127
    int velocity = 100;  // 1..127

    bool operator==(const MidiNote&) const = default;
};

// What is read from, and written to, a Standard MIDI File.
struct MidiFile {
    std::vector<TempoPoint> tempi;                // ascending; empty where the file says none
    std::vector<std::pair<Beats, Meter>> meters;  // ascending
    std::vector<MidiNote> notes;                  // ascending
    std::vector<std::pair<Beats, std::string>> markers;  // ascending
};

// How the events of a file are divided: all in one track (format 0), or tempo, meters and markers in a first
// and the notes in a second (format 1).
enum class MidiTracks { One, TempoAndNotes };

// Reads formats 0 and 1 in metrical time. Errors: BadInput for anything else, however damaged.
[[nodiscard]] Result<MidiFile> readMidi(const std::filesystem::path& path);

// Of what is written: every place is rounded to the nearest.
constexpr int kTicksOfQuarter = 960;

// Errors: Failed.
[[nodiscard]] Result<void> writeMidi(
    const MidiFile& midi, const std::filesystem::path& path, MidiTracks tracks = MidiTracks::One
);

}  // namespace orthochron
