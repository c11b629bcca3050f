#pragma once

#include "core/audio/AudioBuffer.h"
#include "core/base/Result.h"
#include "core/base/Work.h"
#include "core/demo/DrumVoices.h"

#include <array>
#include <functional>
#include <string>
#include <vector>

namespace orthochron::demo {

// A drum as a microphone hears it.
struct Path {
    double metres = 1.0;
    double decibels = 0.0;
    double lowPassHertz = 20000.0;
};

struct Microphone {
    std::string name;
    std::array<Path, kDrums> paths;  // by Drum; nobody plays a floor tom in the boathouse
    double polarity = 1.0;
    double roomDecibels = -60.0;   // the boathouse's reverberation in this microphone
    double wallDecibels = -200.0;  // of the kit's first echoes from the walls
};

// The eight microphones of the boathouse, in the order of the takes: kick in, kick out, snare
// top, snare under, tom, over left, over right, room.
[[nodiscard]] const std::array<Microphone, 8>& boathouseMicrophones();

// When `microphone` hears the start of a blow that lands at `played`.
[[nodiscard]] Seconds heardAt(const Microphone& microphone, Drum drum, Seconds played);

struct RecordingSettings {
    Hertz rate{48000.0};
    KitTuning tuning;
    double noiseDecibels = -74.0;         // RMS of each microphone's own noise, re full scale
    double bleedDecibels = 0.0;           // added to every path that is no microphone's own drum
    std::vector<Microphone> microphones;  // those of the boathouse when there are none
    // What a blow sounds like before it is livened; the synthesiser's when there is none. Asked by several threads at
    // once, each with a drum and a generator of its own.
    std::function<std::vector<float>(const DemoHit& hit, Random& random)> plainBlow;
};

// One mono buffer for each microphone, all of one length. Deterministic. Errors: Cancelled.
[[nodiscard]] Result<std::vector<AudioBuffer>> recordKit(
    const KitPerformance& performance, const RecordingSettings& settings, const Work& work = {}
);

}  // namespace orthochron::demo
