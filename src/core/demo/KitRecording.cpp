#include "core/demo/KitRecording.h"

#include <oneapi/tbb/parallel_for.h>

#include <cmath>
#include <numbers>

namespace orthochron::demo {

namespace {

constexpr double kSpeedOfSound = 343.0;  // m/s at 20 degrees

// A path this much nearer than the others is the microphone's own drum.
constexpr double kOwnMetres = 0.2;

// Keeps the filters of a silent path from falling into numbers that take a hundred times longer.
constexpr float kNeverDenormal = 1e-18F;

std::array<Microphone, 8> makeMicrophones()
{
    // Columns: kick, snare, tom, hat, ride, crash.
    return {{
        {"Kick in",
         {{{0.10, 0, 20000},
           {0.75, -22, 1800},
           {0.70, -23, 1600},
           {0.95, -34, 1500},
           {1.0, -36, 1500},
           {1.2, -34, 1500}}},
         1.0,
         -62},
        {"Kick out",
         {{{0.19, -4, 6000},
           {0.95, -20, 3500},
           {0.80, -20, 3000},
           {1.15, -28, 4000},
           {1.1, -30, 4000},
           {1.3, -28, 4000}}},
         1.0,
         -50},
        {"Snare top",
         {{{0.70, -22, 1500},
           {0.08, 0, 20000},
           {0.50, -20, 5000},
           {0.42, -19, 9000},
           {0.95, -28, 7000},
           {0.80, -24, 8000}}},
         1.0,
         -54},
        {"Snare under",
         {{{0.60, -21, 1500},
           {0.16, -3, 16000},
           {0.62, -24, 3000},
           {0.60, -27, 5000},
           {1.05, -32, 5000},
           {1.00, -29, 5000}}},
         -1.0,
         -56},
        {"Tom",
         {{{0.68, -22, 1500},
           {0.45, -20, 5000},
           {0.09, 0, 20000},
           {0.70, -26, 7000},
           {0.75, -25, 7000},
           {0.70, -23, 8000}}},
         1.0,
         -55},
        {"Over left",
         {{{1.35, -15, 3000},
           {1.02, -11, 12000},
           {1.15, -12, 10000},
           {0.85, -9, 18000},
           {1.30, -13, 14000},
           {0.80, -5, 18000}}},
         1.0,
         -32},
        {"Over right",
         {{{1.35, -15, 3000},
           {1.08, -11, 12000},
           {0.98, -11, 10000},
           {1.35, -13, 14000},
           {0.80, -9, 18000},
           {1.20, -7, 16000}}},
         1.0,
         -32},
        {"Room",
         {{{3.40, -18, 2500},
           {3.30, -16, 7000},
           {3.35, -17, 6000},
           {3.30, -19, 9000},
           {3.45, -19, 9000},
           {3.40, -15, 9000}}},
         1.0,
         -16},
    }};
}

// What a microphone hears of a dry sound: delayed, duller, quieter.
struct Heard {
    std::span<const float> dry;
    std::size_t delay = 0;
    float smooth = 1.0F;
    float level = 0.0F;
};

Heard heardOver(std::span<const float> dry, const Path& path, double gain, double rate)
{
    const bool isBright = path.lowPassHertz >= 0.4 * rate;
    return {
        dry,
        static_cast<std::size_t>(std::llround(path.metres / kSpeedOfSound * rate)),
        static_cast<float>(
            isBright ? 1.0 : -std::expm1(-2.0 * std::numbers::pi * path.lowPassHertz / rate)
        ),
        static_cast<float>(gain)};
}

// The first echo of each of six walls, of the whole kit: later and duller than the drums.
void addWalls(
    std::vector<Heard>& heard, std::span<const float> all, const Microphone& microphone, double rate
)
{
    constexpr std::array<double, 6> kMetres{2.3, 2.9, 3.5, 4.4, 5.2, 6.7};
    for (const double metres : kMetres) {
        const double gain = microphone.wallDecibels - 2.0 * metres;
        heard.push_back(heardOver(all, {metres, 0.0, 5000.0}, 0.5 * fromDecibels(gain), rate));
    }
}

// Adds some sounds frame by frame: each one's filter waits for its own frame before, and the others go on meanwhile.
template<std::size_t kTogether>
void addTogether(std::span<float> out, std::span<const Heard, kTogether> heard)
{
    std::array<float, kTogether> held{};
    std::array<float, kTogether> smooth{};
    std::array<float, kTogether> level{};
    std::array<const float*, kTogether> dry{};
    std::size_t latest = 0;
    for (std::size_t k = 0; k < kTogether; ++k) {
        smooth[k] = heard[k].smooth;
        level[k] = heard[k].level;
        dry[k] = heard[k].dry.data();
        latest = std::max(latest, heard[k].delay);
    }
    const auto hear = [&](std::size_t k, std::size_t n) {
        held[k] += smooth[k] * (dry[k][n - heard[k].delay] - held[k]) + kNeverDenormal;
        return level[k] * held[k];
    };
    for (std::size_t n = 0; n < std::min(latest, out.size()); ++n) {
        for (std::size_t k = 0; k < kTogether; ++k) {
            out[n] += n >= heard[k].delay ? hear(k, n) : 0.0F;
        }
    }
    for (std::size_t n = latest; n < out.size(); ++n) {
        float sum = out[n];
        for (std::size_t k = 0; k < kTogether; ++k) {
            sum += hear(k, n);
        }
        out[n] = sum;
    }
}

void addHeard(std::span<float> out, std::span<const Heard> heard, const Work& work)
{
    constexpr std::size_t kTogether = 6;
    std::size_t k = 0;
    for (; k + kTogether <= heard.size() && !work.stopped(); k += kTogether) {
        addTogether<kTogether>(out, heard.subspan(k).first<kTogether>());
    }
    for (; k < heard.size() && !work.stopped(); ++k) {
        addTogether<1>(out, heard.subspan(k).first<1>());
    }
}

// A wooden room: eight echoes fed back through a rotation that loses nothing (Stautner and
// Puckette 1982, Jot 1991), each loop duller than the last.
std::vector<float> reverberation(std::span<const float> dry, double rate)
{
    constexpr std::array<double, 8> kMetres{3.1, 3.7, 4.3, 5.3, 6.1, 7.3, 8.3, 9.7};
    constexpr float kFeedback = 0.80F;  // about 0.6 s to -60 dB at these lengths
    std::array<std::vector<float>, 8> lines;
    std::array<std::size_t, 8> at{};
    std::array<float, 8> dull{};
    for (std::size_t i = 0; i < 8; ++i) {
        lines[i].assign(static_cast<std::size_t>(kMetres[i] / kSpeedOfSound * rate) + 1, 0.0F);
    }
    std::vector<float> out(dry.size());
    for (std::size_t n = 0; n < dry.size(); ++n) {
        std::array<float, 8> heard{};
        float sum = 0.0F;
        for (std::size_t i = 0; i < 8; ++i) {
            dull[i] += 0.45F * (lines[i][at[i]] - dull[i]) + kNeverDenormal;
            heard[i] = dull[i];
            sum += heard[i];
        }
        for (std::size_t i = 0; i < 8; ++i) {
            lines[i][at[i]] = dry[n] + kFeedback * (heard[i] - 0.25F * sum);
            at[i] = at[i] + 1 == lines[i].size() ? 0 : at[i] + 1;
        }
        out[n] = 0.35F * sum;
    }
    return out;
}

using DryDrums = std::array<std::vector<float>, kDrums>;

// A blow stops part of what its drum still rings, within a few milliseconds.
void damp(std::span<float> ringing, double part, double rate)
{
    constexpr Seconds kLongest{4.0};  // that any drum rings
    const auto settled = static_cast<std::size_t>(0.02 * rate);
    const auto length = std::min(ringing.size(), static_cast<std::size_t>(kLongest.count() * rate));
    const double settle = std::exp(-1.0 / (0.003 * rate));
    double missing = 1.0;
    for (std::size_t i = 0; i < length; ++i) {
        ringing[i] *= static_cast<float>(1.0 - part * (1.0 - missing));
        missing = i < settled ? missing * settle : 0.0;
    }
}

void add(std::span<float> track, std::span<const float> sound, std::size_t start)
{
    for (std::size_t i = 0; i < sound.size() && start + i < track.size(); ++i) {
        track[start + i] += sound[i];
    }
}

// The snare's wires answer every kick and tom, after its sound has reached them.
void addWires(
    std::span<float> snare, const KitPerformance& performance, const RecordingSettings& settings
)
{
    constexpr Seconds kWay = milliseconds(1.5);
    Random random(performance.settings.seed * 57);
    for (const DemoHit& hit : performance.hits) {
        if (hit.drum == Drum::Kick || hit.drum == Drum::Tom || hit.drum == Drum::FloorTom) {
            add(snare,
                wiresAnswering(hit.velocity, settings.rate, settings.tuning, random),
                static_cast<std::size_t>(toFrames(hit.played + kWay, settings.rate).count()));
        }
    }
}

std::vector<float> blow(const DemoHit& hit, const RecordingSettings& settings, Random& random)
{
    if (settings.plainBlow) {
        auto plain = settings.plainBlow(hit, random);
        return livened(
            std::move(plain), hit.drum, hit.velocity, settings.rate, settings.tuning, random
        );
    }
    if (hit.isByFoot) {
        return closedByFoot(hit.velocity, settings.rate, settings.tuning, random);
    }
    return soundOf(hit.drum, hit.velocity, settings.rate, settings.tuning, random);
}

DryDrums
playDry(const KitPerformance& performance, const RecordingSettings& settings, const Work& work)
{
    const double rate = settings.rate.count();
    const auto length = static_cast<std::size_t>(performance.length.count() * rate);
    DryDrums dry;
    tbb::parallel_for(0, kDrums, [&](int drum) {
        auto& track = dry[static_cast<std::size_t>(drum)];
        track.assign(length, 0.0F);
        Random random(performance.settings.seed * 31 + static_cast<std::uint64_t>(drum));
        for (const DemoHit& hit : performance.hits) {
            if (hit.drum != static_cast<Drum>(drum) || work.stopped()) {
                continue;
            }
            const auto sound = blow(hit, settings, random);
            const auto start = static_cast<std::size_t>(std::llround(hit.played.count() * rate));
            if (settings.tuning.lively.damping > 0.0 && start < length) {
                const double part = settings.tuning.lively.damping * std::min(1.0, hit.velocity);
                damp(std::span(track).subspan(start), part, rate);
            }
            add(track, sound, start);
        }
        if (static_cast<Drum>(drum) == Drum::Snare && settings.tuning.lively.wires > 0.0) {
            addWires(track, performance, settings);
        }
    });
    return dry;
}

}  // namespace

const std::array<Microphone, 8>& boathouseMicrophones()
{
    static const std::array<Microphone, 8> kMicrophones = makeMicrophones();
    return kMicrophones;
}

Seconds heardAt(const Microphone& microphone, Drum drum, Seconds played)
{
    return played +
           Seconds(microphone.paths[static_cast<std::size_t>(drum)].metres / kSpeedOfSound);
}

Result<std::vector<AudioBuffer>>
recordKit(const KitPerformance& performance, const RecordingSettings& settings, const Work& work)
{
    const double rate = settings.rate.count();
    const DryDrums dry = playDry(performance, settings, work);
    work.report(0.3);
    if (work.stopped()) {
        return cancelled();
    }
    const std::size_t length = dry[0].size();
    std::vector<float> all(length, 0.0F);
    for (const auto& drum : dry) {
        std::ranges::transform(all, drum, all.begin(), std::plus{});
    }
    const std::vector<float> wet = reverberation(all, rate);
    work.report(0.4);
    if (work.stopped()) {
        return cancelled();
    }
    const std::span<const Microphone> microphones =
        settings.microphones.empty() ? std::span<const Microphone>(boathouseMicrophones())
                                     : std::span<const Microphone>(settings.microphones);
    std::vector<AudioBuffer> takes(
        microphones.size(), AudioBuffer(1, Frames(static_cast<std::int64_t>(length)))
    );
    tbb::parallel_for(std::size_t{0}, microphones.size(), [&](std::size_t m) {
        const Microphone& microphone = microphones[m];
        const auto out = takes[m].channel(0);
        std::vector<Heard> heard;
        for (std::size_t drum = 0; drum < kDrums; ++drum) {
            const Path& path = microphone.paths[drum];
            const double bleed = path.metres > kOwnMetres ? settings.bleedDecibels : 0.0;
            const double gain = 0.5 * fromDecibels(path.decibels + bleed);
            heard.push_back(heardOver(dry[drum], path, gain, rate));
        }
        if (microphone.wallDecibels > -100.0) {
            addWalls(heard, all, microphone, rate);
        }
        const Path roomPath{2.5, 0.0, 9000.0};
        heard.push_back(heardOver(wet, roomPath, fromDecibels(microphone.roomDecibels), rate));
        addHeard(out, heard, work);
        if (work.stopped()) {
            return;
        }
        Random random(performance.settings.seed * 977 + m);
        const double noise = fromDecibels(settings.noiseDecibels);
        for (float& sample : out) {
            // Three even draws in place of a bell: as good for a noise floor, and quick.
            const double draw =
                random.between(-1.0, 1.0) + random.between(-1.0, 1.0) + random.between(-1.0, 1.0);
            sample = static_cast<float>(
                microphone.polarity * static_cast<double>(sample) + noise * draw
            );
        }
    });
    if (work.stopped()) {
        return cancelled();
    }
    work.report(1.0);
    return takes;
}

}  // namespace orthochron::demo
