#pragma once

#include "core/edits/ShapeEdits.h"

#include <compare>
#include <optional>
#include <set>
#include <span>

// Several points of level lines at once, of one line or of many.
namespace orthochron {

// A point of the line of a track, or of the whole song.
struct LinePoint {
    std::optional<TrackId> track;
    std::size_t index = 0;

    auto operator<=>(const LinePoint&) const = default;
};
using LinePoints = std::set<LinePoint>;

// Those that there still are.
[[nodiscard]] LinePoints pointsLeft(const Song& song, const LinePoints& points);
// The points of some tracks from one time to another, both included.
[[nodiscard]] LinePoints
pointsWithin(const Song& song, std::span<const TrackId> tracks, Frames from, Frames to);
// Where the lines of some tracks end; nothing of those that have none.
[[nodiscard]] LinePoints lastPoints(const Song& song, std::span<const TrackId> tracks);

// All below: errors are BadArgument for a point that is not there, or none.

// Moves points together. None passes a point that stays: all go as far as the first that is stopped lets
// them. Levels stop at -96 and +12 dB, each by itself; silence stays silence.
[[nodiscard]] Result<Song>
movePoints(const Song& song, const LinePoints& points, Frames by, double decibels);
// Puts points of different lines at one time, as near to it as the points beside them allow. Errors: also
// for two points of one line.
[[nodiscard]] Result<Song> placePoints(const Song& song, const LinePoints& points, Frames at);
// kSilence for silence.
[[nodiscard]] Result<Song> levelPoints(const Song& song, const LinePoints& points, double level);
[[nodiscard]] Result<Song> removePoints(const Song& song, const LinePoints& points);

}  // namespace orthochron
