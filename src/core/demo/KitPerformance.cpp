#include "core/demo/KitPerformance.h"

#include "core/demo/Random.h"

#include <algorithm>
#include <array>
#include <numbers>
#include <string_view>

namespace orthochron::demo {

namespace {

// One bar of sixteenths for each drum: X accented, x plain, s soft, g ghosted, f with a grace
// stroke ahead, d with two, r a roll up to the next step, p closed by the pedal, . rests.
struct Pattern {
    std::string_view kick, snare, hat, ride, tom, crash, floorTom;
};

constexpr std::array<Pattern, 6> kPatterns{{
    {"X.....x.x.......", "....X..g.g..X...", "X.x.x.x.x.x.x.x.", "", "", ""},
    {"X.....x...x.....", "....X..g.g..X..g", "X.x.x.xxx.x.x.xx", "", "", ""},
    {"X..x..x.x.......", "....X.......X...", "", "X.x.x.x.x.x.x.x.", "", ""},
    {"X.....x.x..x....", "....X..g.g..X...", "", "X.x.x.x.X.x.x.x.", "", ""},
    {"X.......x.......", "....X..g....xxX.", "X.x.x.x.x.......", "", "..........X.x.XX", ""},
    {"X.....x.x.......", "....X..g.g..X...", "..x.x.x.x.x.x.x.", "", "", "X..............."},
}};

const Pattern& patternOf(int bar)
{
    const int inPhrase = (bar - 1) % 8;
    const bool chorus = ((bar - 1) / 16) % 2 == 1;
    if (inPhrase == 7) {
        return kPatterns[4];
    }
    if ((bar - 1) % 16 == 0 && bar > 1) {
        return kPatterns[5];
    }
    return kPatterns[static_cast<std::size_t>((chorus ? 2 : 0) + (bar + 1) % 2)];
}

double loudnessOf(char stroke)
{
    switch (stroke) {
    case 'X': return 0.92;
    case 'f':
    case 'd': return 0.85;
    case 'x':
    case 'p': return 0.74;
    case 's': return 0.4;
    case 'r': return 0.28;
    default: return 0.16;
    }
}

class Drummer {
public:
    explicit Drummer(const DrummerSettings& settings)
        : settings_(settings),
          random_(settings.seed),
          map_(TempoMap::steady(settings.bpm, Meter{}, settings.countIn).value())
    {}

    KitPerformance perform()
    {
        if (settings_.isInventing) {
            invent();
        }
        for (int bar = 1; bar <= settings_.bars; ++bar) {
            const Pattern pattern = settings_.isInventing ? invented(bar) : patternOf(bar);
            play(Drum::Kick, pattern.kick, bar);
            play(Drum::Snare, pattern.snare, bar);
            play(Drum::Hat, pattern.hat, bar);
            play(Drum::Ride, pattern.ride, bar);
            play(Drum::Tom, pattern.tom, bar);
            play(Drum::Crash, pattern.crash, bar);
            play(Drum::FloorTom, pattern.floorTom, bar);
        }
        if (settings_.mistakes) {
            makeMistakes();
        }
        std::ranges::stable_sort(hits_, {}, &DemoHit::played);
        const Seconds end = map_.timeAt(map_.startOfBar(settings_.bars + 1));
        return {settings_, map_, std::move(hits_), end + Seconds(2.5)};
    }

private:
    using Line = std::array<char, 16>;
    using Bar = std::array<Line, 7>;  // by drum as in Pattern

    // Of the steps that `on` picks each is played with the chance given.
    void put(Line& line, double chance, std::string_view strokes, int first, int every)
    {
        for (int step = first; step < 16; step += every) {
            const auto pick = static_cast<std::size_t>(
                random_.between(0.0, static_cast<double>(strokes.size()) - 1e-9)
            );
            if (random_.even() < chance) {
                line[static_cast<std::size_t>(step)] = strokes[pick];
            }
        }
    }

