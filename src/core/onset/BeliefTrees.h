#pragma once

#include "core/onset/Belief.h"

// Written by benchmarks/Teach.cpp into BeliefTrees.cpp.
namespace orthochron::taught {

[[nodiscard]] Belief inSet();
[[nodiscard]] Belief alone();

}  // namespace orthochron::taught
