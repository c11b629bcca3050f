#include "core/onset/Growth.h"

#include <algorithm>
#include <optional>
#include <utility>
#include <vector>

namespace orthochron {

namespace {

constexpr double kEven = 0.5;      // confidence
constexpr double kPossible = 0.1;  // likewise: growing, it is often half believed

// Whether `later` is what `first` grows to, `after` milliseconds on.
bool isGrowth(const OnsetCandidate& first, const OnsetCandidate& later, double after)
{
    constexpr double kSoonest = 8.0;  // up to there they are one blow anyway
    constexpr double kLatest = 30.0;
    constexpr double kMostRise = 10.0;    // dB
    constexpr double kAlmostThere = 0.4;  // of what it grows to; grace strokes are softer
    return after > kSoonest && after <= kLatest && later.riseDecibels < kMostRise &&
           later.riseDecibels < first.riseDecibels &&
           later.onset.strength >= first.onset.strength &&
           first.onset.strength >= kAlmostThere * later.onset.strength;
}

// Those that may be blows, by when they speak.
std::vector<std::size_t> possibleOnes(const OnsetAnalysis& analysis)
{
    std::vector<std::size_t> order;
    for (std::size_t i = 0; i < analysis.candidates.size(); ++i) {
        if (analysis.candidates[i].onset.confidence >= kPossible) {
            order.push_back(i);
        }
    }
    std::ranges::stable_sort(order, {}, [&](std::size_t i) { return analysis.candidates[i].body; });
    return order;
}

}  // namespace

void tellGrowth(OnsetAnalysis& analysis)
{
    constexpr double kLong = 60.0;  // ms; what follows as soon is not asked
    constexpr double kLoud = 0.4;   // strength
    constexpr std::size_t kFewest = 4;
    constexpr double kShare = 1.0 / 3.0;
    auto& candidates = analysis.candidates;
    const auto hopFrames = static_cast<double>(analysis.envelope.hopFrames.count());  // 1 ms
    const std::vector<std::size_t> order = possibleOnes(analysis);
    const auto between = [&](std::size_t i, std::size_t k) {
        return static_cast<double>((candidates[k].body - candidates[i].body).count()) / hopFrames;
    };
    std::vector<std::pair<std::size_t, std::size_t>> grown;  // from, to
    std::size_t loud = 0;
    std::size_t growing = 0;
    std::optional<std::size_t> before;  // the last that is one as likely as not
    for (std::size_t n = 0; n < order.size(); ++n) {
        const std::size_t i = order[n];
        if (candidates[i].onset.confidence < kEven) {
            continue;
        }
        double most = candidates[i].onset.strength;
        bool grows = false;
        for (std::size_t k = n + 1; k < order.size() && between(i, order[k]) <= kLong; ++k) {
            const OnsetCandidate& later = candidates[order[k]];
            if (isGrowth(candidates[i], later, between(i, order[k]))) {
                grown.emplace_back(i, order[k]);
                most = std::max(most, later.onset.strength);
                grows = grows || later.onset.strength >= kLoud;
            }
        }
        if (most >= kLoud && (!before || between(*before, i) > kLong)) {
            ++loud;
            growing += grows ? 1 : 0;
        }
        before = i;
    }
    if (growing < kFewest || static_cast<double>(growing) < kShare * static_cast<double>(loud)) {
        return;
    }
    for (const auto& [from, to] : grown) {
        Onset& blow = candidates[from].onset;
        Onset& later = candidates[to].onset;
        blow.strength = std::max(blow.strength, later.strength);
        later.confidence = 0.0;
    }
}

}  // namespace orthochron
