#pragma once

#include "core/base/Result.h"
#include "core/time/TempoMap.h"

#include <filesystem>
#include <map>
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
};

// Reads formats 0 and 1 in metrical time. Errors: BadInput for anything else, however damaged.
[[nodiscard]] Result<MidiFile> readMidi(const std::filesystem::path& path);
// Writes format 0 at 960 ticks a quarter note. Errors: Failed.
[[nodiscard]] Result<void> writeMidi(const MidiFile& midi, const std::filesystem::path& path);

}  // namespace orthochron
