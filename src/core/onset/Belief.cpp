#include "core/onset/Belief.h"

#include <oneapi/tbb/parallel_for.h>

#include "core/onset/AttackLevels.h"
#include "core/onset/BeliefTrees.h"

#include <algorithm>
#include <cmath>
#include <deque>
#include <numeric>

namespace orthochron {

namespace {

constexpr double kFallsBy = 60.0;   // dB in a second: about what drums do
constexpr double kLeastRise = 4.5;  // dB; of a blow that rings on
constexpr std::int64_t kAroundHops = 5;

double chanceOf(double odds)
{
    return 1.0 / (1.0 + std::exp(-odds));
}

// The greatest rise of each band around a hop.
std::array<double, kBands>
risesAround(const BandEnvelope& envelope, const BandLevels& floor, std::int64_t hop)
{
    std::array<double, kBands> rises{};
    for (std::size_t band = 0; band < kBands; ++band) {
        const auto around = risesIn(
            envelope, band, static_cast<double>(floor[band]), hop - kAroundHops, 2 * kAroundHops + 1
        );
        const double most = static_cast<double>(*std::ranges::max_element(around));
        rises[band] = std::max(0.0, decibelsOf(most));
    }
    return rises;
}

// How the own part of an attack is made up, against a loud blow's.
void tellColour(Evidence& evidence, const BandPowers& own, const OwnParts& parts)
{
    const auto strong =
        static_cast<std::size_t>(std::ranges::max_element(parts.pattern) - parts.pattern.begin());
    double usualAbove = 0.0;
    double above = 0.0;
    for (std::size_t band = std::min<std::size_t>(strong + 1, kBands - 1); band < kBands; ++band) {
        usualAbove += parts.pattern[band];
        above += own[band];
    }
    const double nothing = 1e-7 * parts.loud;
    const auto lacking = [&](double usual, double there) {
        const double expected = evidence.level + decibelsOf(usual);
        const double found = decibelsOf((there + nothing) / std::max(parts.loud, 1e-14));
        return std::clamp(expected - found, -15.0, 30.0);
    };
    evidence.dull = lacking(usualAbove, above);
    evidence.thin = lacking(parts.pattern[strong], own[strong]);
}

// How much more of an attack there is here than elsewhere.
void tellApart(Evidence& evidence, const BandPowers& own, const BandPowers& elsewhere, double loud)
{
    constexpr double kNothing = 1e-6;  // of a loud blow
    const auto apart = [&](double here, double there) {
        return std::clamp(decibelsOf((here / loud + kNothing) / (there + kNothing)), -30.0, 30.0);
    };
    evidence.brightApart = apart(own[2] + own[3], elsewhere[2] + elsewhere[3]);
    evidence.middleApart = apart(own[1], elsewhere[1]);
}

// What the blows of the last half second still ring with.
void tellOwed(OnsetAnalysis& analysis, std::vector<Evidence>& evidence)
{
    constexpr double kSoonest = 0.005;
    constexpr double kLongest = 0.5;
    auto& candidates = analysis.candidates;
    const double rate = static_cast<double>(analysis.envelope.hopFrames.count()) * 1000.0;
    std::vector<std::size_t> order(candidates.size());
    std::iota(order.begin(), order.end(), std::size_t{0});
    std::ranges::sort(order, {}, [&](std::size_t i) { return candidates[i].body; });
    std::deque<std::size_t> before;
    for (const std::size_t i : order) {
        const auto secondsSince = [&](std::size_t blow) {
            return static_cast<double>((candidates[i].body - candidates[blow].body).count()) / rate;
        };
        while (!before.empty() && secondsSince(before.front()) >= kLongest) {
            before.pop_front();
        }
        evidence[i].owed = -20.0;
        evidence[i].since = 1.0;
        for (const std::size_t blow : before) {
            const double since = secondsSince(blow);
            const double owed =
                std::min(evidence[blow].level - kFallsBy * since - evidence[i].level, 25.0);
            if (since > kSoonest && owed > evidence[i].owed) {
                evidence[i].owed = owed;
                evidence[i].since = since;
            }
        }
        if (candidates[i].riseDecibels >= kLeastRise && !candidates[i].isRing) {
            before.push_back(i);
        }
    }
}

// Which blows of other drums each candidate may have begun with.
void tellOthersBlows(OnsetAnalysis& analysis, std::span<const std::int64_t> blows)
{
    constexpr std::int64_t kNear = 20;  // hops of a millisecond
    for (OnsetCandidate& candidate : analysis.candidates) {
        const std::int64_t body = analysis.envelope.hopOf(candidate.body);
        candidate.othersBlows.clear();
        for (auto blow = std::ranges::lower_bound(blows, body - kNear);
             blow != blows.end() && *blow <= body + kNear;
             ++blow) {
            candidate.othersBlows.push_back(analysis.envelope.frameOf(*blow));
        }
    }
}

// The attacks that are as good as certainly the drum's own: loud, steep, and not loud elsewhere.
bool isLoudBlow(const Evidence& evidence)
{
    constexpr double kLoud = -5.0;  // dB
    constexpr double kClear = 6.0;  // dB
    constexpr double kOwn = 3.0;    // dB over bleed
    return evidence.level > kLoud && evidence.rise >= kClear && evidence.isRing == 0.0 &&
           evidence.overBleed > kOwn;
}

// By how many dB the loud blows are softer after 80 ms, in all bands together; 0 where there is none.
double fallOf(const OnsetAnalysis& analysis, const std::vector<Evidence>& evidence)
{
    constexpr std::int64_t kLater = 80;  // hops of a millisecond
    constexpr std::int64_t kLong = 12;
    const BandEnvelope& envelope = analysis.envelope;
    const auto levelAt = [&](std::int64_t hop) {
        double power = 0.0;
        for (int band = 0; band < kBands; ++band) {
            power += envelope.mean(band, hop, hop + kLong);
        }
        return decibelsOf(power);
    };
    std::vector<double> falls;
    for (std::size_t i = 0; i < evidence.size(); ++i) {
        if (isLoudBlow(evidence[i])) {
            const std::int64_t hop = envelope.hopOf(analysis.candidates[i].body);
            falls.push_back(std::clamp(levelAt(hop) - levelAt(hop + kLater), 0.0, 40.0));
        }
    }
    return percentile(std::move(falls), 0.5);
}

// What an attack is made of, against the drum's loud blows. It speaks against an attack alone: a blow's own ring is
// like it too.
void tellLikeness(const OnsetAnalysis& analysis, std::vector<Evidence>& evidence)
{
    constexpr double kAlike = 2.0;  // dB; what is as like as that is not told from the loud ones
    // Kinds of drums, told in so few steps that a kit cannot be known again by them.
    constexpr double kNotLow = 1.5;      // octaves above 60 Hz: 170 Hz
    constexpr double kHigh = 4.5;        // 1.4 kHz
    constexpr double kNotRinging = 8.0;  // dB within 80 ms
    constexpr double kDry = 14.0;
    const auto& candidates = analysis.candidates;
    std::vector<AttackColour> loud;
    for (std::size_t i = 0; i < evidence.size(); ++i) {
        if (isLoudBlow(evidence[i])) {
            loud.push_back(candidates[i].colour);
        }
    }
    const UsualColour usual(loud);
    const auto stepOf = [](double value, double second, double third) {
        return value < second ? 0.0 : value < third ? 1.0 : 2.0;
    };
    const double height = stepOf(usual.centre(), kNotLow, kHigh);
    const double dryness = stepOf(fallOf(analysis, evidence), kNotRinging, kDry);
    for (std::size_t i = 0; i < evidence.size(); ++i) {
        evidence[i].unlike = std::max(kAlike, usual.unlike(candidates[i].colour));
        evidence[i].height = height;
        evidence[i].dryness = dryness;
    }
}

// A sound that its loud blows show in one band alone, or that is listened to in one, is not doubted for
// showing nothing in others.
void allowNarrow(std::vector<Evidence>& evidence)
{
    constexpr double kLoud = -8.0;     // dB
    constexpr double kClear = 6.0;     // dB
    constexpr double kHighest = 25.0;  // dB
    std::vector<double> second;
    for (const Evidence& each : evidence) {
        if (each.level > kLoud && each.rise >= kClear && each.isRing == 0.0) {
            second.push_back(each.secondRise);
        }
    }
    if (second.empty() || percentile(std::move(second), 0.5) >= kClear) {
        return;
    }
    for (Evidence& each : evidence) {
        each.secondRise = std::min(each.rise, kHighest);
        each.brightRise = each.secondRise;
        each.dull = std::min(each.dull, 0.0);
        each.thin = std::min(each.thin, 0.0);
    }
}

// Whether many of the loud attacks are made up quite otherwise than the usual one: a loop, or a room.
bool soundsOfSeveral(std::span<const Evidence> evidence)
{
    constexpr double kLoud = -9.0;  // dB; bleed is softer
    constexpr double kClear = 6.0;  // dB
    constexpr double kOther = 9.0;  // dB lacking where the usual one has most, or above it
    constexpr double kMany = 0.15;
    constexpr double kFewest = 4.0;
    double loud = 0.0;
    double other = 0.0;
    for (const Evidence& each : evidence) {
        if (each.level > kLoud && each.rise >= kClear && each.isRing == 0.0) {
            loud += 1.0;
            other += each.dull > kOther || each.thin > kOther ? 1.0 : 0.0;
        }
    }
    return other >= kFewest && other > kMany * loud;
}

// What an attack shows by itself: the `which`-th of some that were taken apart.
void measure(
    const BandEnvelope& envelope,
    const BandLevels& floor,
    std::int64_t hop,
    const OwnParts& parts,
    std::size_t which,
    OnsetCandidate& candidate,
    Evidence& evidence
)
{
    const double loud = std::max(parts.loud, 1e-14);
    const BandPowers& own = parts.own[which];
    evidence.level = std::max(decibelsOf(sumOf(own) / loud), -60.0);
    const double bleed = std::max(decibelsOf(sumOf(parts.bleed[which]) / loud), -60.0);
    evidence.overBleed = std::clamp(evidence.level - bleed, -20.0, 30.0);
    evidence.rise = std::clamp(candidate.riseDecibels, 0.0, 30.0);
    evidence.novelty = std::clamp(candidate.noveltyDecibels, 0.0, 12.0);
    evidence.isRing = candidate.isRing ? 1.0 : 0.0;
    tellColour(evidence, own, parts);
    if (parts.witnesses > 1) {
        tellApart(evidence, own, parts.elsewhere[which], loud);
    }
    auto rises = risesAround(envelope, floor, hop);
    evidence.brightRise = std::min(std::max(rises[2], rises[3]), 25.0);
    std::ranges::sort(rises);
    evidence.secondRise = std::min(rises[kBands - 2], 25.0);
    candidate.onset.strength = parts.loud > 0.0 ? std::min(1.0, fromDecibels(evidence.level)) : 0.0;
    candidate.overBleedDecibels = evidence.overBleed;
}

}  // namespace

std::array<double, kEvidence> listed(const Evidence& e)
{
    return {
        e.level,
        e.overBleed,
        e.rise,
        e.novelty,
        e.dull,
        e.thin,
        e.owed,
        e.since,
        e.secondRise,
        e.brightRise,
        e.isRing,
        e.unlike,
        e.height,
        e.dryness,
        e.amongLevel,
        e.brightApart,
        e.middleApart};
}

Case gatherEvidence(OnsetAnalysis& analysis, std::span<const BandEnvelope* const> others)
{
    constexpr double kClear = 6.0;
    std::vector<std::int64_t> clear;
    for (const OnsetCandidate& candidate : analysis.candidates) {
        if (candidate.riseDecibels >= kClear && !candidate.isRing) {
            clear.push_back(analysis.envelope.hopOf(candidate.body));
        }
    }
    Case gathered{
        LearnedKit(analysis.envelope, clear, others),
        noiseFloor(analysis.envelope),
        std::vector<Evidence>(analysis.candidates.size())};
    std::vector<std::size_t> all(analysis.candidates.size());
    std::iota(all.begin(), all.end(), std::size_t{0});
    gatherAnew(analysis, gathered, all);
    gathered.isOfSeveral = !gathered.isAmongOthers && soundsOfSeveral(gathered.evidence);
    return gathered;
}

void gatherAnew(OnsetAnalysis& analysis, Case& gathered, std::span<const std::size_t> which)
{
    std::vector<std::int64_t> hops;
    for (const std::size_t i : which) {
        hops.push_back(analysis.envelope.hopOf(analysis.candidates[i].body));
    }
    const OwnParts parts = gathered.kit.partsOf(hops);
    analysis.loudPower = parts.loud;
    gathered.isAmongOthers = parts.witnesses > 0;
    tbb::parallel_for(std::size_t{0}, which.size(), [&](std::size_t k) {
        measure(
            analysis.envelope,
            gathered.floor,
            hops[k],
            parts,
            k,
            analysis.candidates[which[k]],
            gathered.measured[which[k]]
        );
    });
    std::vector<Evidence>& evidence = gathered.evidence;
    evidence = gathered.measured;
    tellOthersBlows(analysis, parts.othersBlows);
    tellOwed(analysis, evidence);
    tellLikeness(analysis, evidence);
    for (std::size_t i = 0; i < evidence.size(); ++i) {
        analysis.candidates[i].owedDecibels = evidence[i].owed;
        analysis.candidates[i].sinceBlow = Seconds(evidence[i].since);
    }
    allowNarrow(evidence);
}

double Forest::sum(const Evidence& evidence) const
{
    const auto values = listed(evidence);
    double all = odds;
    for (const BeliefTree& tree : trees) {
        std::size_t at = 0;
        for (int depth = 0; depth < kQuestionsDeep; ++depth) {
            const bool isMore = static_cast<float>(values[tree.asked[at]]) >= tree.least[at];
            at = 2 * at + (isMore ? 2 : 1);
        }
        all += static_cast<double>(tree.odds[at - kQuestions]);
    }
    return all;
}

double Forest::chance(const Evidence& evidence) const
{
    return chanceOf(sum(evidence));
}

std::vector<double> Belief::confidence(std::span<const Evidence> evidence) const
{
    std::vector<double> levels(evidence.size());
    std::vector<double> beliefs(evidence.size());
    tbb::parallel_for(std::size_t{0}, evidence.size(), [&](std::size_t i) {
        levels[i] = evidence[i].level;
        beliefs[i] = first.chance(evidence[i]);
    });
    const auto there = oddsAtLevel(levels, beliefs);
    tbb::parallel_for(std::size_t{0}, evidence.size(), [&](std::size_t i) {
        Evidence each = evidence[i];
        each.amongLevel = there[i];
        beliefs[i] = chanceOf(constant + slope * second.sum(each));
    });
    return beliefs;
}

double plainConfidence(const Evidence& evidence)
{
    constexpr double kEvenRise = 4.5;     // dB
    constexpr double kSurer = 8.0 / 3.0;  // for each dB above it
    constexpr double kRing = 0.05;
    return evidence.isRing > 0.0 ? kRing : chanceOf((evidence.rise - kEvenRise) * kSurer);
}

std::vector<double> oddsAtLevel(std::span<const double> levels, std::span<const double> beliefs)
{
    constexpr double kStep = 0.25;  // dB
    constexpr double kLowest = -64.0;
    constexpr double kWidth = 1.5;   // dB
    constexpr int kReach = 24;       // steps
    constexpr double kUnseen = 0.3;  // of each, before anything is counted
    // What is believed of a level is to help the rest, not to overrule it: in a kit unlike those taught by, the odds
    // would talk each other up.
    constexpr double kMostOdds = 2.0;
    constexpr std::size_t kSteps = 320;
    const auto stepOf = [](double level) {
        return static_cast<std::size_t>(
            std::clamp((level - kLowest) / kStep, 0.0, static_cast<double>(kSteps - 1))
        );
    };
    std::array<double, kSteps> blows{};
    std::array<double, kSteps> rest{};
    for (std::size_t i = 0; i < levels.size(); ++i) {
        blows[stepOf(levels[i])] += beliefs[i];
        rest[stepOf(levels[i])] += 1.0 - beliefs[i];
    }
    std::array<double, kSteps> odds{};
    for (int at = 0; at < static_cast<int>(kSteps); ++at) {
        double yes = kUnseen;
        double no = kUnseen;
        for (int k = std::max(0, at - kReach);
             k <= std::min(static_cast<int>(kSteps) - 1, at + kReach);
             ++k) {
            const double off = (k - at) * kStep / kWidth;
            const double weight = std::exp(-0.5 * off * off);
            yes += weight * blows[static_cast<std::size_t>(k)];
            no += weight * rest[static_cast<std::size_t>(k)];
        }
        odds[static_cast<std::size_t>(at)] = std::clamp(std::log(yes / no), -kMostOdds, kMostOdds);
    }
    std::vector<double> result;
    for (const double level : levels) {
        result.push_back(odds[stepOf(level)]);
    }
    return result;
}

const Belief& beliefInSet()
{
    static const Belief kBelief = taught::inSet();
    return kBelief;
}

const Belief& beliefAlone()
{
    static const Belief kBelief = taught::alone();
    return kBelief;
}

}  // namespace orthochron
