#pragma once

#include "core/edits/FitPlan.h"
#include "core/render/Sources.h"

namespace orthochron {

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

// Turns a performance whose map follows the player into one at a constant tempo: every bar of every track is moved
// as a whole to where that tempo has it, cut ahead of its first attack on all microphones of a set alike, its gaps
// closed and crossfaded; its inside stays as it was played. Or, by stretching, every hit and every bar line is pinned
// where that tempo has it, and what lies between yields evenly. What the song plays then is what it had recorded: fits
// start from there, those made before and the ways kept beside them are gone, and the map is steady.
// Errors: BadArgument for a tempo outside 20 to 400, a map that has it already, or a locked track; the sources'.
[[nodiscard]] Result<Song> makeSteady(
    const Song& song,
    double bpm,
    const JoinSettings& joins,
    const Sources& sources,
    const Work& work = {},
    FitWay way = {}
);

// Takes a set back to its recorded clips.
[[nodiscard]] Result<Song> undoFit(const Song& song, SetId id);

// "Cut at 412 hits, moved 9.8 ms on average, 411 joins"
[[nodiscard]] std::string sentenceOf(const FitOutcome& outcome);

}  // namespace orthochron
