#include "core/onset/KitPatterns.h"

#include <oneapi/tbb/parallel_for.h>

#include "core/onset/Rises.h"

#include <algorithm>
#include <cmath>
#include <limits>
#include <numeric>
#include <optional>

namespace orthochron {

namespace {

using Everywhere = std::vector<BandPowers>;  // of one attack, by microphone

// A room microphone hears every blow this much later than a close one: it is nearer to no drum,
// and what it hears within the window is the blow before.
constexpr double kRoomLagHops = 5.0;
constexpr double kClearRise = 6.0;  // dB

// How many hops after `hop` a microphone hears an attack: when its level has come half way
// to the highest of the next moments.
std::int64_t lagOf(const BandEnvelope& heard, int band, std::int64_t hop)
{
    constexpr std::int64_t kEarliest = -4;
    constexpr std::int64_t kLatest = 16;
    double most = 0.0;
    for (std::int64_t shift = kEarliest; shift <= kLatest; ++shift) {
        most = std::max(most, heard.mean(band, hop + shift, hop + shift + 2));
    }
    for (std::int64_t shift = kEarliest; shift <= kLatest; ++shift) {
        if (heard.mean(band, hop + shift, hop + shift + 2) >= 0.5 * most) {
            return shift;
        }
    }
    return kLatest;
}

// The attacks that stand out in one microphone, and what all of them hear then.
struct Heard {
    std::vector<Everywhere> attacks;
    double loud = 0.0;  // power of the loud ones that are its own
};

Everywhere
hear(std::span<const BandEnvelope* const> microphones, std::size_t reference, std::int64_t hop)
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

Heard hearAll(
    std::span<const BandEnvelope* const> microphones,
    std::size_t reference,
    std::span<const std::int64_t> hops
)
{
    Heard heard;
    heard.attacks.resize(hops.size());
    tbb::parallel_for(std::size_t{0}, hops.size(), [&](std::size_t i) {
        heard.attacks[i] = hear(microphones, reference, hops[i]);
    });
    std::vector<double> powers;
    for (const Everywhere& attack : heard.attacks) {
        powers.push_back(sumOf(attack[reference]));
    }
    heard.loud = loudOf(std::move(powers));
    return heard;
}

// dB, 0 is loud in that microphone.
double levelIn(const Everywhere& attack, std::size_t microphone, std::span<const Heard> all)
{
    return decibelsOf(sumOf(attack[microphone]) / std::max(all[microphone].loud, 1e-14));
}

// Which attacks of a microphone are its own drum's: of the loud ones those that stand out there
// most against all others.
std::vector<std::size_t> ownOf(std::span<const Heard> all, std::size_t microphone)
{
    constexpr double kLoud = -16.0;  // dB
    constexpr double kSpread = 9.0;  // dB; among the leads of one drum's blows
    constexpr std::size_t kFewest = 3;
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
    if (loud.size() < kFewest) {
        std::vector<std::size_t> order(attacks.size());
        for (std::size_t i = 0; i < order.size(); ++i) {
            order[i] = i;
        }
        std::ranges::sort(order, std::greater{}, [&](std::size_t i) { return levels[i]; });
        order.resize(std::min(order.size(), kFewest));
        return order;
    }
    std::vector<double> ofLoud;
    for (const std::size_t i : loud) {
        ofLoud.push_back(leads[i]);
    }
    std::ranges::sort(ofLoud, std::greater{});
    const double most =
        ofLoud[std::min(ofLoud.size() - 1, std::max<std::size_t>(2, ofLoud.size() / 50))];
    std::erase_if(loud, [&](std::size_t i) { return leads[i] <= most - kSpread; });
    return loud;
}

// How loud each microphone (row) hears a loud blow of each one's drum (column), in one band.
using Mixing = std::vector<std::vector<double>>;
constexpr double kNothing = 1e-14;  // power

// By how much what is heard there grows with a drum's blows, by least squares, and what chance may hide of it.
double growthOf(std::span<const double> blows, std::span<const double> there)
{
    constexpr std::size_t kFewest = 12;
    if (blows.size() < kFewest) {
        return std::numeric_limits<double>::infinity();
    }
    const auto count = static_cast<double>(blows.size());
    const double blow = std::accumulate(blows.begin(), blows.end(), 0.0) / count;
    const double level = std::accumulate(there.begin(), there.end(), 0.0) / count;
    double spread = 1e-30;
    double common = 0.0;
    double rest = 0.0;
    for (std::size_t i = 0; i < blows.size(); ++i) {
        const double x = blows[i] - blow;
        const double y = there[i] - level;
        spread += x * x;
        common += x * y;
        rest += y * y;
    }
    const double growth = common / spread;
    const double left = std::max(0.0, rest - growth * common) / (count - 2.0);
    return std::max(0.0, growth) + std::sqrt(left / spread);
}

// Where another drum seems to be heard almost as loud as the microphone's own, the two may just be struck together always:
// no more of it is believed than grows with its blows.
void leaveOutCompany(Mixing& mixing, const Mixing& growth)
{
    constexpr double kAlmostAsLoud = 0.25;  // -6 dB
    for (std::size_t m = 0; m < mixing.size(); ++m) {
        for (std::size_t d = 0; d < mixing.size(); ++d) {
            if (m != d && mixing[m][d] > kAlmostAsLoud * mixing[m][m]) {
                mixing[m][d] = std::min(mixing[m][d], growth[m][d]);
            }
        }
    }
}

std::array<Mixing, kBands> learn(std::vector<Heard>& all)
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

// How much of each drum there is in what the microphones hear, in one band; `parts` holds what each microphone (a row)
// hears of each drum.
std::vector<double> gainsOf(std::span<const double> parts, std::span<const double> heard)
{
    constexpr int kRounds = 200;
    const std::size_t count = heard.size();
    std::vector<double> weights(count);
    const double most = *std::ranges::max_element(heard);
    for (std::size_t m = 0; m < count; ++m) {
        weights[m] = 1.0 / (heard[m] + 1e-3 * most + 1e-13);
    }
    std::vector<double> gains(count, 1e300);
    std::vector<double> sums(count, 0.0);
    for (std::size_t m = 0; m < count; ++m) {
        for (std::size_t d = 0; d < count; ++d) {
            const double part = parts[m * count + d];
            gains[d] = std::min(gains[d], heard[m] / part + 1e-9);
            sums[d] += weights[m] * part;
        }
    }
    for (double& gain : gains) {
        gain += 1e-9;
    }
    std::vector<double> pulls(count);
    for (int round = 0; round < kRounds; ++round) {
        std::ranges::fill(pulls, 0.0);
        for (std::size_t m = 0; m < count; ++m) {
            const auto row = parts.subspan(m * count, count);
            const double explained =
                std::inner_product(row.begin(), row.end(), gains.begin(), kNothing);
            const double missing = heard[m] * weights[m] / explained;
            for (std::size_t d = 0; d < count; ++d) {
                pulls[d] += missing * row[d];
            }
        }
        double change = 0.0;
        for (std::size_t d = 0; d < count; ++d) {
            const double factor = pulls[d] / sums[d];
            change = std::max(change, std::abs(factor - 1.0) * std::min(1.0, gains[d] * 1e4));
            gains[d] *= factor;
        }
        if (change < 1e-4) {
            break;
        }
    }
    return gains;
}

// The rows of a mixing one after the other; of nothing at all something could be any number of times.
std::vector<double> inRows(const Mixing& mixing)
{
    std::vector<double> rows;
    for (const auto& row : mixing) {
        std::ranges::transform(row, std::back_inserter(rows), [](double v) {
            return v + kNothing;
        });
    }
    return rows;
}

// Two microphones stand at one drum when what stands out most in either stands out in both.
bool isSameDrum(std::span<const Heard> pair)
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

// Another microphone that can say whose an attack is, with the attacks that stand out in it.
struct Witness {
    const BandEnvelope* envelope = nullptr;
    std::vector<std::int64_t> clear;
};

std::vector<Witness> witnesses(
    const BandEnvelope& heard,
    std::span<const std::int64_t> clear,
    std::span<const BandEnvelope* const> others
)
{
    std::vector<std::optional<Witness>> tried(others.size());
    tbb::parallel_for(std::size_t{0}, others.size(), [&](std::size_t o) {
        const BandEnvelope* other = others[o];
        Witness witness{other, blowsIn(*other)};
        const std::array<const BandEnvelope*, 2> pair{&heard, other};
        const std::array<Heard, 2> both{hearAll(pair, 0, clear), hearAll(pair, 1, witness.clear)};
        const Heard& here = both[0];
        BandPowers strong{};
        for (const Everywhere& attack : here.attacks) {
            for (std::size_t band = 0; band < kBands; ++band) {
                strong[band] += attack[0][band];
            }
        }
        const auto band =
            static_cast<std::size_t>(std::ranges::max_element(strong) - strong.begin());
        std::vector<double> there;
        std::vector<double> lags;
        for (std::size_t i = 0; i < clear.size(); ++i) {
            there.push_back(here.attacks[i][1][band]);
            if (decibelsOf(sumOf(here.attacks[i][0]) / std::max(here.loud, 1e-14)) > -8.0) {
                const auto later = lagOf(*other, static_cast<int>(band), clear[i]) -
                                   lagOf(heard, static_cast<int>(band), clear[i]);
                lags.push_back(static_cast<double>(later));
            }
        }
        const bool isDeaf = decibelsOf(loudOf(std::move(there))) <
                            decibelsOf(static_cast<double>(noiseFloor(*other)[band])) + 12.0;
        if (!isDeaf && percentile(std::move(lags), 0.5) < kRoomLagHops && !isSameDrum(both)) {
            tried[o] = std::move(witness);
        }
    });
    std::vector<Witness> chosen;
    for (auto& witness : tried) {
        if (witness) {
            chosen.push_back(std::move(*witness));
        }
    }
    return chosen;
}

// When each witness hears its own drum struck: of what stands out in it what does so in no other as much.
std::vector<std::int64_t> blowsOfOthers(std::span<const Heard> all, std::span<const Witness> chosen)
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
    std::ranges::transform(chosen, std::back_inserter(microphones), &Witness::envelope);
    std::vector<Heard> all;
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
    std::array<std::vector<double>, kBands> rows;
    std::ranges::transform(mixing, rows.begin(), inRows);
    tbb::parallel_for(std::size_t{0}, hops.size(), [&](std::size_t i) {
        const Everywhere powers = hear(microphones, 0, hops[i]);
        if (microphones.size() == 1) {
            parts.own[i] = powers.front();
            return;
        }
        for (std::size_t band = 0; band < kBands; ++band) {
            std::vector<double> inBand;
            for (const BandPowers& power : powers) {
                inBand.push_back(power[band]);
            }
            const auto gains = gainsOf(rows[band], inBand);
            parts.own[i][band] = gains[0] * mixing[band][0][0];
            for (std::size_t d = 1; d < gains.size(); ++d) {
                parts.bleed[i][band] += gains[d] * mixing[band][0][d];
            }
        }
    });
    return parts;
}

}  // namespace orthochron
