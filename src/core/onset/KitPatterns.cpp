#include "core/onset/KitPatterns.h"

#include <oneapi/tbb/parallel_for.h>

#include "core/onset/HeardAttacks.h"
#include "core/onset/Mixing.h"
#include "core/onset/UnmikedDrums.h"
#include "core/onset/Witnesses.h"

#include <algorithm>
#include <array>
#include <cmath>
#include <functional>
#include <iterator>

namespace orthochron {

namespace {

using Indices = std::vector<std::size_t>;

// Whether a microphone hangs above the kit: it hears most of what the others stand at about as loud as they do.
bool isAbove(std::span<const HeardAttacks> all, std::size_t microphone)
{
    constexpr double kAsLoud = 9.0;  // dB
    std::size_t heard = 0;
    for (std::size_t m = 0; m < all.size(); ++m) {
        if (m != microphone && greatestLead(all, m, microphone) < kAsLoud) {
            ++heard;
        }
    }
    return 2 * heard > all.size() - 1;
}

// Which of a witness's own blows are surely not the first microphone's: a tom that is struck a dozen times in a song hears
// little louder than the kick, and where a microphone above hears the tom as loud as itself, neither stands out from
// the other. What is far louder here than there tells what the others have to be. All of them where too few are.
Indices withoutFirsts(std::span<const HeardAttacks> all, Indices own, std::size_t microphone)
{
    constexpr double kEnough = 16.0;  // dB; more of a lead says no more
    const double least = std::min(greatestLead(all, microphone, 0), kEnough) - kSpreadOfLeads;
    Indices sure;
    std::ranges::copy_if(own, std::back_inserter(sure), [&](std::size_t i) {
        const Everywhere& attack = all[microphone].attacks[i];
        return levelIn(attack, microphone, all) - levelIn(attack, 0, all) > least;
    });
    if (sure.size() < kFewestOwn) {
        return own;
    }
    return sure;
}

// Which attacks of each microphone are its own drum's, and how loud those are.
std::vector<Indices> tellOwn(std::vector<HeardAttacks>& all)
{
    constexpr int kRounds = 3;
    std::vector<Indices> own(all.size());
    for (int round = 0; round < kRounds; ++round) {
        for (std::size_t d = 0; d < all.size(); ++d) {
            own[d] = ownOf(all, d);
            if (d != 0 && !isAbove(all, d)) {
                own[d] = withoutFirsts(all, std::move(own[d]), d);
            }
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

// What a drum's loud blow has in each band in its own microphone.
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

// A drum's own blows, as all microphones hear them.
struct OwnBlows {
    std::span<const BandEnvelope* const> microphones;
    const HeardAttacks& heard;
    const Indices& own;
    std::size_t drum = 0;
    BandPowers pattern{};

    [[nodiscard]] double lagIn(std::size_t microphone, std::size_t band, std::size_t i) const
    {
        return static_cast<double>(lagOf(*microphones[microphone], band, heard.hops[i]));
    }
};

// What a microphone has in a band of another drum's blow, and how much later than the drum's own.
struct BleedingBlow {
    double blow = 0.0;
    double there = 0.0;
    double lag = 0.0;  // hops

    [[nodiscard]] double part() const { return there / blow; }
};

// Those that have hardly anything in the band say nothing.
std::vector<BleedingBlow>
bleedingBlows(const OwnBlows& blows, std::size_t microphone, std::size_t band)
{
    constexpr double kHardly = 0.1;  // of what its loud blows have there
    const auto& [microphones, heard, own, drum, pattern] = blows;
    const double loud = std::max(heard.loud, 1e-14);
    std::vector<BleedingBlow> bleeding;
    for (const std::size_t i : own) {
        const Everywhere& attack = heard.attacks[i];
        if (attack[drum][band] > kHardly * pattern[band] * sumOf(attack[drum]) / loud) {
            const double lag = blows.lagIn(microphone, band, i) - blows.lagIn(drum, band, i);
            bleeding.push_back({attack[drum][band], attack[microphone][band], lag});
        }
    }
    return bleeding;
}

// Bleed keeps one time, company does not: whether those that are least heard come equally late.
bool keepsTime(std::span<const BleedingBlow> blows)
{
    constexpr double kLeastHeard = 0.25;  // of them
    constexpr double kOneTime = 1.0;      // hop
    constexpr double kKept = 0.5;
    std::vector<double> parts;
    std::ranges::transform(blows, std::back_inserter(parts), &BleedingBlow::part);
    const double least = percentile(std::move(parts), kLeastHeard);
    std::vector<double> lags;
    for (const BleedingBlow& blow : blows) {
        if (blow.part() <= least) {
            lags.push_back(blow.lag);
        }
    }
    const double usual = percentile(lags, 0.5);
    const auto inTime = static_cast<double>(std::ranges::count_if(lags, [&](double lag) {
        return std::abs(lag - usual) <= kOneTime;
    }));
    return inTime >= kKept * static_cast<double>(lags.size());
}

// How loud a microphone hears a drum's loud blow in one band.
struct Bleed {
    double power = 0.0;
    double growth = 0.0;  // the most that may be believed of it
};

// The way there takes the same part of a band from every stroke, bright or dull, so it is held against what the drum's
// own microphone has in that band. Near the least that is heard of any stroke, since what is struck together with it now
// and then is no part of it; nearer yet where even that keeps no time.
Bleed bleedOf(const OwnBlows& blows, std::size_t microphone, std::size_t band)
{
    constexpr double kAlways = 0.1;
    constexpr double kUnderCompany = 0.05;
    const auto& [microphones, heard, own, drum, pattern] = blows;
    std::vector<double> whole;
    std::vector<double> there;
    for (const std::size_t i : own) {
        whole.push_back(sumOf(heard.attacks[i][drum]));
        there.push_back(heard.attacks[i][microphone][band]);
    }
    const double growth = growthOf(whole, there) * heard.loud;
    std::vector<double> parts;
    std::vector<double> inBand;
    std::vector<double> thereOfBand;
    const auto bleeding = bleedingBlows(blows, microphone, band);
    for (const BleedingBlow& blow : bleeding) {
        parts.push_back(blow.part());
        inBand.push_back(blow.blow);
        thereOfBand.push_back(blow.there);
    }
    if (!keepsTime(bleeding)) {
        return {percentile(std::move(parts), kUnderCompany) * pattern[band], growth};
    }
    return {
        percentile(std::move(parts), kAlways) * pattern[band],
        std::max(growth, growthOf(inBand, thereOfBand) * pattern[band])};
}

// What all microphones hear of each one's drum, company and all, and the most that may be believed of it.
struct Bleeding {
    InBands mixing;
    InBands growth;
};

Bleeding
bleedingOf(std::span<const BandEnvelope* const> microphones, std::vector<HeardAttacks>& all)
{
    const std::vector<Indices> own = tellOwn(all);
    Bleeding bleeding;
    bleeding.mixing.fill(Mixing(all.size(), std::vector<double>(all.size(), 0.0)));
    bleeding.growth = bleeding.mixing;
    for (std::size_t d = 0; d < all.size(); ++d) {
        const OwnBlows blows{microphones, all[d], own[d], d, patternOf(all[d], own[d], d)};
        for (std::size_t band = 0; band < kBands; ++band) {
            for (std::size_t m = 0; m < all.size(); ++m) {
                const Bleed bleed = m == d ? Bleed{blows.pattern[band]} : bleedOf(blows, m, band);
                bleeding.mixing[band][m][d] = bleed.power;
                bleeding.growth[band][m][d] = bleed.growth;
            }
        }
    }
    return bleeding;
}

InBands withoutCompany(Bleeding bleeding)
{
    for (std::size_t band = 0; band < kBands; ++band) {
        leaveOutCompany(bleeding.mixing[band], bleeding.growth[band]);
    }
    return std::move(bleeding.mixing);
}

// How far apart what all microphones hear of two drums is, however loud they are: dB, root mean square.
double apart(const InBands& mixing, std::size_t one, std::size_t other)
{
    constexpr double kDeepest =
        1e-4;  // of what is heard most of a drum: what is softer says nothing
    const auto mostOf = [&](std::size_t drum) {
        double most = 1e-14;
        for (const Mixing& inBand : mixing) {
            for (const auto& microphone : inBand) {
                most = std::max(most, microphone[drum]);
            }
        }
        return most;
    };
    const double mostOfOne = mostOf(one);
    const double mostOfOther = mostOf(other);
    double sum = 0.0;
    double squares = 0.0;
    for (const Mixing& inBand : mixing) {
        for (const auto& microphone : inBand) {
            const double more = decibelsOf(microphone[one] / mostOfOne + kDeepest) -
                                decibelsOf(microphone[other] / mostOfOther + kDeepest);
            sum += more;
            squares += more * more;
        }
    }
    const auto count = static_cast<double>(kBands * mixing.front().size());
    const double mean = sum / count;
    return std::sqrt(std::max(0.0, squares / count - mean * mean));
}

// Takes away the witnesses that hear the first microphone's drum as their own, and says whether there were any. What
// hangs above a kit hears best what is struck most, as long as no cymbal is: it would claim every blow of that drum.
bool takeAwayEchoes(const InBands& mixing, std::vector<OnsetWitness>& chosen)
{
    constexpr double kSame = 3.0;  // dB
    const std::size_t before = chosen.size();
    std::vector<OnsetWitness> kept;
    for (std::size_t w = 0; w < chosen.size(); ++w) {
        if (apart(mixing, 0, w + 1) >= kSame) {
            kept.push_back(std::move(chosen[w]));
        }
    }
    chosen = std::move(kept);
    return chosen.size() < before;
}

// What all microphones hear of the drum that one stands at.
Everywhere drumOf(const InBands& mixing, std::size_t drum)
{
    Everywhere heard(mixing.front().size());
    for (std::size_t band = 0; band < kBands; ++band) {
        for (std::size_t m = 0; m < heard.size(); ++m) {
            heard[m][band] = mixing[band][m][drum];
        }
    }
    return heard;
}

void addUnmiked(std::span<const BandLevels> noise, const HeardAttacks& heard, InBands& mixing)
{
    std::vector<Everywhere> drums;
    for (std::size_t d = 0; d < noise.size(); ++d) {
        drums.push_back(drumOf(mixing, d));
    }
    for (const Everywhere& drum : unmikedDrums(noise, heard, drums)) {
        for (std::size_t band = 0; band < kBands; ++band) {
            for (std::size_t m = 0; m < drum.size(); ++m) {
                mixing[band][m].push_back(drum[m][band]);
            }
        }
    }
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

LearnedKit::LearnedKit(
    const BandEnvelope& heard,
    std::span<const std::int64_t> clear,
    std::span<const BandEnvelope* const> others
)
{
    auto chosen = witnesses(heard, clear, others);
    std::vector<HeardAttacks> all;
    Bleeding bleeding;
    do {
        microphones_ = {&heard};
        std::ranges::transform(chosen, std::back_inserter(microphones_), &OnsetWitness::envelope);
        all = {hearAll(microphones_, 0, clear)};
        for (std::size_t w = 0; w < chosen.size(); ++w) {
            all.push_back(hearAll(microphones_, w + 1, chosen[w].clear));
        }
        bleeding = bleedingOf(microphones_, all);
    } while (takeAwayEchoes(bleeding.mixing, chosen));
    mixing_ = withoutCompany(std::move(bleeding));
    std::vector<BandLevels> noise{noiseFloor(heard)};
    std::ranges::transform(chosen, std::back_inserter(noise), &OnsetWitness::noise);
    addUnmiked(noise, all.front(), mixing_);
    for (const Mixing& inBand : mixing_) {
        unmixing_.emplace_back(inBand);
    }
    std::ranges::transform(all, std::back_inserter(loud_), &HeardAttacks::loud);
    othersBlows_ = blowsOfOthers(all, chosen);
}

OwnParts LearnedKit::partsOf(std::span<const std::int64_t> hops) const
{
    OwnParts parts;
    parts.own.resize(hops.size());
    parts.bleed.resize(hops.size());
    parts.elsewhere.resize(hops.size());
    parts.loud = loud_.front();
    parts.witnesses = microphones_.size() - 1;
    parts.othersBlows = othersBlows_;
    double whole = 1e-14;
    for (std::size_t band = 0; band < kBands; ++band) {
        whole += mixing_[band][0][0];
    }
    for (std::size_t band = 0; band < kBands; ++band) {
        parts.pattern[band] = mixing_[band][0][0] / whole;
    }
    tbb::parallel_for(std::size_t{0}, hops.size(), [&](std::size_t i) {
        const Everywhere powers = hearAt(microphones_, 0, hops[i]);
        if (microphones_.size() == 1) {
            parts.own[i] = powers.front();
            return;
        }
        for (std::size_t band = 0; band < kBands; ++band) {
            std::vector<double> inBand;
            for (const BandPowers& power : powers) {
                inBand.push_back(power[band]);
            }
            const auto gains = unmixing_[band].gainsOf(inBand);
            parts.own[i][band] = gains[0] * mixing_[band][0][0];
            double most = 0.0;
            for (std::size_t d = 1; d < gains.size(); ++d) {
                parts.bleed[i][band] += gains[d] * mixing_[band][0][d];
            }
            for (std::size_t m = 1; m < microphones_.size(); ++m) {
                double there = gains[m] * mixing_[band][m][m];
                for (std::size_t d = microphones_.size(); d < gains.size(); ++d) {
                    there += gains[d] * mixing_[band][m][d];
                }
                there /= std::max(loud_[m], 1e-14);
                double& second = parts.elsewhere[i][band];
                second = std::max(second, std::min(most, there));
                most = std::max(most, there);
            }
        }
    });
    return parts;
}

}  // namespace orthochron
