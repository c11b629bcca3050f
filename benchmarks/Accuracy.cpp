#include <fmt/format.h>

#include "core/demo/KitRecording.h"
#include "core/onset/OnsetDetector.h"

#include <cmath>

// How well the hits of made-up kits are found: F at ±10 ms for each close microphone, among the
// bleed of all eight, printed as a table. docs/benchmarks.md quotes it.
namespace orthochron {
namespace {

struct NamedKit {
    const char* name = nullptr;
    demo::DrummerSettings drummer;
    demo::RecordingSettings recording;
};

NamedKit
kit(const char* name,
    std::uint64_t seed,
    double bpm,
    double rate,
    const demo::KitTuning& tuning,
    double bleedDecibels,
    double noiseDecibels = -74.0)
{
    NamedKit made{name, {}, {}};
    made.drummer.seed = seed;
    made.drummer.bpm = bpm;
    made.recording = {Hertz(rate), tuning, noiseDecibels, bleedDecibels};
    return made;
}

std::vector<NamedKit> kits()
{
    return {
        {"demo", {}, {}},
        kit("128 bpm", 5, 128.0, 44100.0, {68.0, 225.0, 140.0, 0.7}, 0.0, -68.0),
        kit("84 bpm", 101, 84.0, 48000.0, {50.0, 160.0, 80.0, 1.0}, 0.0),
        kit("140 bpm, 96 kHz", 202, 140.0, 96000.0, {62.0, 240.0, 130.0, 1.5}, 0.0),
        kit("115 bpm, 22.05 kHz", 404, 115.0, 22050.0, {70.0, 180.0, 110.0, 1.2}, 0.0),
        kit("76 bpm, bleed -4 dB", 21, 76.0, 48000.0, {}, -4.0),
        kit("104 bpm, bleed +2 dB", 9, 104.0, 48000.0, {60.0, 200.0, 120.0, 1.0}, 2.0),
        kit("132 bpm, bleed +4 dB", 77, 132.0, 44100.0, {48.0, 170.0, 90.0, 1.4}, 4.0),
        kit("168 bpm, noise +19 dB", 303, 168.0, 48000.0, {55.0, 200.0, 150.0, 0.5}, 0.0, -55.0),
    };
}

// 2 * found / (played + marked).
double scoreOf(
    const std::vector<Onset>& onsets,
    const demo::KitPerformance& performance,
    std::size_t microphone,
    demo::Drum drum,
    Hertz rate
)
{
    std::vector<bool> used(onsets.size(), false);
    int played = 0;
    int found = 0;
    for (const demo::DemoHit& hit : performance.hits) {
        if (hit.drum != drum) {
            continue;
        }
        ++played;
        const auto& heardBy = demo::boathouseMicrophones()[microphone];
        const Seconds heard = demo::heardAt(heardBy, drum, hit.played);
        std::size_t best = onsets.size();
        double least = 0.010;
        for (std::size_t k = 0; k < onsets.size(); ++k) {
            const double off = std::abs((toSeconds(onsets[k].at, rate) - heard).count());
            if (!used[k] && off < least) {
                least = off;
                best = k;
            }
        }
        if (best < onsets.size()) {
            used[best] = true;
            ++found;
        }
    }
    return 2.0 * found / static_cast<double>(played + static_cast<int>(onsets.size()));
}

void print(const NamedKit& each)
{
    const auto performance = demo::performKit(each.drummer);
    const auto takes = *demo::recordKit(performance, each.recording);
    const Hertz rate = each.recording.rate;
    std::vector<BandEnvelope> envelopes;
    for (const AudioBuffer& take : takes) {
        envelopes.push_back(bandEnvelopeOf(take.channel(0), rate));
    }
    fmt::print("{:<24}", each.name);
    for (const auto& [microphone, drum] :
         {std::pair{std::size_t{0}, demo::Drum::Kick},
          std::pair{std::size_t{2}, demo::Drum::Snare},
          std::pair{std::size_t{4}, demo::Drum::Tom}}) {
        auto analysis = *analyseOnsets(takes[microphone].channel(0), rate);
        std::vector<const BandEnvelope*> others;
        for (std::size_t m = 0; m < envelopes.size(); ++m) {
            if (m != microphone) {
                others.push_back(&envelopes[m]);
            }
        }
        weighCandidates(analysis, others);
        const auto onsets = *pickOnsets(analysis.candidates, rate, {});
        fmt::print("{:>8.3f}", scoreOf(onsets, performance, microphone, drum, rate));
    }
    fmt::print("\n");
}

}  // namespace
}  // namespace orthochron

int main()
{
    fmt::print("{:<24}{:>8}{:>8}{:>8}\n", "F at 10 ms", "kick", "snare", "tom");
    for (const auto& kit : orthochron::kits()) {
        orthochron::print(kit);
    }
    return 0;
}
