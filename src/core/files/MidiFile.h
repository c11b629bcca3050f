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
    int channel = 9;     // 0..15; 9 is that of drums

    bool operator==(const MidiNote&) const = default;
};

// Notes in a track of their own.
struct MidiPart {
    std::string name;
    std::vector<MidiNote> notes;
};

// What is read from, and written to, a Standard MIDI File.
struct MidiFile {
    std::vector<TempoPoint> tempi;                // ascending; empty where the file says none
    std::vector<std::pair<Beats, Meter>> meters;  // ascending
    std::vector<MidiNote> notes;                  // ascending; read: those of all tracks
    std::vector<std::pair<Beats, std::string>> markers;  // ascending
    std::vector<MidiPart> parts;  // written after the others (format 1 only); read: none
};

// When what a file holds is played, from its beginning.
class MidiTimes {
public:
    // What is before the first tempo, and all of a file that says none, runs at 120 bpm.
    explicit MidiTimes(const std::vector<TempoPoint>& tempi);

    [[nodiscard]] Seconds timeAt(Beats place) const;
    [[nodiscard]] Beats placeAt(Seconds time) const;

private:
    struct Knot {
        Beats place;
        Seconds time;
        double bpm;
    };
    std::vector<Knot> knots_;  // ascending, at least one
};

// How the events of a file are divided: all in one track (format 0), or tempo, meters and markers in a first
// and the notes in a second (format 1).
enum class MidiTracks { One, TempoAndNotes };

// Reads formats 0 and 1 in metrical time. Errors: BadInput for anything else, however damaged, and for several pieces
// in one file (format 2).
[[nodiscard]] Result<MidiFile> readMidi(const std::filesystem::path& path);

// Of what is written: every place is rounded to the nearest.
constexpr int kTicksOfQuarter = 960;

// Errors: Failed.
[[nodiscard]] Result<void> writeMidi(
    const MidiFile& midi, const std::filesystem::path& path, MidiTracks tracks = MidiTracks::One
);

}  // namespace orthochron
