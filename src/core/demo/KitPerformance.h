#pragma once

#include "core/time/TempoMap.h"

#include <string_view>
#include <vector>

namespace orthochron::demo {

enum class Drum { Kick, Snare, Tom, Hat, Ride, Crash, FloorTom };
constexpr int kDrums = 7;

// What a blow is to the player: a blow meant for a line, or one that goes with another.
enum class Stroke { Main, Ghost, Grace, Roll };

// One blow and the truth about it. `played` is when the stick lands; a microphone hears it later.
struct DemoHit {
    Drum drum = Drum::Kick;
    Stroke stroke = Stroke::Main;
    double velocity = 1.0;  // 0..1
    int bar = 1;
    int step = 0;   // sixteenth within the bar the blow was meant for
    Seconds grid;   // its line; for a grace or roll stroke the line of the blow it goes with
    Seconds drift;  // the three parts of the deviation: played = grid + drift + feel + stray,
    Seconds feel;   // plus, for a grace or roll stroke, its spacing
    Seconds stray;
    Seconds played;
    bool isByFoot = false;  // a hat closed by its pedal, without a stick
};

// How the made-up drummer plays. The defaults are "Lantern Weir"; tests vary them.
struct DrummerSettings {
    std::uint64_t seed = 1907;
    double bpm = 92.0;
    int bars = 64;
    Seconds countIn{0.5};    // song time of the first downbeat
    double looseness = 1.0;  // scales drift and strays
    Seconds snareBehind{0.009};
    double swing = 54.0;       // %, of the sixteenths; felt, not written
    Seconds wanderOff{0.326};  // how late the player is at `wanderBar`, and back again
    int wanderBar = 40;
    bool mistakes = true;      // strays, flam, roll
    bool isInventing = false;  // bars made up from the seed instead of those of "Lantern Weir"
    bool hasPedal =
        false;  // inventing, on the ride, the hat is closed by foot on every beat or second beat, or not
};

struct KitPerformance {
    DrummerSettings settings;
    TempoMap map;
    std::vector<DemoHit> hits;  // in the order they are played
    Seconds length;
};

[[nodiscard]] KitPerformance performKit(const DrummerSettings& settings = {});

// How a player goes who hears no click.
struct FreeTempo {
    double wander = 0.05;    // of the tempo, up and down over some thirty beats
    double slowing = 0.25;   // of the tempo, over the last two bars
    Seconds firstBeat{0.9};  // where the first downbeat is
};

// Lets a performance at a steady tempo go freely instead: every blow keeps its place between the beats, the beats
// themselves move. Gives where they fall, from the first downbeat to the end; lines and deviations of the hits
// are those of the steady one still.
[[nodiscard]] std::vector<Seconds> playFreely(KitPerformance& performance, FreeTempo tempo = {});

}  // namespace orthochron::demo
