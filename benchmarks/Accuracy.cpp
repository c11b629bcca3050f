#include <aubio/aubio.h>
#include <fmt/format.h>

#include "core/demo/DrumVoices.h"
#include "core/demo/KitRecording.h"
#include "core/onset/OnsetDetector.h"
#include "core/tempo/MapDraft.h"
#include "core/tempo/Tempo.h"

#include <array>
#include <cmath>
#include <numbers>
#include <span>
#include <tuple>

// How well the hits of made-up kits are found: F at ±10 ms for each close microphone, among the
// bleed of all eight; how well made-up drummers without a click are followed; and how
// loops of patterns made up by chance are counted; printed as tables. docs/benchmarks.md quotes it.
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

constexpr Hertz kLoopRate(44100.0);

// A loop of a few bars that are alike but for some steps, and what it was played at.
struct Loop {
    double bpm = 0.0;
    bool isExact = false;  // seamless; others have silence behind or lack a part of the last beat
    std::vector<float> sound;
};

enum class LoopKind { Drums, Plucked, Both };

void addSound(std::vector<float>& loop, std::span<const float> sound, double seconds)
{
    const auto from = static_cast<std::size_t>(std::max(seconds, 0.0) * kLoopRate.count());
    for (std::size_t i = 0; i < sound.size() && from + i < loop.size(); ++i) {
        loop[from + i] += sound[i];
    }
}

std::vector<float> pluck(double hertz, double level, double seconds)
{
    std::vector<float> sound(static_cast<std::size_t>(seconds * kLoopRate.count()));
    for (std::size_t i = 0; i < sound.size(); ++i) {
        const double time = static_cast<double>(i) / kLoopRate.count();
        double value = 0.0;
        for (int k = 1; k <= 6; ++k) {
            value +=
                std::sin(2.0 * std::numbers::pi * k * hertz * time) * std::exp(-k * time * 3.0) / k;
        }
        const double left = std::min((seconds - time) / 0.01, 1.0);
        sound[i] = static_cast<float>(level * left * value * (1.0 - std::exp(-time / 0.001)));
    }
    return sound;
}

// Which of a bar's steps are struck: most often the beats, seldom what lies between halves of them.
std::vector<int> madeUpPattern(int steps, bool isSlow, demo::Random& random)
{
    std::vector<int> pattern;
    for (int step = 0; step < steps; ++step) {
        const double odds = step % 4 == 0 ? 0.6 : step % 2 == 0 ? 0.4 : isSlow ? 0.18 : 0.1;
        if (step == 0 || random.even() < odds) {
            pattern.push_back(step);
        }
    }
    return pattern;
}

Loop madeUpLoop(LoopKind kind, demo::Random& random)
{
    constexpr std::array kBars{1, 2, 2, 4, 4, 8};
    constexpr std::array kRoots{0, -4, -2, -5};
    Loop loop;
    loop.bpm = 66.0 * std::exp2(random.between(0.0, 1.4));
    const int beats = random.even() < 0.8 ? 4 : 3;
    const int bars = kBars[static_cast<std::size_t>(random.between(0.0, 5.99))];
    const double beat = 60.0 / loop.bpm;
    const double late = random.even() < 0.2 ? random.between(0.03, 0.08) : 0.0;  // of a beat: swung
    const double length = bars * beats * beat;
    const double end = random.even();
    loop.isExact = end < 0.65;
    const double lasts = loop.isExact ? length
                         : end < 0.82 ? length + random.between(0.2, 0.6) * beats * beat
                                      : length - random.between(0.15, 0.6) * beat;
    loop.sound.resize(static_cast<std::size_t>(std::llround(lasts * kLoopRate.count())));
    const bool isSlow = loop.bpm < 100.0;
    const auto kicks = madeUpPattern(4 * beats, isSlow, random);
    std::array<std::vector<int>, 2> notes;
    for (auto& each : notes) {
        each = madeUpPattern(4 * beats, isSlow, random);
    }
    const int hats = isSlow && random.even() < 0.5 ? 1 : 2;
    const double low = random.between(40.0, 120.0);
    const auto blow = [&](demo::Drum drum, double velocity) {
        return demo::soundOf(drum, velocity, kLoopRate, {}, random);
    };
    const auto kick = blow(demo::Drum::Kick, 0.8);
    const auto snare = blow(demo::Drum::Snare, 0.8);
    const auto loudHat = blow(demo::Drum::Hat, 0.5);
    const auto softHat = blow(demo::Drum::Hat, 0.3);
    for (int bar = 0; bar < bars; ++bar) {
        const auto placeOf = [&](int step) {
            return (bar * beats + 0.25 * step + (step % 2 == 1 ? late : 0.0)) * beat +
                   0.003 * random.bell();
        };
        if (kind != LoopKind::Plucked) {
            for (const int step : kicks) {
                addSound(loop.sound, kick, placeOf(step));
            }
            for (int step = 4; step < 4 * beats; step += 8) {
                addSound(loop.sound, snare, placeOf(step));
            }
            for (int step = 0; step < 4 * beats; step += hats) {
                addSound(loop.sound, step % 4 == 0 ? loudHat : softHat, placeOf(step));
            }
        }
        if (kind != LoopKind::Drums) {
            const double root = low * std::exp2(kRoots[static_cast<std::size_t>(bar % 4)] / 12.0);
            for (const int step : notes[random.even() < 0.7 ? 0 : 1]) {
                addSound(
                    loop.sound, pluck(root, step == 0 ? 0.3 : 0.22, 0.9 * beat), placeOf(step)
                );
            }
        }
    }
    return loop;
}

// Of so many loops the part that is counted as it was played, so or at half or double, and of the seamless ones to a
// thousandth.
void printLoops()
{
    constexpr int kLoops = 200;
    fmt::print(
        "\n{:<24}{:>8}{:>16}{:>12}\n", "tempo of loops", "right", "half or double", "to 0.1 %"
    );
    for (const auto& [name, kind] :
         {std::pair{"drums", LoopKind::Drums},
          std::pair{"plucked", LoopKind::Plucked},
          std::pair{"both", LoopKind::Both}}) {
        demo::Random random(7001);
        int right = 0;
        int octave = 0;
        int exact = 0;
        int seamless = 0;
        for (int n = 0; n < kLoops; ++n) {
            const Loop loop = madeUpLoop(kind, random);
            const auto found = findTempo(channelOver(loop.sound), kLoopRate);
            const double said = found && !found->readings.empty() ? found->readings[0].bpm : 0.0;
            const auto isNear = [&](double times, double off) {
                return std::abs(said * times / loop.bpm - 1.0) < off;
            };
            right += isNear(1.0, 0.04) ? 1 : 0;
            octave += isNear(1.0, 0.04) || isNear(2.0, 0.04) || isNear(0.5, 0.04) ? 1 : 0;
            seamless += loop.isExact ? 1 : 0;
            exact += loop.isExact && isNear(1.0, 0.001) ? 1 : 0;
        }
        const auto part = [](int of, int all) { return static_cast<double>(of) / all; };
        fmt::print(
            "{:<24}{:>8.3f}{:>16.3f}{:>12.3f}\n",
            name,
            part(right, kLoops),
            part(octave, kLoops),
            part(exact, seamless)
        );
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
    orthochron::printLoops();
    return 0;
}
