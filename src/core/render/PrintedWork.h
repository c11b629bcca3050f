#pragma once

#include "core/song/Song.h"

#include <span>

namespace orthochron {

// What was done to a sound, in the order in which it is applied.
enum class PrintedWork { Cuts, Stretch, Speed, ClipLevel, Lines, TrackLevel, SongLine };

// How much of it a print takes in: what the clips make; a track's stem; a track with its level and pan;
// the song's mix.
enum class PrintExtent { Clips, Stem, Track, Song };

// Whether a print of that extent makes this work part of its sound. What it does not stays live.
[[nodiscard]] bool becomesFixed(PrintedWork work, PrintExtent extent);

// Whether any of some tracks, or the song, has work of this kind.
[[nodiscard]] bool hasWork(const Song& song, std::span<const TrackId> tracks, PrintedWork work);

}  // namespace orthochron
