#include "core/demo/FreePlaying.h"

#include <algorithm>
#include <array>
#include <cmath>
#include <complex>
#include <numbers>
#include <random>

namespace orthochron::demo {

namespace {

constexpr double kTwoPi = 2.0 * std::numbers::pi;

double hertzOf(int key)
{
    return 440.0 * std::exp2((key - 69) / 12.0);
}

// Adds `value(seconds since the stroke)` for as long as the stroke rings.
template<class Value>
void ring(AudioBuffer& sound, Hertz rate, Seconds at, Seconds length, const Value& value)
{
    const Frames from = toFrames(at, rate);
    const Frames to = std::min(from + toFrames(length, rate), sound.frames());
    for (Frames frame = from; frame < to; frame += Frames(1)) {
        const double since = toSeconds(frame, rate).count() - at.count();
        sound.channel(0)[static_cast<std::size_t>(frame.count())] +=
            static_cast<float>(value(std::max(since, 0.0)));
    }
}

// A partial of a string, which turns on and dies away from frame to frame: a sine for each would take seconds.
struct Turning {
    Turning(double strength, double hertz, double fall, Hertz rate) : wide(strength)
    {
        const auto turn = std::polar(std::exp(-fall / rate.count()), kTwoPi * hertz / rate.count());
        turnWide = turn.real();
        turnHigh = turn.imag();
    }

    void go()
    {
        const double next = wide * turnWide - high * turnHigh;
        high = wide * turnHigh + high * turnWide;
        wide = next;
    }

