#pragma once

#include "core/edits/ClipEdits.h"
#include "core/edits/FitEdits.h"
#include "core/edits/JoinEdits.h"

#include <optional>

// The steps of a fit by cutting, each alone, on a whole mic set or what of it begins in a span of
// song time. The end of the last clip stays where it is in all of them.
namespace orthochron {

struct StepScope {
    SetId set;
    std::optional<Span> within;  // none for the whole set
};

// Splits the set a lead-in before each of its hits as heard. Errors: BadArgument without hits there.
[[nodiscard]] Result<Song>
cutAtHits(const Song& song, const StepScope& scope, Frames leadIn, const HandJoin& join);

// Pulls the start of each clip that follows a gap back over its spare, by `furthest` at most.
[[nodiscard]] Result<Song>
closeGaps(const Song& song, const StepScope& scope, Frames furthest, const HandJoin& join);

// Shortens the earlier clip where the overlap is longer than `above`, down to `join.crossfade`.
[[nodiscard]] Result<Song>
shortenOverlaps(const Song& song, const StepScope& scope, Frames above, const HandJoin& join);

// Changes the joins of the scope alone: length, shape, lead-in (beforeHit), place (atBy).
[[nodiscard]] Result<Song>
changeJoinsWithin(const Song& song, const StepScope& scope, const JoinChange& change);

// Fits clips that were cut by hand: the first mark heard in each clip is its hit, and the clip
// moves as a whole to where the request puts that hit; clips without one stay. Where two overlap
// then, the earlier is shortened; gaps that opened close as closeGaps does them. Of a choice that
// is not empty only its clips move.
[[nodiscard]] Result<FitOutcome>
fitClips(const Song& song, SetId id, const ClipChoice& choice, const FitRequest& request);

}  // namespace orthochron
