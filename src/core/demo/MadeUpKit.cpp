#include "core/demo/MadeUpKit.h"

#include <fmt/format.h>

#include "core/demo/Random.h"

#include <algorithm>
#include <cmath>

namespace orthochron::demo {

namespace {

struct Place {
    double x, y, z;  // metres
};

// Hears all drums about as well as they are near.
Microphone distantMicrophone(
    std::size_t number, const Place& at, std::span<const Place> drums, double walls, Random& random
)
{
    Microphone microphone;
    microphone.name = fmt::format("Microphone {}", number);
    microphone.roomDecibels = at.y > 2.0 ? -18.0 : -34.0;
    microphone.wallDecibels = walls + 6.0;
    for (std::size_t drum = 0; drum < drums.size(); ++drum) {
        Path& path = microphone.paths[drum];
        path.metres = std::hypot(drums[drum].x - at.x, drums[drum].y - at.y, drums[drum].z - at.z);
        path.decibels = -20.0 * std::log10(path.metres) - 8.0 + random.between(-2.0, 2.0);
        path.lowPassHertz = random.between(9000.0, 18000.0);
    }
    return microphone;
}

}  // namespace

bool isClose(const Microphone& microphone)
{
    return std::ranges::min(microphone.paths, {}, &Path::metres).metres < 0.2;
}

Drum drumAt(const Microphone& microphone)
{
    const auto nearest = std::ranges::min_element(microphone.paths, {}, &Path::metres);
    return static_cast<Drum>(nearest - microphone.paths.begin());
}

MadeUpKit madeUpKit(std::uint64_t seed)
{
    Random random(seed * 7919 + 3);
    MadeUpKit kit;
    kit.drummer.seed = seed;
    kit.drummer.bpm = random.between(72.0, 172.0);
    kit.drummer.bars = static_cast<int>(kit.drummer.bpm / 7.0);  // about 35 s
    kit.drummer.looseness = random.between(0.5, 2.0);
    kit.drummer.swing = random.even() < 0.3 ? random.between(54.0, 64.0) : 50.0;
    kit.drummer.wanderBar = 1000;
    kit.drummer.mistakes = false;
    kit.drummer.isInventing = true;
    RecordingSettings& recording = kit.recording;
    recording.rate = Hertz(random.even() < 0.5 ? 44100.0 : 48000.0);
    recording.noiseDecibels = random.between(-80.0, -62.0);
    recording.tuning = {
        random.between(46.0, 72.0),
        random.between(150.0, 240.0),
        random.between(100.0, 160.0),
        random.between(0.5, 1.5),
        random.between(64.0, 92.0),
        {random.even() < 0.7 ? random.between(0.1, 0.55) : 0.0,
         milliseconds(random.between(70.0, 170.0)),
         random.even() < 0.6 ? random.between(0.1, 0.7) : 0.0,
         random.between(0.0, 0.3),
         random.even() < 0.6 ? random.between(0.1, 0.5) : 0.0,
         milliseconds(random.between(2.0, 5.0)),
         random.between(0.02, 0.12),
         random.between(0.5, 4.5),
         random.even() < 0.4 ? milliseconds(random.between(0.0, 10.0)) : Seconds(0.0),
         random.between(0.2, 0.8)}};
    std::array<Place, kDrums> drums{
        {{0.0, 0.0, 0.3},
         {-0.35, 0.5, 0.65},
         {-0.15, -0.05, 0.9},
         {-0.75, 0.3, 0.95},
         {0.6, -0.1, 1.1},
         {-0.7, -0.4, 1.4},
         {0.55, 0.45, 0.65}}};
    for (Place& drum : drums) {
        drum.x += random.between(-0.12, 0.12);
        drum.y += random.between(-0.12, 0.12);
    }
    const double deafness = random.between(4.0, 10.0);  // of a microphone to what is behind it, dB
    const double walls = random.between(-34.0, -20.0);
    std::vector<Drum> near{Drum::Kick, Drum::Snare, Drum::Tom, Drum::FloorTom};
    if (random.even() < 0.5) {
        near.push_back(Drum::Hat);
    }
    for (const Drum own : near) {
        const Place& at = drums[static_cast<std::size_t>(own)];
        const double close = random.between(0.06, 0.12);
        Microphone microphone;
        microphone.name = fmt::format("Microphone {}", recording.microphones.size() + 1);
        microphone.roomDecibels = random.between(-58.0, -44.0);
        microphone.wallDecibels = walls;
        for (std::size_t drum = 0; drum < kDrums; ++drum) {
            Path& path = microphone.paths[drum];
            const Place& from = drums[drum];
            const double way = std::hypot(from.x - at.x, from.y - at.y, from.z - at.z);
            const bool isOwn = drum == static_cast<std::size_t>(own);
            path.metres = isOwn ? close : std::max(way, 0.25);
            path.decibels = isOwn ? 0.0
                                  : -20.0 * std::log10(path.metres / 0.1) + 4.0 - deafness +
                                        random.between(-3.0, 3.0);
            path.lowPassHertz = isOwn ? 20000.0 : random.between(1500.0, 9000.0);
        }
        recording.microphones.push_back(microphone);
    }
    for (const Place& at : {Place{-0.7, 0.2, 1.9}, Place{0.7, 0.2, 1.9}, Place{0.3, 3.5, 1.4}}) {
        recording.microphones.push_back(
            distantMicrophone(recording.microphones.size() + 1, at, drums, walls, random)
        );
    }
    return kit;
}

}  // namespace orthochron::demo
