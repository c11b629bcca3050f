#pragma once

#include "core/edits/ClipChoice.h"

#include <map>
#include <optional>
#include <span>
#include <string>
#include <vector>

// Level lines and hushes.
namespace orthochron {

// The level line of some tracks, the same for each, or with none of the whole song. Errors: BadArgument
// for a line that cannot be, or a track that is not there.
[[nodiscard]] Result<Song>
setLevelLine(const Song& song, std::span<const TrackId> tracks, const LevelLine& line);
// The line of a track, or of the whole song. Empty for a track that is not there.
[[nodiscard]] const LevelLine& levelLineOf(const Song& song, std::optional<TrackId> track);

// How long a fade is: bars, or a time.
struct FadeLength {
    double bars = 8.0;
    std::optional<Seconds> time;
};
// A fade of a track or the whole song, out to or in from silence.
struct LongFade {
    bool isOut = true;
    FadeLength length;
    double bend = 0.0;
};
// Fades some tracks, each at its own end, or with none the whole song. `ends` is where, instead of
// where a track's last clip ends or its first begins; for the song at its end mark. What the line was
// outside the fade it stays; a fade out leaves nothing after it. Errors: BadArgument for a fade of no
// length, or one that is longer than what it fades, or where nothing is.
[[nodiscard]] Result<Song> fadeLong(
    const Song& song,
    std::span<const TrackId> tracks,
    const LongFade& fade,
    std::optional<Frames> ends = {}
);

// Sets where the song ends, or with none at its last clip.
[[nodiscard]] Result<Song> setEnd(const Song& song, std::optional<Beats> at);

// A hush and the tracks it lies over.
struct PlacedHush {
    Hush hush;
    std::vector<TrackId> tracks;  // in the order of the lanes
};
[[nodiscard]] std::vector<PlacedHush> hushesOf(const Song& song);  // ascending by begin
[[nodiscard]] std::optional<PlacedHush> hushOf(const Song& song, HushId id);

// Lays a hush over tracks; it is given an id, which is the song's last. Errors: BadArgument for one of
// no length, or with no track.
[[nodiscard]] Result<Song>
addHush(const Song& song, std::span<const TrackId> tracks, const Hush& hush);
// What of a hush is to be otherwise.
struct HushChange {
    std::optional<HeldPlace> from;
    std::optional<HeldPlace> to;
    std::optional<std::string> label;
    std::optional<Seconds> edge;
    std::optional<bool> staysInTime;
    std::optional<bool> goesWithClips;
};
[[nodiscard]] Result<Song> changeHush(const Song& song, HushId id, const HushChange& change);
[[nodiscard]] Result<Song> removeHush(const Song& song, HushId id);
// The same hush again `by` later, so many lanes lower; what would lie below the last lane is left out.
[[nodiscard]] Result<Song> copyHush(const Song& song, HushId id, double by, int lanes);
// And again, `times` times, each `bars` later.
[[nodiscard]] Result<Song> repeatHush(const Song& song, HushId id, int bars, int times);
// The song after clips were moved, with the hushes that go with them, wherever they lie, moved as far:
// those whose middle lay over one of the clips, which lay at `spans` before.
[[nodiscard]] Song
withHushesAlong(Song moved, const std::map<TrackId, std::vector<Span>>& spans, Frames by);
// Hushes tracks from one time to another; where all of it is hushed already, hushes nothing there any
// more. `isHushed` says which.
struct HushSwitched {
    Song song;
    bool isHushed = true;
};
[[nodiscard]] Result<HushSwitched>
switchHush(const Song& song, std::span<const TrackId> tracks, Span span);

}  // namespace orthochron