    double wide;
    double high = 0.0;
    double turnWide = 0.0;
    double turnHigh = 0.0;
};

// The same partial of two strings.
struct Course {
    Turning first;
    Turning second;
    Frames length;
};

// A course of two strings a little apart, stiff, struck by a wooden hammer.
void strike(AudioBuffer& sound, Hertz rate, const TimedNote& note, std::mt19937& random)
{
    constexpr int kPartials = 9;
    constexpr double kStiff = 2.5e-4;
    std::normal_distribution<double> noise;
    const double level = 0.12 * std::pow(note.velocity / 127.0, 1.5);
    const double hertz = hertzOf(note.key);
    std::vector<Course> courses;
    for (int k = 1; k <= kPartials; ++k) {
        const double partial = k * hertz * std::sqrt(1.0 + kStiff * k * k);
        if (partial > 0.4 * rate.count()) {
            break;
        }
        const double fall = 1.6 + 0.9 * k;  // a second
        const double strength = level * std::sin(0.42 * k) / std::pow(k, 0.9);
        courses.push_back(
            {{strength, partial, fall, rate},
             {0.6 * strength, 1.0012 * partial, fall, rate},
             toFrames(Seconds(6.0 / fall), rate)}
        );
    }
    const double settles = std::exp(-1.0 / rate.count() / 0.0007);
    double still = 1.0;
    const Frames from = toFrames(note.at, rate);
    for (Frames at = from; at < sound.frames() && !courses.empty(); at += Frames(1)) {
        still *= settles;
        float& out = sound.channel(0)[static_cast<std::size_t>(at.count())];
        for (Course& course : courses) {
            course.first.go();
            course.second.go();
            out += static_cast<float>((1.0 - still) * (course.first.high + course.second.high));
        }
        // The higher they are the sooner they have died away.
        while (!courses.empty() && at + Frames(1) - from >= courses.back().length) {
            courses.pop_back();
        }
    }
    ring(sound, rate, note.at, milliseconds(12.0), [&](double t) {
        return 0.35 * level * noise(random) * std::exp(-t / 0.0022);
    });
}

// A skin on a shallow frame: struck in the middle it sounds low, at the rim it is mostly a slap.
void beat(AudioBuffer& sound, Hertz rate, const TimedNote& note, std::mt19937& random)
{
    std::normal_distribution<double> noise;
    const bool isLow = note.key < 40;
    const double level = 0.4 * note.velocity / 127.0;
    ring(sound, rate, note.at, Seconds(0.6), [&](double t) {
        const double hertz = isLow ? 84.0 + 22.0 * std::exp(-t / 0.03) : 310.0;
        const double tone = std::sin(kTwoPi * hertz * t) * std::exp(-t / (isLow ? 0.16 : 0.035));
        const double slap = noise(random) * std::exp(-t / (isLow ? 0.003 : 0.012));
        return level * (1.0 - std::exp(-t / 0.0005)) * (tone + (isLow ? 0.15 : 0.45) * slap);
    });
}

void addRoom(AudioBuffer& sound, std::mt19937& random)
{
    std::normal_distribution<float> noise;
    for (float& value : sound.channel(0)) {
        value += 3e-5F * noise(random);
    }
}

}  // namespace

FreePlaying playDulcimer(Hertz rate)
{
    constexpr int kBars = 24;
    constexpr int kOdd = 13;
    constexpr int kSlowsFrom = 21;
    constexpr std::array kRoots{50, 57, 55, 50, 47, 55, 57, 50};
    constexpr std::array kTune{0, 12, 16, 19, 24, 19, 16, 12};
    std::mt19937 random(29);
    std::normal_distribution<double> off(0.0, 0.004);
    std::vector<TempoPoint> tempi;
    double drift = 0.0;
    TempoMap bars = *TempoMap::create(
        Seconds(0.8), {{Beats(0.0), 120.0}}, {{1, {4, 4}}, {kOdd, {7, 8}}, {kOdd + 1, {4, 4}}}
    );
    for (int bar = 1; bar <= kBars; ++bar) {
        drift = 0.8 * drift + 400.0 * off(random);
        const double slowed = bar < kSlowsFrom ? 1.0 : 1.0 - 0.07 * (bar - kSlowsFrom + 1);
        tempi.push_back({bars.startOfBar(bar), (86.0 + 4.0 * std::sin(0.5 * bar) + drift) * slowed}
        );
    }
    FreePlaying played{
        .name = "Dulcimer",
        .map = *TempoMap::create(Seconds(0.8), std::move(tempi), bars.meters()),
        .strokes = {},
        .sound = AudioBuffer(1, Frames(0))};
    const auto strokeAt = [&](Beats place, int key, int velocity, double late) {
        played.strokes.push_back(
            {.at = played.map.timeAt(place) + Seconds(late),
             .length = Seconds(0.3),
             .key = key,
             .velocity = velocity}
        );
    };
    for (int bar = 1; bar <= kBars; ++bar) {
        const int root = kRoots[static_cast<std::size_t>(bar - 1) % kRoots.size()];
        const Beats from = played.map.startOfBar(bar);
        const int eighths = bar == kOdd ? 7 : 8;
        strokeAt(from, root, 118, 0.0);
        for (int i = 1; i < eighths; ++i) {
            const bool isBeat = i % 2 == 0;
            if (isBeat || (bar + i) % 3 != 0) {
                strokeAt(
                    from + Beats(0.5 * i),
                    root + kTune[static_cast<std::size_t>(i + bar) % kTune.size()],
                    isBeat ? 92 : 68,
                    off(random)
                );
            }
        }
    }
    strokeAt(played.map.startOfBar(kBars + 1), kRoots[0], 112, 0.0);
    std::ranges::sort(played.strokes, {}, &TimedNote::at);
    played.sound = AudioBuffer(1, toFrames(played.strokes.back().at + Seconds(3.5), rate));
    for (const TimedNote& note : played.strokes) {
        strike(played.sound, rate, note, random);
    }
    addRoom(played.sound, random);
    return played;
}

FreePlaying playFrameDrum(Hertz rate)
{
    constexpr double kBpm = 103.7;
    constexpr int kBars = 4;
    constexpr std::array kPattern{2, 0, 0, 1, 0, 1, 2, 0, 2, 0, 1, 0, 1, 0, 1, 1};  // low 2, rim 1
    std::mt19937 random(31);
    FreePlaying played{
        .name = "Frame drum",
        .map = *TempoMap::steady(kBpm, {4, 4}, Seconds(0.0)),
        .strokes = {},
        .sound = AudioBuffer(1, toFrames(Seconds(4.0 * kBars * 60.0 / kBpm), rate))};
    for (int step = 0; step < kBars * 16; ++step) {
        const int kind = kPattern[static_cast<std::size_t>(step % 16)];
        if (kind > 0) {
            played.strokes.push_back(
                {.at = played.map.timeAt(Beats(0.25 * step)),
                 .key = kind == 2 ? 36 : 60,
                 .velocity = step % 4 == 0 ? 118 : 84 + static_cast<int>(random() % 12)}
            );
        }
    }
    for (const TimedNote& note : played.strokes) {
        beat(played.sound, rate, note, random);
    }
    addRoom(played.sound, random);
    return played;
}

}  // namespace orthochron::demo
