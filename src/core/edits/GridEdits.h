#pragma once

#include "core/song/Song.h"

namespace orthochron {

// One tempo and meter for the whole song. Errors: BadArgument for values that cannot be.
[[nodiscard]] Result<Song> setTempo(const Song& song, double bpm, Meter meter);
// The same, with where bar 1 begins: what a take of known tempo gives the song.
[[nodiscard]] Result<Song>
setTempo(const Song& song, double bpm, Meter meter, Seconds firstDownbeat);
// Where bar 1 begins, song time.
[[nodiscard]] Result<Song> setFirstDownbeat(const Song& song, Seconds songTime);
// The raster fits use. Errors: BadArgument for a swing outside 50..75.
[[nodiscard]] Result<Song> setGrid(const Song& song, GridSettings grid);

}  // namespace orthochron
