#pragma once

#include "core/song/Song.h"
#include "core/tempo/MapDraft.h"

#include <span>
#include <vector>

namespace orthochron {

// The grid yields to the audio: lines are moved, the audio stays where it is.

// Ties a musical place to a song time. Pins that are set never move: from the pin before to this one the time is
// shared as it was, and so to the pin after; where there is none, what lies right of it moves along and keeps
// its tempo. Bar 1 itself is pinned in the same way. A line before bar 1, as that of a pick-up, is tied without
// moving bar 1; what lies left of the first one has its tempo.
// Errors: BadArgument for a time that is not between the neighbouring pins, or a tempo that would be outside
// 20 to 400.
[[nodiscard]] Result<Song> pinLine(const Song& song, Beats place, Seconds time);

// Moves a line and leaves no pin: bar 1 takes the whole map along unless something is pinned, any other line is
// moved as by pinLine. Errors: those of pinLine.
[[nodiscard]] Result<Song> moveLine(const Song& song, Beats place, Seconds time);

// Moves a stretch of the map as one, from one line to another, both pinned then: what lies between keeps its times
// to each other, what lies beside it yields as it does to pinLine. Errors: those of pinLine.
[[nodiscard]] Result<Song> shiftLines(const Song& song, Beats first, Beats last, Seconds by);

// Says that a line is right where it is: it is pinned and no longer doubtful. Errors: none of its own.
[[nodiscard]] Result<Song> keepLine(const Song& song, Beats place);

// Takes pins away, and what they tied: the time between those that are left is shared evenly. That of bar 1 is
// only loosened. Errors: BadArgument when there is no point at a place.
[[nodiscard]] Result<Song> freeLines(const Song& song, std::span<const Beats> places);

// How the time is shared between the pin before a line, or bar 1, and the line itself, which stays: at one tempo,
// or as a ramp to the tempo that goes on from there. Beats tied in between are tied no longer.
// Errors: BadArgument where nothing is tied before the line, or for a ramp that would begin outside 20 to 400.
enum class Sharing { Evenly, AsRamp };
[[nodiscard]] Result<Song> shareUpTo(const Song& song, Beats place, Sharing sharing);
// Whether a ramp leads to a line.
[[nodiscard]] bool isRampUpTo(const TempoMap& map, Beats place);

// From a bar on, what the meter is; tempi stay at their times and quarter notes.
// Errors: BadArgument for a meter that cannot be or a bar before the first.
[[nodiscard]] Result<Song> setMeterFrom(const Song& song, int bar, Meter meter);

// The tempo from one bar line to the next; what lies right of it moves along, up to the next pin. Of a bar before
// bar 1 the end stays, and what lies left of it moves along.
// Errors: those of pinLine.
[[nodiscard]] Result<Song> setTempoOfBar(const Song& song, int bar, double bpm);

// The same map counted half or twice as fast. Errors: BadArgument for a tempo outside 20 to 400.
[[nodiscard]] Result<Song> scaleTempo(const Song& song, double factor);

// Counts bars from another line: it becomes bar 1, and all stays at its time. Meters count from there too.
// Errors: none of its own.
[[nodiscard]] Result<Song> beginBarsAt(const Song& song, Beats place);

// The map of a drafted performance whose recording begins at a song time. Bars that are sure are pinned, doubtful
// ones are not, nor is a bar 1 that was guessed. Errors: BadArgument for a draft without a bar.
[[nodiscard]] Result<Song>
takeDraft(const Song& song, const MapDraft& draft, MapLevel level, Seconds recordingStarts);

// A map read from a file. Errors: none of its own.
[[nodiscard]] Song takeMap(const Song& song, TempoMap map);

// As few points as possible, none further than `within` from where it was; pins are pins no longer where they are
// left out. Errors: BadArgument for a time below 0.
[[nodiscard]] Result<Song> simplifyMap(const Song& song, Seconds within);

// The point of a map at a place; null where there is none.
[[nodiscard]] const TempoPoint* pointAt(const TempoMap& map, Beats place);

// The first beat of each bar that a draft left doubtful and nobody decided, worst first.
struct DoubtfulBar {
    int bar = 1;
    Beats place;
    double sureness = 0.0;

    bool operator==(const DoubtfulBar&) const = default;
};
[[nodiscard]] std::vector<DoubtfulBar> doubtfulBars(const TempoMap& map);

// Whether a draft has guessed where bar 1 begins, and nobody has put it or kept it since.
[[nodiscard]] bool hasGuessedBarOne(const TempoMap& map);

}  // namespace orthochron
