#pragma once

#include "core/edits/FitPlan.h"

namespace orthochron {

class Sources;

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

}  // namespace orthochron
