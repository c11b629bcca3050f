#include "core/onset/HeardAttacks.h"

#include <oneapi/tbb/parallel_for.h>

#include <algorithm>
#include <functional>
#include <utility>

namespace orthochron {

namespace {

constexpr double kLoud = -16.0;  // dB

// Near the greatest of them: not the greatest of all, which may be chance. `leads` are not empty.
double nearGreatest(std::vector<double> leads)
{
    const std::size_t place = std::max<std::size_t>(2, leads.size() / 50);
    std::ranges::sort(leads, std::greater{});
    return leads[std::min(leads.size() - 1, place)];
}

}  // namespace

Everywhere
hearAt(std::span<const BandEnvelope* const> microphones, std::size_t reference, std::int64_t hop)
{
    Everywhere powers;
    for (std::size_t m = 0; m < microphones.size(); ++m) {
        powers.push_back(
            m == reference ? attackPowers(*microphones[m], hop)
                           : attackPowersAround(*microphones[m], hop)
        );
    }
    return powers;
}

HeardAttacks hearAll(
    std::span<const BandEnvelope* const> microphones,
    std::size_t reference,
    std::span<const std::int64_t> hops
)
{
    HeardAttacks heard;
    heard.hops.assign(hops.begin(), hops.end());
    heard.attacks.resize(hops.size());
    tbb::parallel_for(std::size_t{0}, hops.size(), [&](std::size_t i) {
        heard.attacks[i] = hearAt(microphones, reference, hops[i]);
    });
    std::vector<double> powers;
    for (const Everywhere& attack : heard.attacks) {
        powers.push_back(sumOf(attack[reference]));
    }
    heard.loud = loudOf(std::move(powers));
    return heard;
}

std::int64_t lagOf(const BandEnvelope& heard, std::size_t band, std::int64_t hop)
{
    constexpr std::int64_t kEarliest = -4;
    constexpr std::int64_t kLatest = 16;
    const auto levelAt = [&](std::int64_t shift) {
        return heard.mean(static_cast<int>(band), hop + shift, hop + shift + 2);
    };
    double most = 0.0;
    for (std::int64_t shift = kEarliest; shift <= kLatest; ++shift) {
        most = std::max(most, levelAt(shift));
    }
    for (std::int64_t shift = kEarliest; shift <= kLatest; ++shift) {
        if (levelAt(shift) >= 0.5 * most) {
            return shift;
        }
    }
    return kLatest;
}

double levelIn(const Everywhere& attack, std::size_t microphone, std::span<const HeardAttacks> all)
{
    return decibelsOf(sumOf(attack[microphone]) / std::max(all[microphone].loud, 1e-14));
}

double greatestLead(std::span<const HeardAttacks> all, std::size_t microphone, std::size_t other)
{
    std::vector<double> leads;
    for (const Everywhere& attack : all[microphone].attacks) {
        if (const double level = levelIn(attack, microphone, all); level > kLoud) {
            leads.push_back(level - levelIn(attack, other, all));
        }
    }
    return leads.empty() ? 0.0 : nearGreatest(std::move(leads));
}

std::vector<std::size_t> ownOf(std::span<const HeardAttacks> all, std::size_t microphone)
{
    const auto& attacks = all[microphone].attacks;
    std::vector<std::size_t> loud;
    std::vector<double> levels;
    std::vector<double> leads;
    for (const Everywhere& attack : attacks) {
        levels.push_back(levelIn(attack, microphone, all));
        double loudestThere = -200.0;
        for (std::size_t m = 0; m < attack.size(); ++m) {
            if (m != microphone) {
                loudestThere = std::max(loudestThere, levelIn(attack, m, all));
            }
        }
        leads.push_back(attack.size() > 1 ? levels.back() - loudestThere : 0.0);
        if (levels.back() > kLoud) {
            loud.push_back(levels.size() - 1);
        }
    }
    if (loud.size() < kFewestOwn) {
        std::vector<std::size_t> order(attacks.size());
        for (std::size_t i = 0; i < order.size(); ++i) {
            order[i] = i;
        }
        std::ranges::sort(order, std::greater{}, [&](std::size_t i) { return levels[i]; });
        order.resize(std::min(order.size(), kFewestOwn));
        return order;
    }
    std::vector<double> ofLoud;
    for (const std::size_t i : loud) {
        ofLoud.push_back(leads[i]);
    }
    const double most = nearGreatest(std::move(ofLoud));
    std::erase_if(loud, [&](std::size_t i) { return leads[i] <= most - kSpreadOfLeads; });
    return loud;
}

}  // namespace orthochron
