#pragma once

#include "core/song/Song.h"

#include <map>
#include <optional>
#include <set>
#include <span>
#include <vector>

// Which clips an edit by hand goes to.
namespace orthochron {

using ClipChoice = std::vector<ClipId>;

// The choice with the clips of the other microphones that belong to it; in the order of the lanes.
[[nodiscard]] ClipChoice withTheirSet(const Song& song, const ClipChoice& choice);
// The clips of some tracks that lie at least partly in [from, to).
[[nodiscard]] ClipChoice
clipsWithin(const Song& song, std::span<const TrackId> tracks, Frames from, Frames to);
// Null when it is not in the song.
struct PlacedClip {
    TrackId track;
    Clip clip;
};
[[nodiscard]] std::optional<PlacedClip> clipOf(const Song& song, ClipId id);
// Those of a choice that are there, in the order of the lanes.
[[nodiscard]] std::vector<PlacedClip> clipsOf(const Song& song, const ClipChoice& choice);
// From the first start to the last end of a choice, song time; none for an empty one.
struct Span {
    Frames from;
    Frames to;
};
[[nodiscard]] std::optional<Span> spanOf(const Song& song, const ClipChoice& choice);

// The clips of a choice by the track they lie on.
using Chosen = std::map<TrackId, std::set<ClipId>>;
[[nodiscard]] Chosen chosenOf(const Song& song, const ClipChoice& choice);
// The same for an edit. Errors: BadArgument when there is none, or when one or its track is locked.
[[nodiscard]] Result<Chosen> freeOf(const Song& song, const ClipChoice& choice);

// Where clips could be split: the marks of the leads of their sets as heard (less a lead-in), or
// the lines of the grid, within a span of song time.
[[nodiscard]] std::vector<Frames>
markTimes(const Song& song, const MicSet& set, Span within, Frames leadIn);
[[nodiscard]] std::vector<Frames> gridTimes(const Song& song, Span within);

}  // namespace orthochron
