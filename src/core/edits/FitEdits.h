#pragma once

#include "core/base/Work.h"
#include "core/edits/FitPlan.h"
#include "core/fit/Moves.h"

#include <string>

namespace orthochron {

class Sources;

struct FitOutcome {
    Song song;
    FitFigures figures;
    FitMethod method = FitMethod::Cut;
    int joins = 0;
    int kept = 0;    // hits passed over: outside the range or in locked clips
    int byHand = 0;  // clips kept as they were changed by hand
};

// Fits a set, by cutting or by stretching, as is asked for. Starts from the recorded clips, whatever
// fits were made before; hits outside the range or in locked clips keep the place they have.
//
// Cutting cuts every track at the same samples, moves the pieces, closes the gaps and crossfades;
// joins between hits that do not move keep their place and shape. Stretching gives all clips of a
// set one time map (stretchedClips) and reads no audio.
// Errors: BadArgument when there is nothing to fit, or when what was recorded cannot be stretched;
// the sources'.
[[nodiscard]] Result<FitOutcome> fitSet(
    const Song& song,
    SetId id,
    const FitRequest& request,
    const Sources& sources,
    const Work& work = {}
);

// Takes a set back to its recorded clips.
[[nodiscard]] Result<Song> undoFit(const Song& song, SetId id);

// "Cut at 412 hits, moved 9.8 ms on average, 411 joins"
[[nodiscard]] std::string sentenceOf(const FitOutcome& outcome);

}  // namespace orthochron