    // Eight bars that come again and again: six of a groove and its changes, two with fills.
    void invent()
    {
        const double ghosts = random_.even() < 0.6 ? random_.between(0.1, 0.4) : 0.0;
        const double rolls = random_.even() < 0.5 ? random_.between(0.03, 0.5) : 0.0;
        const bool onHat = random_.even() < 0.6;
        const bool isByFoot = settings_.hasPedal && !onHat && random_.even() >= 0.3;
        const int pedalStep = isByFoot && random_.even() >= 0.7 ? 4 : 8;
        const int cymbalStep = random_.even() < 0.25 ? 1 : random_.even() < 0.7 ? 2 : 4;
        const double busyKick = random_.between(0.1, 0.45);
        const double tomGroove = random_.even() < 0.3 ? 0.35 : 0.0;
        for (auto& bar : inventions_) {
            for (Line& line : bar) {
                line.fill('.');
            }
        }
        for (std::size_t i = 0; i < inventions_.size(); ++i) {
            auto& [kick, snare, hat, ride, tom, crash, floorTom] = inventions_[i];
            kick[0] = 'X';
            put(kick, busyKick, "Xxs", 2, 2);
            put(kick, 0.15 * busyKick, "xs", 3, 4);
            put(snare, 1.0, "X", 4, 8);
            put(snare, ghosts, "ggs", 1, 2);
            put(snare, rolls, "rrsd", 0, 1);
            put(snare, 0.3 * rolls, "fxd", 0, 2);
            put(onHat ? hat : ride, 0.9, "Xxs", 0, cymbalStep);
            if (isByFoot) {
                put(hat, 0.95, "p", 4, pedalStep);
            }
            put(tom, tomGroove, "xs", 3, 4);
            put(floorTom, tomGroove, "Xx", 2, 4);
            if (i % 4 == 0) {
                crash[0] = 'X';
            }
            if (i % 4 == 3) {
                putFill(inventions_[i]);
            }
        }
    }

    // From the third or the last beat on.
    void putFill(Bar& bar)
    {
        auto& [kick, snare, hat, ride, tom, crash, floorTom] = bar;
        const int from = random_.even() < 0.5 ? 8 : 12;
        for (std::size_t step = static_cast<std::size_t>(from); step < 16; ++step) {
            snare[step] = hat[step] = ride[step] = '.';
            Line& line = random_.even() < 0.3 ? snare : random_.even() < 0.5 ? tom : floorTom;
            line[step] = "Xxs."[static_cast<std::size_t>(random_.between(0.0, 3.99))];
        }
    }

    Pattern invented(int bar) const
    {
        const auto& lines = inventions_[static_cast<std::size_t>((bar - 1) % 8)];
        const auto text = [&](std::size_t i) {
            return std::string_view(lines[i].data(), lines[i].size());
        };
        return {text(0), text(1), text(2), text(3), text(4), text(5), text(6)};
    }

    // Two slow waves and one bar a good way off, reached and left over three bars.
    Seconds driftAt(Beats musical) const
    {
        const double bars = musical.count() / 4.0;
        const double turn = 2.0 * std::numbers::pi;
        const double waves =
            0.012 * std::sin(turn * bars / 21.0) + 0.006 * std::sin(turn * bars / 8.7 + 1.0);
        // Nothing at the first downbeat: that is where the grid was laid.
        const double away = waves - 0.006 * std::sin(1.0);
        const double distance = std::abs(bars - (settings_.wanderBar - 0.5));
        const double near = std::clamp((3.5 - distance) / 3.0, 0.0, 1.0);
        const double bump = 0.5 - 0.5 * std::cos(std::numbers::pi * near);
        return Seconds(settings_.looseness * away + settings_.wanderOff.count() * bump);
    }

    Seconds feelOf(Drum drum, int step) const
    {
        Seconds feel{0.0};
        if (step % 2 == 1) {
            feel += Seconds((settings_.swing / 50.0 - 1.0) * 15.0 / settings_.bpm);
        }
        if (drum == Drum::Snare) {
            feel += settings_.snareBehind;
        } else if (drum == Drum::Hat && step % 4 == 2) {
            feel += milliseconds(-3.0);
        } else if (drum == Drum::Tom) {
            feel += milliseconds(4.0);
        }
        return feel;
    }

    void play(Drum drum, std::string_view pattern, int bar)
    {
        for (std::size_t i = 0; i < pattern.size(); ++i) {
            if (pattern[i] == '.') {
                continue;
            }
            const int step = static_cast<int>(i);
            const Beats at = map_.startOfBar(bar) + Beats(0.25 * step);
            DemoHit hit;
            hit.drum = drum;
            hit.bar = bar;
            hit.step = step;
            hit.stroke = pattern[i] == 'g' ? Stroke::Ghost : Stroke::Main;
            hit.isByFoot = pattern[i] == 'p';
            const double loud = loudnessOf(pattern[i]);
            hit.velocity = std::clamp(loud * (1.0 + 0.07 * random_.bell()), 0.08, 1.0);
            hit.grid = map_.timeAt(at);
            hit.drift = driftAt(at);
            hit.feel = feelOf(drum, step);
            hit.stray = Seconds(settings_.looseness * 0.0035 * random_.bell());
            hit.played = hit.grid + hit.drift + hit.feel + hit.stray;
            hits_.push_back(hit);
            adorn(hit, pattern[i]);
        }
    }

