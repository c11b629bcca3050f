#pragma once

#include "core/onset/OnsetDetector.h"

#include <vector>

namespace orthochron {

// A blow of the set: which lead it belongs to and what was found there.
struct LeadOnset {
    int lead = 0;
    Onset onset;

    bool operator==(const LeadOnset&) const = default;
};

// Brings the onsets of several leads together, in ascending order of time. Two leads that stand
// at the same drum (nearly all of the blows of one are in the other, always equally later) hear
// one blow twice: it stays with the lead it reaches first. Blows of different drums that fall
// together both stay.
[[nodiscard]] std::vector<LeadOnset>
mergeLeads(const std::vector<std::vector<Onset>>& leads, Hertz rate);

}  // namespace orthochron
