#pragma once

#include "core/song/Song.h"

#include <vector>

namespace orthochron {

// Lays a guide beside the takes, in place of one that was there.
// Errors: BadArgument for one without notes, with too many, or with times or values no note has.
[[nodiscard]] Result<Song> takeGuide(const Song& song, MidiGuide guide);
// Errors: BadArgument where there is none.
[[nodiscard]] Result<Song> removeGuide(const Song& song);

// Marks on a track wherever a note of the guide begins while the track plays its take; marks set by hand stay.
// Errors: BadArgument where there is no guide, no such track, or no note begins while it plays.
[[nodiscard]] Result<Song> marksFromGuide(const Song& song, TrackId id);

// What a song has to say beside its bars: the marks of each lead wherever its clips play them, louder where struck
// harder, and the guide, at their true times.
[[nodiscard]] std::vector<TimedPart> playedParts(const Song& song);

}  // namespace orthochron
