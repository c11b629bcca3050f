#include <aubio/aubio.h>
#include <fmt/format.h>

#include "core/demo/KitRecording.h"
#include "core/onset/OnsetDetector.h"
#include "core/tempo/MapDraft.h"

#include <cmath>
#include <span>
#include <tuple>

// How well the hits of made-up kits are found: F at ±10 ms for each close microphone, among the
// bleed of all eight; and how well made-up drummers without a click are followed; printed as tables. docs/benchmarks.md quotes it.
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

// ---- players who hear no click: beats and bars of their maps, beside aubio's beats

struct Followed {
    double beats = 0.0;     // F at 70 ms
    double bars = 0.0;      // of the true first beats of bars: a bar line within 10 ms
    double doubtful = 0.0;  // of the bar lines
    double byAubio = 0.0;   // F at 70 ms, of its beats
};

double beatsFound(const std::vector<Seconds>& truth, const std::vector<Seconds>& found)
{
    constexpr double kNear = 0.07;
    std::vector<bool> used(found.size(), false);
    int right = 0;
    for (const Seconds beat : truth) {
        for (std::size_t k = 0; k < found.size(); ++k) {
            if (!used[k] && std::abs((found[k] - beat).count()) < kNear) {
                used[k] = true;
                ++right;
                break;
            }
        }
    }
    return truth.empty() ? 0.0 : 2.0 * right / static_cast<double>(truth.size() + found.size());
}

std::vector<Seconds> aubioBeats(std::span<const float> sound, Hertz rate)
{
    constexpr std::size_t kHop = 512;
    aubio_tempo_t* tempo =
        new_aubio_tempo("default", 1024, kHop, static_cast<std::uint32_t>(rate.count()));
    fvec_t* in = new_fvec(kHop);
    fvec_t* out = new_fvec(1);
    std::vector<Seconds> beats;
    for (std::size_t from = 0; from + kHop <= sound.size(); from += kHop) {
        std::copy_n(sound.begin() + static_cast<std::ptrdiff_t>(from), kHop, in->data);
        aubio_tempo_do(tempo, in, out);
        if (out->data[0] != 0.0F) {
            beats.push_back(Seconds(static_cast<double>(aubio_tempo_get_last_s(tempo))));
        }
    }
    del_fvec(in);
    del_fvec(out);
    del_aubio_tempo(tempo);
    return beats;
}

Followed follow(double bpm, double wander, double slowing, double swing)
{
    constexpr Hertz kRate{48000.0};
    auto performance = demo::performKit(
        {.bpm = bpm, .bars = 32, .looseness = 0.3, .swing = swing, .wanderOff = Seconds(0.0)}
    );
    std::vector<Seconds> truth = demo::playFreely(performance, {wander, slowing});
    truth.pop_back();  // nothing is played on the last
    const auto takes = *demo::recordKit(performance, {});
    const auto sound = takes[5].channel(0);
    const std::vector<Channel> channels{channelOver(sound)};
    const MapDraft draft = *draftMap(channels, kRate, {});
    std::vector<Seconds> beats;
    std::vector<Seconds> lines;
    Followed result;
    for (const DraftBeat& beat : draft.beats) {
        beats.push_back(beat.at);
        if (beat.beat == 1) {
            lines.push_back(beat.at);
            result.doubtful += beat.confidence < kDoubtfulBar ? 1.0 : 0.0;
        }
    }
    result.doubtful /= static_cast<double>(std::max<std::size_t>(lines.size(), 1));
    result.beats = beatsFound(truth, beats);
    result.byAubio = beatsFound(truth, aubioBeats(sound, kRate));
    for (std::size_t k = 0; k < truth.size(); k += 4) {
        const bool isThere = std::ranges::any_of(lines, [&](Seconds line) {
            return std::abs((line - truth[k]).count()) < 0.01;
        });
        result.bars += isThere ? 4.0 / static_cast<double>(truth.size()) : 0.0;
    }
    return result;
}

void printFollowed()
{
    fmt::print(
        "\n{:<38}{:>8}{:>8}{:>10}{:>8}\n",
        "free takes: F of beats, bars at 10 ms",
        "beats",
        "bars",
        "doubtful",
        "aubio"
    );
    for (const double bpm : {72.0, 92.0, 118.0, 147.0}) {
        for (const auto& [wander, slowing, swing] :
             {std::tuple{0.03, 0.0, 50.0},
              std::tuple{0.06, 0.25, 54.0},
              std::tuple{0.05, 0.2, 62.0}}) {
            const Followed each = follow(bpm, wander, slowing, swing);
            fmt::print(
                "{:<38}{:>8.3f}{:>8.3f}{:>10.3f}{:>8.3f}\n",
                fmt::format(
                    "{:g} bpm, wanders {:g} %, slows {:g} %, swing {:g}",
                    bpm,
                    100.0 * wander,
                    100.0 * slowing,
                    swing
                ),
                each.beats,
                each.bars,
                each.doubtful,
                each.byAubio
            );
        }
    }
}

}  // namespace
}  // namespace orthochron

int main()
{
    fmt::print("{:<24}{:>8}{:>8}{:>8}\n", "F at 10 ms", "kick", "snare", "tom");
    for (const auto& kit : orthochron::kits()) {
        orthochron::print(kit);
    }
    orthochron::printFollowed();
    return 0;
}
