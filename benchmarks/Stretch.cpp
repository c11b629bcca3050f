#include <fmt/format.h>
#include <rubberband/RubberBandStretcher.h>
#include <soundtouch/SoundTouch.h>

#include "core/audio/Fourier.h"
#include "core/demo/KitRecording.h"
#include "core/stretch/Attacks.h"
#include "core/stretch/StretchPlan.h"
#include "testkit/Voice.h"

#include <array>
#include <chrono>
#include <cmath>
#include <functional>
#include <numbers>

// Stretching against two libraries on the same sound: how far the result is from the same music made at
// the other tempo (drums), and how long it takes (drums, a voice). SoundTouch is measured here and
// linked nowhere else.
namespace orthochron {
namespace {

constexpr Hertz kRate{48000.0};
constexpr std::size_t kSize = 2048;
constexpr std::size_t kBands = 48;

using Stretcher = std::function<std::vector<float>(std::span<const float>, double ratio)>;

std::vector<float> byRubberBand(std::span<const float> sound, double ratio, int engine)
{
    using RubberBand::RubberBandStretcher;
    RubberBandStretcher stretcher(
        48000, 1, RubberBandStretcher::OptionProcessOffline | engine, ratio, 1.0
    );
    constexpr std::size_t kBlock = 4096;
    stretcher.setMaxProcessSize(kBlock);
    std::vector<float> made;
    const auto eachBlock = [&](const auto& give) {
        for (std::size_t at = 0; at < sound.size(); at += kBlock) {
            const float* in = sound.data() + at;
            const std::size_t count = std::min(kBlock, sound.size() - at);
            give(&in, count, at + count == sound.size());
        }
    };
    eachBlock([&](const float* const* in, std::size_t count, bool isLast) {
        stretcher.study(in, count, isLast);
    });
    eachBlock([&](const float* const* in, std::size_t count, bool isLast) {
        stretcher.process(in, count, isLast);
        const std::size_t done = made.size();
        made.resize(done + static_cast<std::size_t>(std::max(stretcher.available(), 0)));
        float* out = made.data() + done;
        stretcher.retrieve(&out, made.size() - done);
    });
    return made;
}

std::vector<float> bySoundTouch(std::span<const float> sound, double ratio)
{
    soundtouch::SoundTouch stretcher;
    stretcher.setSampleRate(48000);
    stretcher.setChannels(1);
    stretcher.setTempo(1.0 / ratio);
    stretcher.putSamples(sound.data(), static_cast<unsigned>(sound.size()));
    stretcher.flush();
    std::vector<float> made(static_cast<std::size_t>(stretcher.numSamples()));
    made.resize(stretcher.receiveSamples(made.data(), static_cast<unsigned>(made.size())));
    return made;
}

std::vector<float> byOurs(std::span<const float> sound, double ratio, Material material)
{
    Treatment treatment;
    treatment.material = material;
    const auto length = static_cast<std::int64_t>(sound.size());
    treatment.time = *TimeMap::through(
        {{Frames(0), Frames(0)},
         {Frames(length), Frames(std::llround(static_cast<double>(length) * ratio))}}
    );
    if (material == Material::Hits) {
        treatment.attacks = *attacksOf(channelOver(sound), kRate);
    }
    auto take = std::make_shared<AudioBuffer>(1, Frames(length));
    std::ranges::copy(sound, take->channel(0).begin());
    auto plan = *planStretch(treatment, {channelOver(sound)}, kRate);
    auto source =
        plan->sourceOf(std::make_unique<MemorySource>(std::move(take), kRate), std::array{0});
    AudioBuffer made(1, source->frames());
    if (!source->read(Frames(0), made)) {
        return {};
    }
    return {made.channel(0).begin(), made.channel(0).end()};
}

// The mean distance of two sounds in dB, in 48 bands from 50 Hz to 16 kHz, where the first is heard.
double spectralDistance(std::span<const float> wanted, std::span<const float> made)
{
    Fourier fourier(kSize);
    const auto bandsAt = [&](std::span<const float> sound, std::size_t from) {
        for (std::size_t i = 0; i < kSize; ++i) {
            const double window =
                0.5 - 0.5 * std::cos(2.0 * std::numbers::pi * static_cast<double>(i) / kSize);
            fourier.samples()[i] = static_cast<float>(window) * sound[from + i];
        }
        fourier.run();
        std::array<double, kBands> bands{};
        for (std::size_t b = 0; b < kBands; ++b) {
            const auto edge = [](double band) { return 50.0 * std::pow(320.0, band / kBands); };
            const auto first =
                static_cast<std::size_t>(edge(static_cast<double>(b)) * kSize / 48000.0);
            const auto last = std::max(
                static_cast<std::size_t>(edge(static_cast<double>(b + 1)) * kSize / 48000.0),
                first + 1
            );
            for (std::size_t bin = first; bin < last; ++bin) {
                bands[b] +=
                    static_cast<double>(fourier.power(bin)) / static_cast<double>(last - first);
            }
        }
        return bands;
    };
    std::vector<std::pair<std::array<double, kBands>, std::array<double, kBands>>> frames;
    double most = 0.0;
    for (std::size_t at = 0; at + kSize <= std::min(wanted.size(), made.size()); at += kSize / 4) {
        frames.push_back({bandsAt(wanted, at), bandsAt(made, at)});
        most = std::max(most, std::ranges::max(frames.back().first));
    }
    const double floor = most * 1e-6;
    double sum = 0.0;
    int heard = 0;
    for (const auto& [a, b] : frames) {
        if (std::ranges::max(a) < floor * 30.0) {
            continue;
        }
        double square = 0.0;
        for (std::size_t band = 0; band < kBands; ++band) {
            const double off = 10.0 * std::log10((b[band] + floor) / (a[band] + floor));
            square += off * off;
        }
        sum += std::sqrt(square / kBands);
        ++heard;
    }
    return sum / std::max(heard, 1);
}

// The overhead of a drummer at a tempo, from `before` ahead of the first downbeat on.
std::vector<float> drumsAt(double bpm, Seconds before)
{
    const Seconds downbeat(0.5);
    const auto takes = *demo::recordKit(
        demo::performKit(
            {.bpm = bpm, .bars = 16, .looseness = 0.0, .wanderOff = Seconds(0.0), .mistakes = false}
        ),
        {}
    );
    const auto from = toFrames(downbeat - before, kRate).count();
    return {takes[5].channel(0).begin() + from, takes[5].channel(0).end()};
}

double secondsOf(const std::function<void()>& work)
{
    const auto from = std::chrono::steady_clock::now();
    work();
    return std::chrono::duration<double>(std::chrono::steady_clock::now() - from).count();
}

}  // namespace
}  // namespace orthochron

