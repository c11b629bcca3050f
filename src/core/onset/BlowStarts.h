#pragma once

#include "core/onset/OnsetDetector.h"

namespace orthochron {

// Where the attacks of a lead begin, as the drum's other blows tell. Each moves `onset.at` of the candidates alone, in
// whatever order they stand.

// A beater's click comes ahead of the body of its drum, and a shell may speak in two steps: what rises
// at the same time ahead of blow after blow belongs to the blow, and it begins there. Another drum
// arriving keeps no such time.
void beginWithClicks(OnsetAnalysis& analysis, Hertz rate);

// What rises ahead of a blow belongs to it, as its click does, when it cannot be another drum's and other blows of the drum,
// loud like it or soft like it, show the like as long ahead: soft strokes rise in other ways than loud ones.
void beginWithOwnRises(OnsetAnalysis& analysis);

// As the drum's strokes begin, so does each of them (see startsByShape).
void beginAsOthersDo(OnsetAnalysis& analysis);

// Nothing but the blow can be what rises out of the quiet ahead of it, nearly as loud as the blow itself, when no other drum
// is struck then: it begins there, though none of the drum's other blows does the like. Only a set tells that.
void beginInTheClear(OnsetAnalysis& analysis);

}  // namespace orthochron
