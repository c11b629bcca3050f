#pragma once

#include "core/onset/OnsetDetector.h"

namespace orthochron {

// Finds where notes begin that have no steep rise: bowed, plucked softly, sung.
//
// Every 5 ms the level and the pitch of what sounds before and after are compared (pitch by the
// normalised difference of de Cheveigne and Kawahara 2002, 50 to 1000 Hz); a new note is where
// level and pitch together change most. It starts where its level begins to rise, or, where only
// the pitch changes, in the middle of that change. Candidates carry the level they reach.
//
// Same arguments, errors and shape of result as analyseOnsets.
[[nodiscard]] Result<OnsetAnalysis>
analyseWeakOnsets(const Channel& channel, Hertz rate, const Work& work = {});

}  // namespace orthochron
