#pragma once

#include "core/onset/OnsetDetector.h"

#include <array>
#include <span>
#include <vector>

namespace orthochron {

// What speaks for and against an attack being a blow of the microphone's own drum. Decibels are of
// power; levels count from the drum's loud blows.
struct Evidence {
    double level = 0.0;         // of what is the own drum's
    double overBleed = 0.0;     // that against what is not
    double rise = 0.0;          // above what rang before
    double novelty = 0.0;       // see noveltyOf
    double dull = 0.0;          // how much it lacks above the band that carries the drum
    double thin = 0.0;          // how much it lacks in that band
    double owed = 0.0;          // what the blow before still rings with, above the attack
    double since = 0.0;         // seconds since that blow, 1 at the most
    double secondRise = 0.0;    // the second greatest of the bands' rises
    double brightRise = 0.0;    // the greatest of the two high bands' rises
    double isRing = 0.0;        // 1 for what tellRings takes for one
};
inline constexpr std::size_t kEvidence = 11;
[[nodiscard]] std::array<double, kEvidence> listed(const Evidence& evidence);

// Fills in each candidate's level and strength, what it owes, and says all there is for and
// against it. `others` as in weighCandidates.
[[nodiscard]] std::vector<Evidence>
gatherEvidence(OnsetAnalysis& analysis, std::span<const BandEnvelope* const> others);

// One yes-or-no question after another leads to a part of the answer: three questions a tree.
struct BeliefTree {
    std::array<std::uint8_t, 7> asked{};  // which evidence; child k of question q is 2q + 1 + k
    std::array<float, 7> least{};         // yes from this value on
    std::array<float, 8> odds{};          // what is added to the logarithm of the odds
};

// How sure it is that each attack is a blow: boosted trees (Friedman 2001), then what attacks of
// the same level turn out to be in this very recording.
struct Belief {
    double odds = 0.0;  // logarithm, before anything is known
    std::span<const BeliefTree> trees;
    double alone = 0.0;  // weight of the trees' word,
    double among = 0.0;  // of the level's, and of it once more where it speaks for the attack
    double amongFor = 0.0;
    double constant = 0.0;

    [[nodiscard]] double first(const Evidence& evidence) const;  // 0..1
    [[nodiscard]] std::vector<double>
    confidence(std::span<const Evidence> evidence) const;  // 0..1
};

// By level: the logarithm of how many attacks of about the same level are believed to be blows,
// against how many are not, within -5 and 5.
[[nodiscard]] std::vector<double>
oddsAtLevel(std::span<const double> levels, std::span<const double> beliefs);

// What made-up kits of many kinds teach (benchmarks/Teach.cpp), for a microphone among its set and for
// one alone.
[[nodiscard]] const Belief& beliefInSet();
[[nodiscard]] const Belief& beliefAlone();

}  // namespace orthochron
