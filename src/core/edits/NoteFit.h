#pragma once

#include "core/edits/FitPlan.h"
#include "core/tune/Guide.h"

#include <set>

namespace orthochron {

struct FittedNotes {
    std::vector<NoteTuning> asked;
    FitFigures figures;  // of the starts of those that were meant
    int moved = 0;
};

// What is asked of notes so that they are in time: their starts are judged as the hits of one lead are, and drift, feel
// and strays are taken out by the amounts of a fit, by moving notes as a whole. Of `meant` ones only, by index; all
// are listened to. A note that need move by less than 5 ms, or not at all, keeps its start to the sample; where the one after it comes earlier, or
// touches it, its end yields, and one that would be left shorter than 50 ms keeps its place. `heard` and `asked` are of
// the same notes, ascending. Errors: BadArgument for no notes, amounts no fit can have.
[[nodiscard]] Result<FittedNotes> fitNotes(
    const Song& song,
    TrackId track,
    std::span<const HeardNote> heard,
    std::vector<NoteTuning> asked,
    const std::set<std::size_t>& meant,
    const FitRequest& request
);

}  // namespace orthochron
