#include "core/edits/GridEdits.h"

#include <fmt/format.h>

namespace orthochron {

namespace {

Result<Song> withTempo(const Song& song, Result<TempoMap> map)
{
    if (!map) {
        return tl::unexpected(map.error());
    }
    Song next = song;
    next.tempo = std::move(*map);
    return next;
}

}  // namespace

Result<Song> setTempo(const Song& song, double bpm, Meter meter)
{
    return setTempo(song, bpm, meter, song.tempo.firstDownbeat());
}

Result<Song> setTempo(const Song& song, double bpm, Meter meter, Seconds firstDownbeat)
{
    return withTempo(song, TempoMap::steady(bpm, meter, firstDownbeat));
}

Result<Song> setFirstDownbeat(const Song& song, Seconds songTime)
{
    return withTempo(song, TempoMap::create(songTime, song.tempo.tempi(), song.tempo.meters()));
}

Result<Song> setGrid(const Song& song, GridSettings grid)
{
    if (!(grid.swing >= 50.0 && grid.swing <= 75.0)) {
        return badArgument(fmt::format("swing must be between 50 and 75 %, not {:g}", grid.swing));
    }
    Song next = song;
    next.grid = grid;
    return next;
}

}  // namespace orthochron
