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

std::array<Mixing, kBands> learn(std::vector<HeardAttacks>& all)
{
    constexpr int kRounds = 3;
    // What is struck together with a drum now and then is no part of it.
    constexpr double kAlways = 0.1;
    const std::size_t count = all.size();
    std::vector<std::vector<std::size_t>> own(count);
    for (int round = 0; round < kRounds; ++round) {
        for (std::size_t d = 0; d < count; ++d) {
            own[d] = ownOf(all, d);
        }
        for (std::size_t d = 0; d < count; ++d) {
            std::vector<double> powers;
            for (const std::size_t i : own[d]) {
                powers.push_back(sumOf(all[d].attacks[i][d]));
            }
            all[d].loud = loudOf(std::move(powers));
        }
    }
    std::array<Mixing, kBands> mixing;
    mixing.fill(Mixing(count, std::vector<double>(count, 0.0)));
    auto growth = mixing;
    for (std::size_t d = 0; d < count; ++d) {
        std::vector<double> powers;
        for (const std::size_t i : own[d]) {
            powers.push_back(sumOf(all[d].attacks[i][d]));
        }
        std::vector<double> sorted = powers;
        std::ranges::sort(sorted, std::greater{});
        const double least =
            sorted.empty()
                ? 0.0
                : sorted[std::min(sorted.size() - 1, std::max<std::size_t>(2, sorted.size() / 2))];
        for (std::size_t m = 0; m < count; ++m) {
            for (std::size_t band = 0; band < kBands; ++band) {
                std::vector<double> parts;
                std::vector<double> blows;
                std::vector<double> there;
                for (std::size_t k = 0; k < own[d].size(); ++k) {
                    if ((m != d || powers[k] >= least) && powers[k] > 0.0) {
                        blows.push_back(powers[k]);
                        there.push_back(all[d].attacks[own[d][k]][m][band]);
                        parts.push_back(there.back() / blows.back());
                    }
                }
                growth[band][m][d] = growthOf(blows, there) * all[d].loud;
                mixing[band][m][d] =
                    percentile(std::move(parts), m == d ? 0.5 : kAlways) * all[d].loud;
            }
        }
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
