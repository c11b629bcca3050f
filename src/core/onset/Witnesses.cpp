#include "core/onset/Witnesses.h"

#include <oneapi/tbb/parallel_for.h>

#include "core/onset/HeardAttacks.h"
#include "core/onset/Rises.h"

#include <algorithm>
#include <array>
#include <numeric>
#include <optional>

namespace orthochron {

namespace {

// A room microphone hears every blow this much later than a close one: it is nearer to no drum,
// and what it hears within the window is the blow before.
constexpr double kRoomLagHops = 5.0;
constexpr double kClearRise = 6.0;  // dB

// How many hops later `other` hears what is loud in one of two microphones than `heard` does, mostly.
double usualLag(
    const BandEnvelope& heard,
    const BandEnvelope& other,
    std::size_t band,
    const HeardAttacks& attacks,
    std::size_t reference
)
{
    constexpr double kLoud = -8.0;  // dB
    std::vector<double> lags;
    for (std::size_t i = 0; i < attacks.hops.size(); ++i) {
        const double power = sumOf(attacks.attacks[i][reference]);
        if (decibelsOf(power / std::max(attacks.loud, 1e-14)) > kLoud) {
            lags.push_back(static_cast<double>(
                lagOf(other, band, attacks.hops[i]) - lagOf(heard, band, attacks.hops[i])
            ));
        }
    }
    return percentile(std::move(lags), 0.5);
}

// Two microphones stand at one drum when what stands out most in either stands out in both.
bool isSameDrum(std::span<const HeardAttacks> pair)
{
    constexpr double kApart = 8.0;  // dB
    const auto usualLead = [&](std::size_t microphone) {
        std::vector<double> leads;
        for (const std::size_t i : ownOf(pair, microphone)) {
            const Everywhere& attack = pair[microphone].attacks[i];
            leads.push_back(levelIn(attack, 0, pair) - levelIn(attack, 1, pair));
        }
        return percentile(std::move(leads), 0.5);
    };
    return usualLead(0) - usualLead(1) < kApart;
}

// Whether an attack that comes later is a blow's swell: in the band it has most of it is about as loud as the blow or
// softer, and has nothing of its brightness.
bool isSwellOf(const BandPowers& blow, const BandPowers& later)
{
    constexpr std::size_t kBright = 2;  // band
    constexpr double kLouder = 2.0;
    constexpr double kDuller = 0.0316;  // -15 dB
    const auto strong = static_cast<std::size_t>(std::ranges::max_element(later) - later.begin());
    const auto brightness = [&](const BandPowers& powers) {
        return std::accumulate(
            powers.begin() + static_cast<std::ptrdiff_t>(std::max(strong + 1, kBright)),
            powers.end(),
            0.0
        );
    };
    return later[strong] <= kLouder * blow[strong] &&
           brightness(later) * blow[strong] < kDuller * brightness(blow) * later[strong];
}

// What stands out in a microphone, but not as a swell of what stood out before: a head swells again up to half a second
// after its blow, and since nothing is struck with a swell, it would pass for the drum's clearest blow.
std::vector<std::int64_t> blowsIn(const BandEnvelope& heard)
{
    constexpr std::int64_t kSoonest = 55;  // hops of a millisecond
    constexpr std::int64_t kLatest = 500;
    const auto hops = clearRises(heard, kClearRise);
    std::vector<BandPowers> powers(hops.size());
    tbb::parallel_for(std::size_t{0}, hops.size(), [&](std::size_t i) {
        powers[i] = attackPowers(heard, hops[i]);
    });
    std::vector<std::int64_t> blows;
    for (std::size_t i = 0; i < hops.size(); ++i) {
        bool isSwell = false;
        for (std::size_t k = i; k-- > 0 && hops[i] - hops[k] < kLatest && !isSwell;) {
            isSwell = hops[i] - hops[k] > kSoonest && isSwellOf(powers[k], powers[i]);
        }
        if (!isSwell) {
            blows.push_back(hops[i]);
        }
    }
    return blows;
}

}  // namespace

std::vector<OnsetWitness> witnesses(
    const BandEnvelope& heard,
    std::span<const std::int64_t> clear,
    std::span<const BandEnvelope* const> others
)
{
    std::vector<std::optional<OnsetWitness>> tried(others.size());
    tbb::parallel_for(std::size_t{0}, others.size(), [&](std::size_t o) {
        const BandEnvelope* other = others[o];
        OnsetWitness witness{other, blowsIn(*other), noiseFloor(*other)};
        const std::array<const BandEnvelope*, 2> pair{&heard, other};
        const std::array<HeardAttacks, 2> both{
            hearAll(pair, 0, clear), hearAll(pair, 1, witness.clear)};
        const HeardAttacks& here = both[0];
        BandPowers strong{};
        for (const Everywhere& attack : here.attacks) {
            for (std::size_t band = 0; band < kBands; ++band) {
                strong[band] += attack[0][band];
            }
        }
        const auto band =
            static_cast<std::size_t>(std::ranges::max_element(strong) - strong.begin());
        std::vector<double> there;
        for (const Everywhere& attack : here.attacks) {
            there.push_back(attack[1][band]);
        }
        const bool isDeaf = decibelsOf(loudOf(std::move(there))) <
                            decibelsOf(static_cast<double>(witness.noise[band])) + 12.0;
        // A close microphone hears late what is struck elsewhere, and first what is struck there.
        const bool isRoom = usualLag(heard, *other, band, here, 0) >= kRoomLagHops &&
                            usualLag(heard, *other, band, both[1], 1) > 0.0;
        if (!isDeaf && !isRoom && !isSameDrum(both)) {
            tried[o] = std::move(witness);
        }
    });
    std::vector<OnsetWitness> chosen;
    for (auto& witness : tried) {
        if (witness) {
            chosen.push_back(std::move(*witness));
        }
    }
    return chosen;
}

}  // namespace orthochron
