#include "core/onset/BlowStarts.h"

#include "core/onset/AttackShapes.h"

#include <algorithm>
#include <cmath>
#include <numeric>

namespace orthochron {

namespace {

// Whether what rises at a step of a trace stands out from what was there just before, and is nearly as loud as what
// follows: brightened, and as it is.
bool isInTheClear(const AttackTrace& trace, int step)
{
    constexpr float kRise = 8.0F;    // dB
    constexpr float kFull = -12.0F;  // dB
    constexpr int kBefore = 32;      // steps
    constexpr int kJustBefore = 2;
    constexpr int kRising = 7;
    constexpr int kAfter = 120;
    const auto loudest = [&](std::size_t listening, int from, int to) {
        float most = AttackTrace::kLowest;
        for (int k = std::max(from, 0); k < std::min(to, int{AttackTrace::kSteps}); ++k) {
            most = std::max(most, trace.decibels(listening, static_cast<std::size_t>(k)));
        }
        return most;
    };
    for (std::size_t l = 0; l < AttackTrace::kListenings; ++l) {
        const float here = loudest(l, step, step + kRising);
        if (here < loudest(l, step - kBefore, step - kJustBefore) + kRise ||
            here < loudest(l, step, step + kAfter) + kFull) {
            return false;
        }
    }
    return true;
}

}  // namespace

void beginWithClicks(OnsetAnalysis& analysis, Hertz rate)
{
    constexpr double kLoud = 0.4;
    constexpr double kShare = 0.2;        // of the loud blows, that must have it
    constexpr std::size_t kFewest = 4;    // of them
    constexpr double kOverChance = 0.25;  // of all rises, which by chance would spread over 8 ms
    constexpr int kSteps = 2;             // a click, and a step before the body
    const Frames together = toFrames(milliseconds(0.5), rate);
    const Frames furthest = toFrames(milliseconds(9.0), rate);
    auto& candidates = analysis.candidates;
    for (int step = 0; step < kSteps; ++step) {
        std::vector<Frames> ahead;
        std::size_t loud = 0;
        for (std::size_t i = 0; i < candidates.size(); ++i) {
            const OnsetCandidate& candidate = candidates[i];
            if (candidate.onset.strength < kLoud || candidate.riseDecibels < 6.0) {
                continue;
            }
            ++loud;
            for (const EarlierRise& rise : candidate.ahead) {
                if (rise.at < candidate.onset.at && rise.at >= candidate.body - furthest) {
                    ahead.push_back(candidate.onset.at - rise.at);
                }
            }
        }
        std::ranges::sort(ahead);
        std::size_t best = 0;
        std::size_t most = 0;
        for (std::size_t first = 0, last = 0; first < ahead.size(); ++first) {
            while (last < ahead.size() && ahead[last] - ahead[first] <= together) {
                ++last;
            }
            if (last - first > most) {
                most = last - first;
                best = first;
            }
        }
        const double needed = std::max(
            kShare * static_cast<double>(loud), kOverChance * static_cast<double>(ahead.size())
        );
        if (most < kFewest || static_cast<double>(most) < needed) {
            return;
        }
        const Frames usual = ahead[best + most / 2];
        for (std::size_t i = 0; i < candidates.size(); ++i) {
            Onset& onset = candidates[i].onset;
            const Frames wanted = onset.at - usual;
            Frames nearest = together + Frames(1);
            Frames at = onset.at;
            for (const EarlierRise& rise : candidates[i].ahead) {
                const Frames off = std::max(rise.at - wanted, wanted - rise.at);
                if (off < nearest && rise.at < onset.at) {
                    nearest = off;
                    at = rise.at;
                }
            }
            onset.at = at;
        }
    }
}

void beginWithOwnRises(OnsetAnalysis& analysis)
{
    constexpr double kClearly = 2.0;  // dB
    constexpr double kLoud = 0.4;     // strength
    constexpr double kEven = 0.5;     // confidence
    constexpr double kShare = 0.2;    // of the blows
    constexpr double kOverChance =
        0.2;  // of all that rises: a hat played a little ahead keeps no such time
    constexpr std::size_t kFewest = 4;
    const double hop = static_cast<double>(analysis.envelope.hopFrames.count());  // 1 ms
    const Frames within(static_cast<std::int64_t>(hop));
    const auto isOwn = [](const OnsetCandidate& candidate, const EarlierRise& rise) {
        return rise.decibels > kClearly - candidate.overBleedDecibels;
    };
    for (const bool loud : {true, false}) {
        std::vector<Frames> usual;  // how long ahead
        std::size_t blows = 0;
        for (const OnsetCandidate& candidate : analysis.candidates) {
            if ((candidate.onset.strength >= kLoud) != loud || candidate.onset.confidence < kEven) {
                continue;
            }
            ++blows;
            for (const EarlierRise& rise : candidate.ahead) {
                if (isOwn(candidate, rise)) {
                    usual.push_back(candidate.body - rise.at);
                }
            }
        }
        std::ranges::sort(usual);
        const auto needed = std::max(
            {kFewest,
             static_cast<std::size_t>(kShare * static_cast<double>(blows)),
             static_cast<std::size_t>(kOverChance * static_cast<double>(usual.size()))}
        );
        for (OnsetCandidate& candidate : analysis.candidates) {
            // What is true of the loud ones is so of the soft ones too.
            if (!loud && candidate.onset.strength >= kLoud) {
                continue;
            }
            for (const EarlierRise& rise : candidate.ahead) {
                const Frames ahead = candidate.body - rise.at;
                const auto first = std::ranges::lower_bound(usual, ahead - within);
                const auto last = std::ranges::upper_bound(usual, ahead + within);
                if (isOwn(candidate, rise) && static_cast<std::size_t>(last - first) >= needed) {
                    candidate.onset.at = std::min(candidate.onset.at, rise.at);
                }
            }
        }
    }
}

void beginAsOthersDo(OnsetAnalysis& analysis)
{
    constexpr double kSure = 0.5;       // confidence
    constexpr double kPossible = 0.02;  // likewise: what is less sure is left where it is
    const double rate = static_cast<double>(analysis.envelope.hopFrames.count()) * 1000.0;
    const Frames near = toFrames(milliseconds(0.6), Hertz(rate));
    const Frames gap = toFrames(milliseconds(20.0), Hertz(rate));
    std::vector<std::size_t> order(analysis.candidates.size());
    std::iota(order.begin(), order.end(), std::size_t{0});
    std::ranges::stable_sort(order, {}, [&](std::size_t i) {
        return analysis.candidates[i].onset.at;
    });
    std::vector<std::size_t> which;
    std::vector<FoundAttack> attacks;
    for (const std::size_t i : order) {
        const OnsetCandidate& candidate = analysis.candidates[i];
        const Onset& onset = candidate.onset;
        if (candidate.trace && onset.confidence >= kPossible) {
            // Of a blow that rises twice only one is learned from.
            const bool isSecond =
                !which.empty() && onset.at - analysis.candidates[which.back()].onset.at < gap;
            if (isSecond && attacks.back().isSure &&
                onset.strength > analysis.candidates[which.back()].onset.strength) {
                attacks.back().isSure = false;
            }
            which.push_back(i);
            FoundAttack attack{
                candidate.trace.get(),
                toSeconds(onset.at - candidate.body, Hertz(rate)),
                onset.confidence >= kSure && (!isSecond || !attacks.back().isSure)};
            for (const EarlierRise& rise : candidate.ahead) {
                attack.ahead.push_back(toSeconds(rise.at - candidate.body, Hertz(rate)));
            }
            for (const Frames blow : candidate.othersBlows) {
                attack.othersBlows.push_back(toSeconds(blow - candidate.body, Hertz(rate)));
            }
            attacks.push_back(std::move(attack));
        }
    }
    const auto starts = startsByShape(attacks);
    for (std::size_t k = 0; k < which.size(); ++k) {
        OnsetCandidate& candidate = analysis.candidates[which[k]];
        if (starts[k]) {
            // To the sample it is known only from the attack itself.
            const Frames start = candidate.body + toFrames(*starts[k], Hertz(rate));
            const Frames off = std::max(start - candidate.onset.at, candidate.onset.at - start);
            candidate.onset.at = off < near ? candidate.onset.at : std::max(start, Frames(0));
        }
    }
}

void beginInTheClear(OnsetAnalysis& analysis)
{
    const Hertz rate(static_cast<double>(analysis.envelope.hopFrames.count()) * 1000.0);
    const Frames least = toFrames(milliseconds(1.75), rate);
    const Frames most = toFrames(milliseconds(9.0), rate);
    const Frames sooner = toFrames(milliseconds(0.5), rate);
    const Frames later = toFrames(milliseconds(3.5), rate);
    for (OnsetCandidate& candidate : analysis.candidates) {
        const auto isOwn = [&](Frames at) {
            return std::ranges::none_of(candidate.othersBlows, [&](Frames blow) {
                return at >= blow - sooner && at <= blow + later;
            });
        };
        const auto isStart = [&](const EarlierRise& rise) {
            const Frames ahead = candidate.onset.at - rise.at;
            const Seconds fromCentre = toSeconds(rise.at - candidate.body, rate);
            const int step = static_cast<int>(AttackTrace::kBefore) +
                             static_cast<int>(std::floor(fromCentre / AttackTrace::kStep));
            return ahead >= least && ahead <= most && isOwn(rise.at) &&
                   isInTheClear(*candidate.trace, step);
        };
        if (candidate.trace) {
            const auto first = std::ranges::find_if(candidate.ahead, isStart);
            candidate.onset.at = first != candidate.ahead.end() ? first->at : candidate.onset.at;
        }
    }
}

}  // namespace orthochron
