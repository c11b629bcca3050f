#pragma once

#include "core/onset/AttackLevels.h"

#include <span>
#include <vector>

// What all microphones of a set hear of the attacks that stand out in one of them.
namespace orthochron {

using Everywhere = std::vector<BandPowers>;  // of one attack, by microphone

// The attacks that stand out in one microphone, and what all of them hear then.
struct HeardAttacks {
    std::vector<std::int64_t> hops;  // when
    std::vector<Everywhere> attacks;
    double loud = 0.0;  // power of the loud ones that are its own
};

// What an attack that `reference` hears at `hop` brings to each microphone.
[[nodiscard]] Everywhere
hearAt(std::span<const BandEnvelope* const> microphones, std::size_t reference, std::int64_t hop);
[[nodiscard]] HeardAttacks hearAll(
    std::span<const BandEnvelope* const> microphones,
    std::size_t reference,
    std::span<const std::int64_t> hops
);

// How many hops after `hop` a microphone hears an attack in a band, -4 to 16: when its level has come half way
// to the highest of these moments.
[[nodiscard]] std::int64_t lagOf(const BandEnvelope& heard, std::size_t band, std::int64_t hop);

// How loud an attack is in a microphone; dB, 0 is loud there.
[[nodiscard]] double
levelIn(const Everywhere& attack, std::size_t microphone, std::span<const HeardAttacks> all);

// How much louder, by those measures, what is loud in one microphone is there than in another, near the most; dB.
[[nodiscard]] double
greatestLead(std::span<const HeardAttacks> all, std::size_t microphone, std::size_t other);

// How far among the leads of one drum's blows the least lies below the greatest, dB; and how many it takes to know a drum.
inline constexpr double kSpreadOfLeads = 9.0;
inline constexpr std::size_t kFewestOwn = 3;

// Which attacks of a microphone are its own drum's: of the loud ones those that stand out there
// most against all others.
[[nodiscard]] std::vector<std::size_t>
ownOf(std::span<const HeardAttacks> all, std::size_t microphone);

}  // namespace orthochron
