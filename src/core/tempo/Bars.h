#pragma once

#include <cstddef>
#include <optional>
#include <span>
#include <vector>

namespace orthochron {

// What is heard at a beat, in units of its own: only how it compares with the other beats counts.
struct BeatSound {
    double low = 0.0;     // what begins in the lowest band: kick, bass
    double middle = 0.0;  // in the next
    double high = 0.0;    // in the highest: snare wires, hats
    double chord = 0.0;   // how much the notes change, see Chroma::change
};

// A beat's place in its bar.
struct BarPlace {
    int bar = 1;   // the first whole bar is 1, or the one that was given
    int beat = 0;  // from 0
    int beatsInBar = 4;
    double sureness = 0.0;  // 0..1: that bars are counted rightly there

    bool operator==(const BarPlace&) const = default;
};

// Counts beats into bars of `beatsInBar`. A bar begins where low sounds begin and chords change; where four
// are counted, high ones answer on the second and fourth. Bars of three or four are found where the music
// changes to them for several bars. `firstDownbeat`, the index of a beat, begins bar 1.
[[nodiscard]] std::vector<BarPlace> countBars(
    std::span<const BeatSound> beats, int beatsInBar, std::optional<std::size_t> firstDownbeat
);

}  // namespace orthochron
