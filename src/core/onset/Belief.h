#pragma once

#include "core/onset/KitPatterns.h"
#include "core/onset/OnsetDetector.h"

#include <array>
#include <span>
#include <vector>

namespace orthochron {

// What speaks for and against an attack being a blow of the microphone's own drum. Decibels are of
// power; levels count from the drum's loud blows.
struct Evidence {
    double level = 0.0;       // of what is the own drum's
    double overBleed = 0.0;   // that against what is not
    double rise = 0.0;        // above what rang before
    double novelty = 0.0;     // see noveltyOf
    double dull = 0.0;        // how much it lacks above the band that carries the drum
    double thin = 0.0;        // how much it lacks in that band
    double owed = 0.0;        // what the blow before still rings with, above the attack
    double since = 0.0;       // seconds since that blow, 1 at the most
    double secondRise = 0.0;  // the second greatest of the bands' rises
    double brightRise = 0.0;  // the greatest of the two high bands' rises
    double isRing = 0.0;      // 1 for what tellRings takes for one
    double unlike =
        0.0;  // how much otherwise it is made up than the loud blows, see UsualColour; 2 at least
    // How much more there is of it here than elsewhere (see OwnParts), in the two high bands and in the one above the
    // lowest. What no microphone stands at is heard about as much by all, a drum's soft stroke mostly by its own. 30 at the
    // most, and where fewer than two others have something to say.
    double brightApart = 30.0;
    double middleApart = 30.0;
    // Of the microphone, the same for all its attacks: what kind of drum its loud blows tell of. A snare's soft strokes
    // are as dull as a kick's rings.
    double height = 0.0;   // 0 where their power lies low (a kick), 2 where it lies high (cymbals)
    double dryness = 0.0;  // 0 where they ring on, 2 where little is left after 80 ms
    double amongLevel = 0.0;  // see oddsAtLevel; 0 at first
};
inline constexpr std::size_t kEvidence = 17;
[[nodiscard]] std::array<double, kEvidence> listed(const Evidence& evidence);

// All that is known of a channel's candidates, in their order.
struct Case {
    LearnedKit kit;
    BandLevels floor{};
    std::vector<Evidence> measured;  // of each by itself
    std::vector<Evidence> evidence;  // and as it lies among all
    bool isAmongOthers = false;      // another microphone had something to say
    bool isOfSeveral = false;  // no close microphone: several drums are about equally loud in it
};

// Fills in each candidate's level and strength, what it owes, and says all there is for and
// against it. `others` as in weighCandidates; they and the analysis must outlive it.
[[nodiscard]] Case
gatherEvidence(OnsetAnalysis& analysis, std::span<const BandEnvelope* const> others);

// The same once some candidates speak from elsewhere.
void gatherAnew(OnsetAnalysis& analysis, Case& gathered, std::span<const std::size_t> which);

// One yes-or-no question after another leads to a part of the answer: so many on the way to it.
inline constexpr int kQuestionsDeep = 4;
inline constexpr std::size_t kQuestions = (std::size_t{1} << kQuestionsDeep) - 1;
struct BeliefTree {
    // Which evidence; child k of question q is 2q + 1 + k.
    std::array<std::uint8_t, kQuestions> asked{};
    std::array<float, kQuestions> least{};  // yes from this value on
    // What is added to the logarithm of the odds.
    std::array<float, kQuestions + 1> odds{};
};

// Boosted trees (Friedman 2001): the logarithm of the odds, word by word.
struct Forest {
    double odds = 0.0;  // before anything is known
    std::span<const BeliefTree> trees;

    [[nodiscard]] double sum(const Evidence& evidence) const;     // logarithm of the odds
    [[nodiscard]] double chance(const Evidence& evidence) const;  // 0..1
};

// How sure it is that each attack is a blow. First each by itself; then once more, now that it is
// known what attacks of the same level turn out to be in this very recording.
struct Belief {
    Forest first;
    Forest second;
    // What kits that no tree has seen make of the second's odds: a straight line through them.
    double constant = 0.0;
    double slope = 1.0;

    [[nodiscard]] std::vector<double> confidence(std::span<const Evidence> evidence) const;
};

// By level: the logarithm of how many attacks of about the same level are believed to be blows,
// against how many are not, within -2 and 2.
[[nodiscard]] std::vector<double>
oddsAtLevel(std::span<const double> levels, std::span<const double> beliefs);

// How sure it is of one of several drums in a recording of a whole kit, where none is bleed: by how
// steeply it rises, an even chance at 4.5 dB; a ring is none.
[[nodiscard]] double plainConfidence(const Evidence& evidence);

// What made-up kits of many kinds teach (benchmarks/Teach.cpp), for a microphone among its set and for
// one alone.
[[nodiscard]] const Belief& beliefInSet();
[[nodiscard]] const Belief& beliefAlone();

}  // namespace orthochron
