#include "core/onset/OnsetDetector.h"

#include <fmt/format.h>
#include <oneapi/tbb/enumerable_thread_specific.h>
#include <oneapi/tbb/parallel_for.h>

#include "core/base/Meanwhile.h"
#include "core/onset/AttackLevels.h"
#include "core/onset/Belief.h"
#include "core/onset/BlowStarts.h"
#include "core/onset/Growth.h"
#include "core/onset/Rises.h"

#include <algorithm>
#include <cmath>
#include <deque>
#include <functional>
#include <numeric>

namespace orthochron {

namespace {

constexpr Seconds kClickAhead = milliseconds(2.0);
constexpr double kTooSoft = 0.01;  // strength: below every mark

}  // namespace

double thresholdOf(const OnsetSettings& settings)
{
    return settings.threshold.value_or(fromDecibels(-(6.0 + 0.48 * settings.sensitivity)));
}

namespace {

// So many attacks that follow each other, and the frames of the channel around them.
struct Stretch {
    std::size_t first = 0;
    std::size_t last = 0;
    Frames from;
    std::vector<float> samples;
};

// From an attack on, as many as lie close enough to be read at once.
Result<void> readStretch(
    const Channel& channel,
    const BandEnvelope& envelope,
    Hertz rate,
    std::span<const Rise> rises,
    std::size_t first,
    Stretch& stretch
)
{
    constexpr Seconds kMargin = milliseconds(60.0);  // more than attackStart looks at
    constexpr Frames kMost{1 << 18};
    const Frames margin = toFrames(kMargin, rate);
    stretch.first = first;
    stretch.from = std::max(envelope.frameOf(rises[first].hop) - margin, Frames(0));
    std::size_t last = first + 1;
    while (last < rises.size() && envelope.frameOf(rises[last].hop) + margin - stretch.from <= kMost
    ) {
        ++last;
    }
    stretch.last = last;
    const Frames to = std::min(envelope.frameOf(rises[last - 1].hop) + margin, channel.frames);
    stretch.samples.resize(static_cast<std::size_t>((to - stretch.from).count()));
    return channel.read(stretch.from, stretch.samples);
}

// One that rises at `at`, to the sample, with what rises just ahead of it.
void placeAttack(
    const Stretch& stretch,
    const Rise& rise,
    Frames at,
    Hertz rate,
    ColourEar& ear,
    OnsetCandidate& candidate
)
{
    // The band that rises was quiet until a window ago: what began earlier is another blow, but for the click that
    // may come ahead of the body. Where bands rise too that are quick to tell, the lowest one's window is too long:
    // a hat 10 ms ahead of a soft stroke is none of it.
    constexpr Seconds kOfBroad = milliseconds(7.0);
    const Seconds reach = milliseconds(static_cast<double>(kWindowHops[rise.band])) + kClickAhead;
    const Seconds own = rise.isBroad ? std::min(reach, kOfBroad) : reach;
    const Frames start = attackStart(stretch.samples, rate, at - stretch.from, reach, own);
    candidate.onset.at = stretch.from + start;
    candidate.body = candidate.onset.at;
    candidate.riseDecibels = rise.decibels;
    candidate.noveltyDecibels = noveltyOf(stretch.samples, rate, start);
    candidate.ahead = risesBefore(stretch.samples, rate, start);
    for (EarlierRise& earlier : candidate.ahead) {
        earlier.at += stretch.from;
    }
    candidate.trace = std::make_shared<const AttackTrace>(traceOf(stretch.samples, rate, start));
    candidate.colour = ear.hear(stretch.samples, start);
}

// Places the attacks, a stretch of the channel with many of them at a time; the next is read meanwhile.
Result<void> placeAttacks(
    const Channel& channel,
    Hertz rate,
    std::span<const Rise> rises,
    OnsetAnalysis& analysis,
    const Work& work
)
{
    tbb::enumerable_thread_specific<ColourEar> ears([&] { return ColourEar(rate); });
    Stretch now;
    Stretch next;
    Result<void> read;
    if (!rises.empty()) {
        read = readStretch(channel, analysis.envelope, rate, rises, 0, now);
    }
    while (read && now.last > now.first) {
        if (work.stopped()) {
            return cancelled();
        }
        next.first = next.last = now.last;
        const auto readNext = [&] {
            if (now.last < rises.size()) {
                read = readStretch(channel, analysis.envelope, rate, rises, now.last, next);
            }
        };
        doMeanwhile(readNext, [&] {
            tbb::parallel_for(now.first, now.last, [&](std::size_t i) {
                const Frames at = analysis.envelope.frameOf(rises[i].hop);
                placeAttack(now, rises[i], at, rate, ears.local(), analysis.candidates[i]);
            });
        });
        work.report(static_cast<double>(now.last) / static_cast<double>(rises.size()));
        std::swap(now, next);
    }
    return read;
}

// A head swells again some time after its blow, and what follows from what rings is no attack. Strokes of
// a roll stand out by little too, but follow each other closely, and a ring is softer than its blow.
void tellRings(OnsetAnalysis& analysis, Hertz rate)
{
    constexpr double kNew = 1.7;  // dB
    constexpr double kClear = 0.03;
    const Frames roll = toFrames(milliseconds(55.0), rate);
    const Frames longest = toFrames(milliseconds(500.0), rate);
    auto& candidates = analysis.candidates;
    std::vector<std::size_t> order(candidates.size());
    std::iota(order.begin(), order.end(), std::size_t{0});
    std::ranges::sort(order, {}, [&](std::size_t i) { return candidates[i].body; });
    std::deque<std::size_t> blows;  // of the last half second
    for (const std::size_t i : order) {
        OnsetCandidate& candidate = candidates[i];
        while (!blows.empty() && candidate.body - candidates[blows.front()].body > longest) {
            blows.pop_front();
        }
        const bool isLater =
            !blows.empty() && candidate.body - candidates[blows.back()].body > roll;
        const bool isSofter = std::ranges::any_of(blows, [&](std::size_t blow) {
            return candidates[blow].onset.strength >= candidate.onset.strength;
        });
        candidate.isRing = candidate.noveltyDecibels < kNew && isLater && isSofter;
        if (!candidate.isRing && candidate.onset.strength > kClear &&
            candidate.riseDecibels >= 6.0) {
            blows.push_back(i);
        }
    }
}

void sortByStart(OnsetAnalysis& analysis)
{
    std::ranges::stable_sort(analysis.candidates, {}, [](const OnsetCandidate& candidate) {
        return candidate.onset.at;
    });
}

// What is believed of each candidate by what is known of it.
void believe(OnsetAnalysis& analysis, const Case& gathered)
{
    const Belief& belief = gathered.isAmongOthers ? beliefInSet() : beliefAlone();
    const auto confidence = belief.confidence(gathered.evidence);
    for (std::size_t i = 0; i < confidence.size(); ++i) {
        analysis.candidates[i].onset.confidence =
            gathered.isOfSeveral ? plainConfidence(gathered.evidence[i]) : confidence[i];
    }
    if (!gathered.isOfSeveral) {
        tellGrowth(analysis);
    }
}

// Where a blow begins later than it was found, another drum was found that is heard just ahead of it, and its level was
// measured there: it speaks from its start.
void hearFromStarts(OnsetAnalysis& analysis, Case& gathered)
{
    // Milliseconds: three hops, less what they are off where others tell what is the drum's own.
    constexpr double kLater = 2.5;
    constexpr double kLaterAlone = 3.0;
    const double least = gathered.isAmongOthers ? kLater : kLaterAlone;
    const auto millisecond = static_cast<double>(analysis.envelope.hopFrames.count());
    std::vector<std::size_t> moved;
    for (std::size_t i = 0; i < analysis.candidates.size(); ++i) {
        OnsetCandidate& candidate = analysis.candidates[i];
        const auto later = static_cast<double>((candidate.onset.at - candidate.body).count());
        if (later > least * millisecond) {
            candidate.body = candidate.onset.at;
            moved.push_back(i);
        }
    }
    if (!moved.empty()) {
        gatherAnew(analysis, gathered, moved);
        believe(analysis, gathered);
    }
}

Case weigh(OnsetAnalysis& analysis, std::span<const BandEnvelope* const> others)
{
    for (OnsetCandidate& candidate : analysis.candidates) {
        candidate.onset.at = candidate.byItself;
        candidate.body = candidate.bodyByItself;
    }
    Case gathered = gatherEvidence(analysis, others);
    believe(analysis, gathered);
    if (gathered.isAmongOthers) {
        beginWithOwnRises(analysis);
    }
    return gathered;
}

}  // namespace

Result<OnsetAnalysis> analyseOnsets(std::span<const float> samples, Hertz rate, const Work& work)
{
    return analyseOnsets(channelOver(samples), rate, work);
}

Result<OnsetAnalysis> analyseOnsets(const Channel& channel, Hertz rate, const Work& work)
{
    OnsetAnalysis analysis;
    auto envelope = bandEnvelopeOf(channel, rate, work.part(0.0, 0.7));
    if (!envelope) {
        return tl::unexpected(envelope.error());
    }
    analysis.envelope = std::move(*envelope);
    const auto found = risesOf(analysis.envelope, work);
    if (!found) {
        return tl::unexpected(found.error());
    }
    const std::vector<Rise>& rises = *found;
    analysis.candidates.resize(rises.size());
    if (auto placed = placeAttacks(channel, rate, rises, analysis, work.part(0.7, 1.0)); !placed) {
        return tl::unexpected(placed.error());
    }
    std::vector<double> levels(rises.size());
    tbb::parallel_for(std::size_t{0}, rises.size(), [&](std::size_t i) {
        levels[i] = sumOf(attackPowers(
            analysis.envelope, analysis.envelope.hopOf(analysis.candidates[i].onset.at)
        ));
    });
    std::vector<double> clear;
    for (std::size_t i = 0; i < levels.size(); ++i) {
        if (analysis.candidates[i].riseDecibels >= 6.0) {
            clear.push_back(levels[i]);
        }
    }
    const double loud = loudOf(std::move(clear));
    analysis.loudPower = loud;
    for (std::size_t i = 0; i < levels.size(); ++i) {
        const double relative = loud > 0.0 ? std::sqrt(levels[i] / loud) : 0.0;
        analysis.candidates[i].onset.strength = std::min(1.0, relative);
        if (relative < kTooSoft) {
            analysis.candidates[i].trace.reset();
        }
    }
    tellRings(analysis, rate);
    beginWithClicks(analysis, rate);
    for (OnsetCandidate& candidate : analysis.candidates) {
        candidate.byItself = candidate.onset.at;
        candidate.bodyByItself = candidate.body;
    }
    (void)weigh(analysis, {});
    sortByStart(analysis);
    work.report(1.0);
    return analysis;
}

void weighCandidates(OnsetAnalysis& analysis, std::span<const BandEnvelope* const> others)
{
    Case gathered = weigh(analysis, others);
    if (!gathered.isOfSeveral) {
        beginAsOthersDo(analysis);
        if (gathered.isAmongOthers) {
            beginInTheClear(analysis);
        }
        hearFromStarts(analysis, gathered);
    }
    sortByStart(analysis);
}

bool countsForGaps(const OnsetCandidate& candidate)
{
    constexpr double kClear = 6.0;     // dB of rise
    constexpr double kSoftest = 0.01;  // of the loud ones
    return candidate.riseDecibels >= kClear && !candidate.isRing &&
           candidate.onset.strength > kSoftest;
}

std::optional<StrengthGap> widestGap(std::span<const OnsetCandidate> candidates)
{
    constexpr double kLeast = 3.0;      // dB
    constexpr std::size_t kFewest = 3;  // above it
    std::vector<double> strengths;
    for (const OnsetCandidate& candidate : candidates) {
        if (countsForGaps(candidate)) {
            strengths.push_back(candidate.onset.strength);
        }
    }
    std::ranges::sort(strengths, std::greater());
    std::optional<StrengthGap> widest;
    double most = kLeast;
    for (std::size_t k = kFewest; k < strengths.size(); ++k) {
        const double gap = toDecibels(strengths[k - 1]) - toDecibels(strengths[k]);
        if (gap > most) {
            most = gap;
            widest = {strengths[k - 1], strengths[k]};
        }
    }
    return widest;
}

void weighPlainly(OnsetAnalysis& analysis)
{
    const Case gathered = gatherEvidence(analysis, {});
    for (std::size_t i = 0; i < gathered.evidence.size(); ++i) {
        analysis.candidates[i].onset.confidence = plainConfidence(gathered.evidence[i]);
    }
}

Doubt doubtOf(const OnsetCandidate& candidate)
{
    constexpr double kSure = 0.9;
    constexpr double kOwn = 6.0;    // dB over what is not
    constexpr double kNew = 2.5;    // dB, see noveltyOf
    constexpr double kFaint = 0.1;  // strength
    if (candidate.onset.confidence >= kSure) {
        return Doubt::None;
    }
    if (candidate.overBleedDecibels < kOwn) {
        return Doubt::Bleed;
    }
    if (candidate.isRing || (candidate.owedDecibels > -6.0 && candidate.noveltyDecibels < kNew)) {
        return Doubt::Ring;
    }
    return candidate.onset.strength < kFaint ? Doubt::Faint : Doubt::Unclear;
}

double leastConfidence(const OnsetSettings& settings)
{
    return 1.0 / (1.0 + std::exp(0.08 * (settings.sensitivity - 50.0)));
}

Result<std::vector<Onset>>
pickOnsets(std::span<const OnsetCandidate> candidates, Hertz rate, const OnsetSettings& settings)
{
    if (!(settings.sensitivity >= 0.0 && settings.sensitivity <= 100.0)) {
        return badArgument(
            fmt::format("sensitivity must be 0 to 100, not {:g}", settings.sensitivity)
        );
    }
    if (!(settings.minGap.count() >= 0.0 && settings.minGap.count() <= 10.0)) {
        return badArgument("the minimum gap must be 0 to 10 seconds");
    }
    const double threshold = thresholdOf(settings);
    const double least = leastConfidence(settings);
    const Frames gap = toFrames(settings.minGap, rate);
    constexpr double kAlike = 0.7;
    // A skin struck hard swells once more, hats close after the stick: the blow still starts where it began.
    const Frames sameBlow = toFrames(milliseconds(15.0), rate);
    std::vector<Onset> blows;
    std::vector<Frames> bodies;  // of them
    for (const OnsetCandidate& candidate : candidates) {
        const Onset& onset = candidate.onset;
        if (onset.strength < threshold || onset.confidence < least) {
            continue;
        }
        // Where the swell was thought to begin says less than when it came.
        const auto isSoon = [&](Frames after) { return after < std::min(gap, sameBlow); };
        const bool isSameBlow =
            !blows.empty() &&
            (isSoon(onset.at - blows.back().at) || isSoon(candidate.body - bodies.back())) &&
            blows.back().strength > kAlike * onset.strength;
        if (isSameBlow) {
            blows.back().strength = std::max(blows.back().strength, onset.strength);
            blows.back().confidence = std::max(blows.back().confidence, onset.confidence);
        } else {
            blows.push_back(onset);
            bodies.push_back(candidate.body);
        }
    }
    // The strongest first, as far as it is sure to be there: of three in a row the middle one must not take the first
    // with it when it gives way to the last.
    std::vector<std::size_t> order(blows.size());
    std::iota(order.begin(), order.end(), std::size_t{0});
    std::ranges::stable_sort(order, std::greater{}, [&](std::size_t i) {
        return blows[i].strength * blows[i].confidence;
    });
    std::vector<bool> isPicked(blows.size(), false);
    const auto isNear = [&](std::size_t earlier, std::size_t later) {
        return blows[later].at - blows[earlier].at < gap || bodies[later] - bodies[earlier] < gap;
    };
    for (const std::size_t i : order) {
        bool isFree = true;
        for (std::size_t k = i; k-- > 0 && isNear(k, i);) {
            isFree = isFree && !isPicked[k];
        }
        for (std::size_t k = i + 1; k < blows.size() && isNear(i, k); ++k) {
            isFree = isFree && !isPicked[k];
        }
        isPicked[i] = isFree;
    }
    std::vector<Onset> picked;
    for (std::size_t i = 0; i < blows.size(); ++i) {
        if (isPicked[i]) {
            picked.push_back(blows[i]);
        }
    }
    return picked;
}

std::vector<OnsetCandidate> leftOut(
    std::span<const OnsetCandidate> candidates,
    std::span<const Onset> picked,
    Hertz rate,
    const OnsetSettings& settings,
    double least
)
{
    const Frames gap = std::max(toFrames(settings.minGap, rate), Frames(1));
    std::vector<OnsetCandidate> left;
    std::size_t next = 0;  // of the picked: the first that is not too early to be near
    for (const OnsetCandidate& candidate : candidates) {
        const Frames at = candidate.onset.at;
        while (next < picked.size() && picked[next].at <= at - gap) {
            ++next;
        }
        const bool isNear = next < picked.size() && picked[next].at < at + gap;
        if (isNear || candidate.onset.confidence < least) {
            continue;
        }
        if (left.empty() || at - left.back().onset.at >= gap) {
            left.push_back(candidate);
        } else if (candidate.onset.confidence > left.back().onset.confidence) {
            left.back() = candidate;
        }
    }
    return left;
}

}  // namespace orthochron
