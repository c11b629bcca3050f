#pragma once

#include "core/edits/ClipChoice.h"
#include "core/edits/Pieces.h"

namespace orthochron {

// A stretch of a recording that goes round.
struct LoopCut {
    Span span;      // song time
    int times = 1;  // in a row
    HandJoin join;  // where its end runs into its beginning
};

struct LoopTaken {
    Song song;
    TrackId track;  // the new one of the track that was asked for
};

// Takes a loop out of what a track plays: it is laid on a track of its own below, at the place it was heard,
// with its marks; of a mic set on a set of its own, all microphones alike. What it was taken from stays.
// What lies before its beginning is faded into before its end, so that its first attack stays whole.
// Errors: BadArgument for a span of less than 10 ms, one in which nothing is played, or other than 1 to
// 1000 times.
[[nodiscard]] Result<LoopTaken> takeLoop(const Song& song, TrackId track, const LoopCut& cut);

}  // namespace orthochron
