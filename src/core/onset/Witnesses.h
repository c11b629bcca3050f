#pragma once

#include "core/onset/AttackLevels.h"

#include <span>
#include <vector>

namespace orthochron {

// Another microphone that can say whose an attack is, with the attacks that stand out in it.
struct OnsetWitness {
    const BandEnvelope* envelope = nullptr;
    std::vector<std::int64_t> clear;
    BandLevels noise{};  // see noiseFloor
};

// Which of the other microphones of a set can say whose the attacks of one are: those of the same drum, of a room (all is
// late there) and those that hear nothing but noise are passed over. `clear`: the attacks that stand out in that one.
[[nodiscard]] std::vector<OnsetWitness> witnesses(
    const BandEnvelope& heard,
    std::span<const std::int64_t> clear,
    std::span<const BandEnvelope* const> others
);

}  // namespace orthochron
