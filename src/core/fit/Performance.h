#pragma once

#include "core/base/Id.h"
#include "core/fit/FitSettings.h"
#include "core/time/Grid.h"

#include <optional>
#include <span>
#include <vector>

namespace orthochron {

// One blow as it was played, before any fit.
struct PlayedHit {
    int lead = 0;                      // index into the leads, in the order they rule
    Frames start;                      // song time of the start of its attack
    Frames beatPoint;                  // what is put on the line; the same as start for most
    double strength = 1.0;             // 0..1
    std::optional<std::int64_t> line;  // grid line given by hand
    std::optional<Seconds> wanted;     // deviation from its line asked for by hand

    bool operator==(const PlayedHit&) const = default;
};

// Main hits are put on lines; attached ones (flams, ghosts, rolls, the other drum of one moment)
// go with their main hit and keep their distance to it.
enum class HitRole { Main, Attached };

struct JudgedHit {
    PlayedHit played;
    HitRole role = HitRole::Main;
    std::size_t main = 0;  // index of its main hit; its own when it is one
    GridLine line;         // that its main hit belongs to
    Seconds drift;         // deviation = drift + feel + stray, positive is late
    Seconds feel;
    Seconds stray;
    int section = kNoSection;  // index into the sections it was judged by

    static constexpr int kNoSection = -1;
    [[nodiscard]] Seconds deviation() const { return drift + feel + stray; }
};

// What a lead does at one step of the bar, bar after bar.
struct FeelStep {
    int lead = 0;
    int step = 0;
    Seconds feel;
    int hits = 0;
    int section = JudgedHit::kNoSection;
};

// A performance held against a grid.
struct Performance {
    std::vector<JudgedHit> hits;  // ascending by start
    std::vector<FeelStep> feel;
    Hertz rate{48000.0};
    Beats step{0.25};  // of the grid it was judged by
    TempoMap tempo;
    std::vector<TrackId> leads;       // what PlayedHit::lead counts
    std::vector<SectionId> sections;  // what JudgedHit::section counts
};

// Judges which hit belongs to which line, over the whole performance at once, and splits every
// deviation into drift, feel and stray.
//
// Lines: the cheapest path (Viterbi 1967) through the lines near each moment, where a deviation
// that changes slowly is cheap and one that jumps is dear: drift past half a step changes no line.
// Split: drift is an integrated random walk, smoothed forward and backward (Rauch, Tung and
// Striebel 1965) with weights that make little of outliers; feel is what remains for each lead
// and step of the bar; the rest is stray. Feel is measured from how the bar's first beat is played.
//
// `hits` in any order; empty gives an empty performance. Cost: linear in the hits. Pure.
//
// With sections, feel is measured in each for itself; what lies in none is one more. Of sections
// that overlap the first rules.
[[nodiscard]] Performance judge(
    std::vector<PlayedHit> hits,
    const Grid& grid,
    Hertz rate,
    std::span<const BarRange> sections = {}
);

// Puts a line drawn by hand in place of the measured drift: straight between its points, level
// beyond them. What that leaves over is stray. No points leave all as it is.
void redrawDrift(Performance& performance, std::span<const DriftPoint> line);

}  // namespace orthochron
