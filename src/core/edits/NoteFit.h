#pragma once

#include "core/edits/FitPlan.h"
#include "core/tune/Guide.h"

#include <set>
#include <span>
#include <vector>

namespace orthochron {

struct FittedNotes {
    std::vector<NoteTuning> asked;
    int moved = 0;
    // How far the starts of those that were meant are from their lines, on average: as they were, and as they now are.
    Seconds before;
    Seconds after;
};

// What is asked of notes so that they are in time: their starts are judged as the hits of one lead are, and drift, feel
// and strays are taken out by the amounts of a fit, by moving notes as a whole. Of `meant` ones only, by index; all
// are listened to. A note that would move by less than 5 ms keeps its start to the sample; where the one after it
// comes earlier, or touches it, its end yields, and one that would be left too short keeps its place (moveEnds).
// `heard` and `asked` are of the same notes, ascending. Errors: BadArgument for no notes, amounts no fit can have.
[[nodiscard]] Result<FittedNotes> fitNotes(
    const Song& song,
    TrackId track,
    std::span<const HeardNote> heard,
    std::vector<NoteTuning> asked,
    const std::set<std::size_t>& meant,
    const FitRequest& request
);

}  // namespace orthochron