    // What goes with a stroke: grace strokes ahead of it, or a roll.
    void adorn(const DemoHit& main, char stroke)
    {
        if (stroke == 'f') {
            const double spread = random_.between(0.8, 1.25);
            precede(main, Stroke::Grace, milliseconds(28.0) * spread, 0.35);
        } else if (stroke == 'd') {
            const double spread = random_.between(0.8, 1.25);
            precede(main, Stroke::Grace, milliseconds(55.0) * spread, 0.3);
            precede(main, Stroke::Grace, milliseconds(108.0) * spread, 0.26);
        } else if (stroke == 'r') {
            const Seconds step(15.0 / settings_.bpm);
            const int strokes = step.count() > 0.12 ? 3 : 2;
            for (int i = 1; i < strokes; ++i) {
                const Seconds after =
                    step * (static_cast<double>(i) / strokes) + milliseconds(2.5 * random_.bell());
                const double velocity = main.velocity * random_.between(0.75, 1.1);
                precede(main, Stroke::Roll, Seconds(0.0) - after, velocity);
            }
        }
    }

    DemoHit* find(Drum drum, int bar, int step)
    {
        const auto found = std::ranges::find_if(hits_, [&](const DemoHit& hit) {
            return hit.drum == drum && hit.bar == bar && hit.step == step;
        });
        return found == hits_.end() ? nullptr : &*found;
    }

    void stray(Drum drum, int bar, int step, Seconds by)
    {
        if (DemoHit* hit = find(drum, bar, step)) {
            hit->played += by;
            hit->stray += by;
        }
    }

    // A stroke `before` ahead of the blow it goes with.
    void precede(const DemoHit& main, Stroke stroke, Seconds before, double velocity)
    {
        DemoHit hit = main;
        hit.stroke = stroke;
        hit.velocity = velocity;
        hit.played = main.played - before;
        hits_.push_back(hit);
    }

    void makeMistakes()
    {
        stray(Drum::Kick, 6, 6, milliseconds(27.0));
        stray(Drum::Snare, 11, 12, milliseconds(-24.0));
        stray(Drum::Kick, 19, 0, milliseconds(-31.0));
        stray(Drum::Snare, 27, 4, milliseconds(22.0));
        stray(Drum::Kick, 34, 8, milliseconds(35.0));
        stray(Drum::Snare, 51, 12, milliseconds(29.0));
        if (const DemoHit* main = find(Drum::Snare, 14, 4)) {
            precede(DemoHit(*main), Stroke::Grace, milliseconds(31.0), 0.32);
        }
        if (const DemoHit* main = find(Drum::Snare, 30, 12)) {
            precede(DemoHit(*main), Stroke::Grace, milliseconds(26.0), 0.30);
        }
        if (const DemoHit* found = find(Drum::Snare, 45, 12)) {
            const DemoHit main = *found;
            for (int stroke = 5; stroke >= 1; --stroke) {
                precede(
                    main, Stroke::Roll, milliseconds(62.0 * stroke), 0.30 + 0.02 * (5 - stroke)
                );
            }
        }
    }

    DrummerSettings settings_;
    Random random_;
    TempoMap map_;
    std::vector<DemoHit> hits_;
    std::array<Bar, 8> inventions_{};
};

}  // namespace

KitPerformance performKit(const DrummerSettings& settings)
{
    return Drummer(settings).perform();
}

std::vector<Seconds> playFreely(KitPerformance& performance, FreeTempo tempo)
{
    constexpr double kWave = 0.21;   // radians a beat
    constexpr double kSlowed = 8.0;  // beats
    const DrummerSettings& drummer = performance.settings;
    const int count = 4 * drummer.bars + 1;
    std::vector<Seconds> beats;
    Seconds time = tempo.firstBeat;
    for (int beat = 0; beat < count; ++beat) {
        beats.push_back(time);
        const double slow = std::max(0.0, kSlowed - (count - 1 - beat)) / kSlowed;
        const double bpm = drummer.bpm * (1.0 + tempo.wander * std::sin(kWave * beat)) *
                           (1.0 - tempo.slowing * slow);
        time += Seconds(60.0 / bpm);
    }
    for (DemoHit& hit : performance.hits) {
        const double beat = (hit.played - drummer.countIn).count() * drummer.bpm / 60.0;
        const double whole = std::clamp(std::floor(beat), 0.0, static_cast<double>(count - 2));
        const auto k = static_cast<std::size_t>(whole);
        hit.played = beats[k] + (beats[k + 1] - beats[k]) * (beat - whole);
    }
    performance.length = beats.back() + Seconds(2.0);
    return beats;
}

}  // namespace orthochron::demo
