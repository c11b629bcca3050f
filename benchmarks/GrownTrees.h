#pragma once

#include "core/onset/Belief.h"

#include <span>
#include <vector>

namespace orthochron {

// What a microphone of a made-up kit heard, and whether it was a blow of its drum.
struct Attack {
    Evidence evidence;
    bool isBlow = false;
    bool counts = true;  // is picked, and is clearly one or the other
};
using Microphone = std::vector<Attack>;
using Half = std::vector<Microphone>;  // those of half the kits

// Boosted trees (Friedman 2001) and the odds they begin with.
struct Grown {
    double odds = 0.0;
    std::vector<BeliefTree> trees;

    [[nodiscard]] Forest forest() const { return {odds, trees}; }
};

// What attacks teach whose truth is known.
[[nodiscard]] Grown growTrees(const Half& half);

// The mean of what they say. What one teaching took for certain by the chance of its kits another did not.
[[nodiscard]] Grown voting(std::span<const Grown> all);

}  // namespace orthochron
