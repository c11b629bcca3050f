#pragma once

#include "core/edits/ClipChoice.h"
#include "core/edits/Pieces.h"

#include <map>
#include <optional>
#include <vector>

// Clips by hand. Every edit goes to the clips it is given and to what the other microphones of their
// set have of the same part, however long their takes are, so that a performance stays one; only
// moving to another track and gain, where asked, touch one microphone alone. Locked clips and tracks are
// never changed: the edit is refused and says so.
namespace orthochron {

struct HandSettings {
    HandJoin join;
    bool ripple = false;  // what comes later moves along
};

// Splits clips at song times. Errors: BadArgument when no time lies inside any of the clips.
[[nodiscard]] Result<Song> splitClips(
    const Song& song,
    const ClipChoice& choice,
    const std::vector<Frames>& times,
    const HandSettings& settings
);

enum class Edge { Start, End };

// Moves an edge by `by` (positive is later) as far as the spare of every microphone reaches. Over
// a neighbour it covers it with a crossfade; the neighbour can be pulled back out.
[[nodiscard]] Result<Song> trimClips(
    const Song& song, const ClipChoice& choice, Edge edge, Frames by, const HandSettings& settings
);

// Moves the audio inside fixed edges, as far as the spare reaches.
[[nodiscard]] Result<Song>
slipClips(const Song& song, const ClipChoice& choice, Frames by, const HandSettings& settings);
// How far a slip by `by` would really go.
[[nodiscard]] Frames slipReach(const Song& song, const ClipChoice& choice, Frames by);

[[nodiscard]] Result<Song>
moveClips(const Song& song, const ClipChoice& choice, Frames by, const HandSettings& settings);
// To another track at the identical time; only the clips given.
[[nodiscard]] Result<Song> moveToTrack(
    const Song& song, const ClipChoice& choice, TrackId target, const HandSettings& settings
);
// Clips taken along, to be laid down again, also when the originals are gone by then.
struct CopiedClips {
    std::map<TrackId, std::vector<Piece>> pieces;
    Span span;
};
// None for an empty choice.
[[nodiscard]] std::optional<CopiedClips> copyOf(const Song& song, const ClipChoice& choice);
// Lays `times` copies one after the other, the first beginning at `at`, each on the track it came
// from. Errors: BadArgument when one of these is locked or gone.
[[nodiscard]] Result<Song> layCopies(
    const Song& song, const CopiedClips& copied, Frames at, int times, const HandSettings& settings
);
[[nodiscard]] Result<Song>
deleteClips(const Song& song, const ClipChoice& choice, const HandSettings& settings);
// Makes one clip of neighbours that are continuous in their take. Errors: BadArgument when none is.
[[nodiscard]] Result<Song>
joinClips(const Song& song, const ClipChoice& choice, const HandSettings& settings);

[[nodiscard]] Result<Song>
reverseClips(const Song& song, const ClipChoice& choice, const HandSettings& settings);

}  // namespace orthochron
