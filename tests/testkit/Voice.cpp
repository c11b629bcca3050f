#include "testkit/Voice.h"

#include <array>
#include <cmath>
#include <numbers>
#include <random>

namespace orthochron::testkit {

namespace {

// How loud each harmonic of a falling spectrum is; the first is number 1.
double fallingAt(int harmonic)
{
    static const std::vector<double> kFalling = [] {
        std::vector<double> falling{0.0};
        for (int k = 1; k < 400; ++k) {
            falling.push_back(std::pow(static_cast<double>(k), -1.1));
        }
        return falling;
    }();
    return kFalling.at(static_cast<std::size_t>(harmonic));
}

}  // namespace

Voice sing(const VoiceSettings& settings)
{
    constexpr std::array kSteps{0.0, 2.0, -1.0, 3.0, 0.5, -2.0};
    constexpr double kNote = 0.9;   // seconds, and then a breath
    constexpr double kSung = 0.75;  // of it with a pitch
    const double rate = settings.rate.count();
    const auto frames = static_cast<std::int64_t>(settings.seconds * rate);
    Voice voice{
        AudioBuffer(1, Frames(frames)), std::vector<double>(static_cast<std::size_t>(frames))};
    std::mt19937 random(11);
    std::normal_distribution<double> noise;
    double phase = 0.0;
    for (std::int64_t n = 0; n < frames; ++n) {
        const double time = static_cast<double>(n) / rate;
        const auto note = static_cast<std::size_t>(time / kNote);
        const double within = time - static_cast<double>(note) * kNote;
        // It slides into each note, and trembles once it is there.
        const double step = kSteps[note % kSteps.size()] - 1.5 * std::exp(-within / 0.05) +
                            settings.vibrato * std::sin(2.0 * std::numbers::pi * 5.3 * time) *
                                std::min(within / 0.3, 1.0);
        const double hertz = settings.middle * std::exp2(step / 12.0);
        phase += hertz / rate;
        const double level =
            std::min({within / 0.03, (kSung - within) / 0.04, 1.0}) * (within < kSung ? 1.0 : 0.0);
        double value = 0.0;
        for (int k = 1; k * hertz < std::min(0.45 * rate, 7000.0); ++k) {
            const double high = k * hertz;
            const double plain = fallingAt(k);
            const double off = (high - settings.formant) / 350.0;
            const double strength =
                settings.formant > 0.0 ? 0.15 * plain + 0.3 * std::exp(-0.5 * off * off) : plain;
            value += strength * std::sin(2.0 * std::numbers::pi * k * phase + 0.7 * k);
        }
        const auto place = static_cast<std::size_t>(n);
        voice.sound.channel(0)[place] =
            static_cast<float>(0.1 * std::max(level, 0.0) * value + 0.001 * noise(random));
        voice.hertz[place] = within > 0.04 && within < kSung - 0.05 ? hertz : 0.0;
    }
    return voice;
}

Voice singMelody(const std::vector<VoiceNote>& notes, Hertz rate)
{
    constexpr double kSlide = 0.06;
    constexpr double kFormant = 900.0;
    double length = 0.0;
    for (const VoiceNote& note : notes) {
        length += note.seconds;
    }
    const auto frames = static_cast<std::int64_t>(length * rate.count());
    Voice voice{
        AudioBuffer(1, Frames(frames)), std::vector<double>(static_cast<std::size_t>(frames))};
    std::mt19937 random(3);
    std::normal_distribution<double> noise;
    double phase = 0.0;
    double begin = 0.0;
    std::size_t index = 0;
    for (std::int64_t n = 0; n < frames; ++n) {
        const double time = static_cast<double>(n) / rate.count();
        while (index + 1 < notes.size() && time >= begin + notes[index].seconds) {
            begin += notes[index++].seconds;
        }
        const VoiceNote& note = notes[index];
        const VoiceNote before = index > 0 ? notes[index - 1] : VoiceNote{0.0, 0.0};
        const VoiceNote after = index + 1 < notes.size() ? notes[index + 1] : VoiceNote{0.0, 0.0};
        const double within = time - begin;
        double midi = note.midi + note.vibrato * std::sin(2.0 * std::numbers::pi * 5.5 * within) +
                      note.wander * std::sin(2.0 * std::numbers::pi * within / note.seconds);
        if (before.midi > 0.0 && within < kSlide) {
            midi += (before.midi - note.midi) *
                    (0.5 + 0.5 * std::cos(std::numbers::pi * within / kSlide));
        }
        double level = 1.0;
        if (before.midi == 0.0) {
            level = std::min(level, within / 0.03);
        }
        if (after.midi == 0.0) {
            level = std::min(level, (note.seconds - within) / 0.03);
        }
        double value = 0.0;
        if (note.midi > 0.0) {
            const double hertz = 440.0 * std::exp2((midi - 69.0) / 12.0);
            phase += hertz / rate.count();
            for (int k = 1; k * hertz < 7000.0; ++k) {
                const double off = (k * hertz - kFormant) / 350.0;
                const double strength = 0.2 * fallingAt(k) + 0.3 * std::exp(-0.5 * off * off);
                value += strength * std::sin(2.0 * std::numbers::pi * k * phase + 0.7 * k);
            }
            voice.hertz[static_cast<std::size_t>(n)] = hertz;
        }
        voice.sound.channel(0)[static_cast<std::size_t>(n)] =
            static_cast<float>(0.1 * level * value + 0.0005 * noise(random));
    }
    return voice;
}

}  // namespace orthochron::testkit
