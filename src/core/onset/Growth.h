#pragma once

#include "core/onset/OnsetDetector.h"

namespace orthochron {

// Some drums, electronic toms above all, do not speak at once but grow for some 30 ms, step by step. Where a third of a
// drum's loud blows do, what rises again within that time, by less than it began with, is the blow still growing: it is not
// another (confidence 0), and the blow is as strong as it becomes. A main stroke after its grace stroke rises by more
// and is louder against it. Candidates need their confidence and strength.
void tellGrowth(OnsetAnalysis& analysis);

}  // namespace orthochron