int main()
{
    using namespace orthochron;  // NOLINT(google-build-using-namespace): the program is this
    using RubberBand::RubberBandStretcher;
    const auto stretchers = [](Material material) {
        return std::vector<std::pair<const char*, Stretcher>>{
            {"ours", [material](auto sound, double r) { return byOurs(sound, r, material); }},
            {"Rubber Band, finer",
             [](auto sound, double r) {
                 return byRubberBand(sound, r, RubberBandStretcher::OptionEngineFiner);
             }},
            {"Rubber Band, faster",
             [](auto sound, double r) {
                 return byRubberBand(sound, r, RubberBandStretcher::OptionEngineFaster);
             }},
            {"SoundTouch", [](auto sound, double r) { return bySoundTouch(sound, r); }}};
    };
    constexpr double kBpm = 110.0;
    constexpr Seconds kBefore(0.1);
    const auto drums = drumsAt(kBpm, kBefore);
    std::puts(
        "drums: distance in dB to the same music made at the other tempo; speed against real time"
    );
    for (const auto& [name, stretch] : stretchers(Material::Hits)) {
        std::string line = fmt::format("  {:<20}", name);
        double took = 0.0;
        double length = 0.0;
        for (const double ratio : {0.8, 0.9, 1.1, 1.25}) {
            std::vector<float> made;
            took += secondsOf([&] { made = stretch(drums, ratio); });
            length += static_cast<double>(drums.size()) * ratio / kRate.count();
            line += fmt::format(
                "  {:.1f}: {:.2f}",
                ratio,
                spectralDistance(drumsAt(kBpm / ratio, kBefore * ratio), made)
            );
        }
        std::puts((line + fmt::format("  {:.0f} x", length / took)).c_str());
    }
    std::puts("a voice: speed against real time");
    const auto voice = testkit::sing({.seconds = 30.0});
    for (const auto& [name, stretch] : stretchers(Material::Line)) {
        const double took = secondsOf([&] { (void)stretch(voice.sound.channel(0), 1.2); });
        std::puts(fmt::format("  {:<20}  {:.0f} x", name, 36.0 / took).c_str());
    }
    return 0;
}
