#pragma once

#include "core/edits/SetParts.h"

#include <functional>
#include <optional>
#include <vector>

namespace orthochron {

// How an edit by hand joins what comes to touch.
struct HandJoin {
    Frames crossfade{240};  // 0 leaves a hard edge
    FadeShape shape = FadeShape::Matched;
};
// As the joins of a fit are made.
[[nodiscard]] HandJoin handJoin(const JoinSettings& joins, Hertz rate);

// How a piece meets the one before it.
struct Meeting {
    ClipId with;    // the piece before, when they met
    Frames length;  // of the crossfade
    Fade look;      // its shape and middle
};

// A clip without its crossfades: pieces of a track never overlap. A crossfade lies before the
// boundary, so that what begins there is heard alone from its first frame on.
struct Piece {
    Clip clip;
    std::optional<Meeting> meeting;
};

// The pieces of a track's clips, ascending. A clip that belongs to no part is one by itself.
[[nodiscard]] std::vector<Piece> takenApart(const std::vector<Clip>& clips);

// Whether neighbours overlap by exactly their crossfade, and no three are heard at once.
[[nodiscard]] bool isWellJoined(const std::vector<Clip>& clips);

// How far a clip's edge can be pulled out.
[[nodiscard]] Frames spareBefore(const Song& song, const Clip& clip);
[[nodiscard]] Frames spareAfter(const Song& song, const Clip& clip);

// Moves an edge outwards (or inwards, when negative); the caller keeps it within the spare.
void pullStart(Clip& clip, Frames outwards);
void pullEnd(Clip& clip, Frames outwards);

// Whether the second goes on in the take where the first ends, and sounds no different.
[[nodiscard]] bool isContinuous(const Clip& before, const Clip& after);
// Makes one piece of neighbours that are continuous, where `mayJoin` says so of both; true when any.
bool joinContinuous(std::vector<Piece>& pieces, const std::function<bool(const Clip&)>& mayJoin);

// What lies in [from, to) of some pieces; the rest when `outside`.
[[nodiscard]] std::vector<Piece>
cropped(const std::vector<Piece>& pieces, Frames from, Frames to, bool outside, NewIds& ids);

// Lays pieces over those of a track: what lies under them is trimmed, split or, where nothing of
// it is left to see, taken away. Errors: BadArgument when something locked is in the way.
[[nodiscard]] Result<void>
layOver(std::vector<Piece>& pieces, std::vector<Piece> laid, NewIds& ids);

// Sorts pieces and ends every overlap: the earlier gives way to the later, but a locked one to none.
// What has nothing left to be heard goes. Needed where pieces were moved, and where the microphones
// of a set are not cut alike but are all treated as one of them.
void partPieces(std::vector<Piece>& pieces);

// Puts tracks that were recorded together back together: pieces that touch are crossfaded, at one
// place and length on all of them, as they met before or else as `join` says, as far as the spare
// of each reaches. New free ends get a fade of that length. Where fades would overlap within a
// clip, both give way in proportion.
[[nodiscard]] std::vector<std::vector<Clip>>
putTogether(const Song& song, std::vector<std::vector<Piece>> tracks, const HandJoin& join);

}  // namespace orthochron
