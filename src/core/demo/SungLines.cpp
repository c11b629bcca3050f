#include "core/demo/SungLines.h"

#include <algorithm>
#include <array>
#include <cmath>
#include <numbers>
#include <random>

namespace orthochron::demo {

namespace {

// A note of a melody as it is written: quarter notes after its bar, length, semitone.
struct Written {
    double beat;
    double length;
    int midi;
};

// How an instrument sounds.
struct Timbre {
    std::array<double, 4> formants{};  // Hz; 0 for none
    double fall = 1.2;                 // of its harmonics: their number to the power of less this
    Seconds attack{0.03};
    Seconds release{0.06};
    double breath = 0.0;
    double level = 0.2;
};

constexpr double kVibratoHertz = 5.4;
constexpr Seconds kSlide{0.09};
constexpr Seconds kScoop{0.12};
constexpr std::size_t kTable = 2048;

// One period of a note, its harmonics as loud as the formants have them.
std::vector<float> periodOf(const Timbre& timbre, double hertz, Hertz rate)
{
    std::vector<float> table(kTable + 1, 0.0F);
    for (int k = 1; k * hertz < std::min(0.45 * rate.count(), 9000.0); ++k) {
        double strength = std::pow(static_cast<double>(k), -timbre.fall);
        for (const double formant : timbre.formants) {
            const double off = (k * hertz - formant) / (60.0 + 0.08 * formant);
            strength *= formant > 0.0 ? 1.0 + 3.0 * std::exp(-0.5 * off * off) : 1.0;
        }
        for (std::size_t i = 0; i < kTable; ++i) {
            const double turn = 2.0 * std::numbers::pi * k * static_cast<double>(i) / kTable;
            table[i] += static_cast<float>(strength * std::sin(turn + 0.6 * k));
        }
    }
    float most = 1e-6F;
    for (const float value : table) {
        most = std::max(most, std::abs(value));
    }
    for (float& value : table) {
        value /= most;
    }
    table[kTable] = table[0];
    return table;
}

double hertzOf(double midi)
{
    return 440.0 * std::exp2((midi - 69.0) / 12.0);
}

// Lays the notes of a line one after the other.
AudioBuffer
played(const std::vector<LineNote>& notes, const Timbre& timbre, Frames length, Hertz rate)
{
    AudioBuffer sound(1, length);
    std::mt19937 random(17);
    std::normal_distribution<float> noise;
    double phase = 0.0;
    for (std::size_t n = 0; n < notes.size(); ++n) {
        const LineNote& note = notes[n];
        const double midi = note.rung + note.cents / 100.0;
        const auto period = periodOf(timbre, hertzOf(midi), rate);
        const bool isSlidInto = n + 1 < notes.size() && notes[n + 1].slides;
        const double before = n > 0 ? notes[n - 1].rung + notes[n - 1].cents / 100.0 : midi;
        const Frames from = toFrames(note.start, rate);
        const Frames to = std::min(toFrames(note.end, rate), length);
        for (Frames at = from; at < to; at += Frames(1)) {
            const Seconds within = toSeconds(at - from, rate);
            const Seconds left = toSeconds(to - at, rate);
            double pitch = midi;
            if (note.slides && within < kSlide) {
                pitch +=
                    (before - midi) * (0.5 + 0.5 * std::cos(std::numbers::pi * (within / kSlide)));
            }
            pitch -= note.scoop * std::exp(-3.0 * (within / kScoop));
            pitch += note.vibrato * std::min(within.count() / 0.35, 1.0) *
                     std::sin(2.0 * std::numbers::pi * kVibratoHertz * within.count());
            phase += hertzOf(pitch) / rate.count();
            phase -= std::floor(phase);
            double level = 1.0;
            if (!note.slides) {
                level = std::min(level, within / timbre.attack);
            }
            if (!isSlidInto) {
                level = std::min(level, left / timbre.release);
            }
            const double place = phase * kTable;
            const auto i = static_cast<std::size_t>(place);
            const auto part = static_cast<float>(place - static_cast<double>(i));
            const float value = period[i] + part * (period[i + 1] - period[i]);
            sound.channel(0)[static_cast<std::size_t>(at.count())] +=
                static_cast<float>(timbre.level * level) *
                (value + static_cast<float>(timbre.breath) * noise(random));
        }
    }
    for (float& value : sound.channel(0)) {
        value += 3e-5F * noise(random);
    }
    return sound;
}

Seconds timeOf(const TempoMap& map, int bar, double beat)
{
    return map.timeAt(map.startOfBar(bar) + Beats(beat));
}

}  // namespace

SungLine singAlto(const TempoMap& map, Frames length, Hertz rate)
{
    // Four bars in D minor, and how far off each note of them is sung, in cents: other each time.
    constexpr std::array<std::array<Written, 3>, 4> kVerse{
        {{{{0.0, 1.5, 62}, {1.5, 0.5, 65}, {2.0, 1.8, 69}}},
         {{{0.0, 1.0, 67}, {1.0, 1.0, 65}, {2.0, 1.7, 64}}},
         {{{0.0, 1.9, 62}, {2.0, 0.9, 60}, {3.0, 0.9, 62}}},
         {{{0.0, 0.9, 65}, {1.0, 0.9, 64}, {2.0, 1.6, 62}}}}};
    constexpr std::array kOff{6.0, -22.0, 31.0, -4.0, -18.0, 12.0, -35.0, 3.0, 18.0, -9.0, 27.0};
    SungLine line{"Alto voice", {}, {}};
    std::size_t count = 0;
    for (const int verse : {9, 41}) {
        for (int bar = verse; bar < verse + 16; ++bar) {
            for (const Written& written : kVerse[static_cast<std::size_t>((bar - verse) % 4)]) {
                LineNote note;
                note.meant = timeOf(map, bar, written.beat);
                note.start = note.meant + milliseconds(count % 3 == 1 ? 18.0 : 4.0);
                note.end = timeOf(map, bar, written.beat + written.length);
                note.rung = written.midi;
                note.cents = kOff[count % kOff.size()];
                note.vibrato = written.length >= 1.5 ? 0.3 : 0.0;
                note.scoop = count % 7 == 3 ? 1.2 : 0.0;
                if (count % 5 == 2 && !line.notes.empty() &&
                    note.start - line.notes.back().end < milliseconds(150.0)) {
                    note.slides = true;
                    line.notes.back().end = note.start;
                }
                line.notes.push_back(note);
                ++count;
            }
        }
    }
    line.sound = played(
        line.notes,
        {{650.0, 1150.0, 2800.0, 3600.0}, 1.3, Seconds(0.03), Seconds(0.06), 0.004, 0.2},
        length,
        rate
    );
    return line;
}

SungLine bowBass(const TempoMap& map, Frames length, Hertz rate)
{
    constexpr std::array kRoots{38, 38, 34, 36, 38, 41, 33, 33};
    SungLine line{"Double bass", {}, {}};
    for (int bar = 5; bar < 57; ++bar) {
        for (const int half : {0, 1}) {
            LineNote note;
            note.meant = timeOf(map, bar, 2.0 * half);
            // The second half of every other bar comes late.
            const bool isLate = half == 1 && bar % 2 == 0;
            note.start = note.meant + milliseconds(isLate ? 45.0 : 5.0);
            note.end = timeOf(map, bar, 2.0 * half + 1.8);
            note.rung =
                kRoots[static_cast<std::size_t>(bar % 8)] + (half == 1 && bar % 4 == 3 ? 7 : 0);
            note.cents = bar % 6 == 0 ? -24.0 : 4.0;
            line.notes.push_back(note);
        }
    }
    line.sound = played(
        line.notes,
        {{110.0, 400.0, 0.0, 0.0}, 1.1, Seconds(0.09), Seconds(0.12), 0.002, 0.22},
        length,
        rate
    );
    return line;
}

}  // namespace orthochron::demo
