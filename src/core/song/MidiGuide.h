#pragma once

#include "core/time/Units.h"

#include <string>
#include <vector>

namespace orthochron {

// A note as it sounds, whatever bars it was written in.
struct TimedNote {
    Seconds at;  // song time
    Seconds length{0.1};
    int key = 60;        // 0..127
    int velocity = 100;  // 1..127
    int channel = 0;     // 0..15

    bool operator==(const TimedNote&) const = default;
};

// What somebody played into a MIDI file, laid beside the takes at its true times: bar lines are brought to it, and
// it is written out again on the bars it got. It makes no sound.
struct MidiGuide {
    std::string name;
    std::vector<TimedNote> notes;  // ascending by `at`

    bool operator==(const MidiGuide&) const = default;
    // When something begins, each moment once: notes of a chord, up to 15 ms apart, begin with the first of them.
    [[nodiscard]] std::vector<Seconds> starts() const;
};

// Notes that go into a file of bars beside them.
struct TimedPart {
    std::string name;
    std::vector<TimedNote> notes;  // ascending by `at`
};

constexpr std::size_t kMostGuideNotes = 200'000;
constexpr Seconds kLatestGuideNote{86'400.0};  // a day

}  // namespace orthochron
