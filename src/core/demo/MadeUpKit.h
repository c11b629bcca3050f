#pragma once

#include "core/demo/KitRecording.h"

#include <cstdint>

namespace orthochron::demo {

// A kit, a player and microphones as the seed has it: swelling kicks, answering wires, soft
// strokes that are dull, walls. One microphone stands at each drum but the cymbals, in the order
// kick, snare, tom, floor tom, and one at the hat for every second kit; then two above and one in the room.
struct MadeUpKit {
    DrummerSettings drummer;
    RecordingSettings recording;
};
[[nodiscard]] MadeUpKit madeUpKit(std::uint64_t seed);

// Whether it stands at a drum, not above the kit or in the room.
[[nodiscard]] bool isClose(const Microphone& microphone);

// The drum that a microphone of a made-up kit stands at.
[[nodiscard]] Drum drumAt(const Microphone& microphone);

}  // namespace orthochron::demo
