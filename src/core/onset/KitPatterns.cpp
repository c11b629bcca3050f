#include "core/onset/KitPatterns.h"

#include <oneapi/tbb/parallel_for.h>

#include "core/onset/HeardAttacks.h"
#include "core/onset/Mixing.h"
#include "core/onset/Witnesses.h"

#include <algorithm>
#include <array>
#include <functional>
#include <iterator>

namespace orthochron {

namespace {

using Indices = std::vector<std::size_t>;
using InBands = std::array<Mixing, kBands>;

// Which attacks of each microphone are its own drum's, and how loud those are.
std::vector<Indices> tellOwn(std::vector<HeardAttacks>& all)
{
    constexpr int kRounds = 3;
    std::vector<Indices> own(all.size());
    for (int round = 0; round < kRounds; ++round) {
        for (std::size_t d = 0; d < all.size(); ++d) {
            own[d] = ownOf(all, d);
        }
        for (std::size_t d = 0; d < all.size(); ++d) {
            std::vector<double> powers;
            for (const std::size_t i : own[d]) {
                powers.push_back(sumOf(all[d].attacks[i][d]));
            }
            all[d].loud = loudOf(std::move(powers));
        }
    }
    return own;
}

// What a drum's loud blows have in each band in its own microphone.
BandPowers patternOf(const HeardAttacks& heard, const Indices& own, std::size_t drum)
{
    const auto powerOf = [&](std::size_t i) { return sumOf(heard.attacks[i][drum]); };
    std::vector<double> powers;
    std::ranges::transform(own, std::back_inserter(powers), powerOf);
    std::ranges::sort(powers, std::greater{});
    const std::size_t half = std::max<std::size_t>(2, powers.size() / 2);
    const double least = powers.empty() ? 0.0 : powers[std::min(powers.size() - 1, half)];
    BandPowers pattern{};
    for (std::size_t band = 0; band < kBands; ++band) {
        std::vector<double> parts;
        for (const std::size_t i : own) {
            if (const double power = powerOf(i); power > 0.0 && power >= least) {
                parts.push_back(heard.attacks[i][drum][band] / power);
            }
        }
        pattern[band] = percentile(std::move(parts), 0.5) * heard.loud;
    }
    return pattern;
}

// How strongly every microphone hears a drum's loud blow. The way there takes the same part of a band from every stroke,
// bright or dull, so it is held against what the drum's own microphone has in that band; strokes that have hardly anything
// in it say nothing.
void learnDrum(
    const HeardAttacks& heard,
    const Indices& own,
    std::size_t drum,
    InBands& mixing,
    InBands& growth
)
{
    // What is struck together with a drum now and then is no part of it.
    constexpr double kAlways = 0.05;
    constexpr double kHardly = 0.1;  // of what its loud blows have there
    const BandPowers pattern = patternOf(heard, own, drum);
    for (std::size_t band = 0; band < kBands; ++band) {
        mixing[band][drum][drum] = pattern[band];
        for (std::size_t m = 0; m < mixing[band].size(); ++m) {
            if (m == drum) {
                continue;
            }
            std::vector<double> blows;
            std::vector<double> there;
            std::vector<double> parts;
            for (const std::size_t i : own) {
                const Everywhere& attack = heard.attacks[i];
                const double blow = attack[drum][band];
                const double usual = pattern[band] * sumOf(attack[drum]) / heard.loud;
                if (blow > kHardly * usual) {
                    blows.push_back(blow);
                    there.push_back(attack[m][band]);
                    parts.push_back(attack[m][band] / blow);
                }
            }
            growth[band][m][drum] = growthOf(blows, there) * pattern[band];
            mixing[band][m][drum] = percentile(std::move(parts), kAlways) * pattern[band];
        }
    }
}

InBands learn(std::vector<HeardAttacks>& all)
{
    const std::vector<Indices> own = tellOwn(all);
    InBands mixing;
    mixing.fill(Mixing(all.size(), std::vector<double>(all.size(), 0.0)));
    InBands growth = mixing;
    for (std::size_t d = 0; d < all.size(); ++d) {
        learnDrum(all[d], own[d], d, mixing, growth);
    }
    for (std::size_t band = 0; band < kBands; ++band) {
        leaveOutCompany(mixing[band], growth[band]);
    }
    return mixing;
}

// When each witness hears its own drum struck: of what stands out in it what does so in no other as much.
std::vector<std::int64_t>
blowsOfOthers(std::span<const HeardAttacks> all, std::span<const OnsetWitness> chosen)
{
    constexpr double kSoftest = -30.0;  // dB
    constexpr double kLead = 3.0;       // dB
    std::vector<std::int64_t> blows;
    for (std::size_t w = 0; w < chosen.size(); ++w) {
        const std::size_t microphone = w + 1;
        for (std::size_t i = 0; i < chosen[w].clear.size(); ++i) {
            const Everywhere& attack = all[microphone].attacks[i];
            const double level = levelIn(attack, microphone, all);
            bool isOwn = level > kSoftest;
            for (std::size_t m = 0; m < attack.size(); ++m) {
                isOwn = isOwn && (m == microphone || level > levelIn(attack, m, all) + kLead);
            }
            if (isOwn) {
                blows.push_back(chosen[w].clear[i]);
            }
        }
    }
    std::ranges::sort(blows);
    return blows;
}

}  // namespace

OwnParts ownParts(
    const BandEnvelope& heard,
    std::span<const std::int64_t> hops,
    std::span<const std::int64_t> clear,
    std::span<const BandEnvelope* const> others
)
{
    std::vector<const BandEnvelope*> microphones{&heard};
    const auto chosen = witnesses(heard, clear, others);
    std::ranges::transform(chosen, std::back_inserter(microphones), &OnsetWitness::envelope);
    std::vector<HeardAttacks> all;
    all.push_back(hearAll(microphones, 0, clear));
    for (std::size_t w = 0; w < chosen.size(); ++w) {
        all.push_back(hearAll(microphones, w + 1, chosen[w].clear));
    }
    const auto mixing = learn(all);
    OwnParts parts;
    parts.own.resize(hops.size());
    parts.bleed.resize(hops.size());
    parts.loud = all.front().loud;
    parts.witnesses = chosen.size();
    parts.othersBlows = blowsOfOthers(all, chosen);
    double whole = 1e-14;
    for (std::size_t band = 0; band < kBands; ++band) {
        whole += mixing[band][0][0];
    }
    for (std::size_t band = 0; band < kBands; ++band) {
        parts.pattern[band] = mixing[band][0][0] / whole;
    }
    std::vector<Unmixing> unmixing;
    for (const Mixing& inBand : mixing) {
        unmixing.emplace_back(inBand);
    }
    tbb::parallel_for(std::size_t{0}, hops.size(), [&](std::size_t i) {
        const Everywhere powers = hearAt(microphones, 0, hops[i]);
        if (microphones.size() == 1) {
            parts.own[i] = powers.front();
            return;
        }
        for (std::size_t band = 0; band < kBands; ++band) {
            std::vector<double> inBand;
            for (const BandPowers& power : powers) {
                inBand.push_back(power[band]);
            }
            const auto gains = unmixing[band].gainsOf(inBand);
            parts.own[i][band] = gains[0] * mixing[band][0][0];
            for (std::size_t d = 1; d < gains.size(); ++d) {
                parts.bleed[i][band] += gains[d] * mixing[band][0][d];
            }
        }
    });
    return parts;
}

}  // namespace orthochron
