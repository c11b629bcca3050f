#include "core/onset/OnsetDetector.h"

#include <fmt/format.h>
#include <oneapi/tbb/parallel_for.h>

#include "core/onset/AttackStart.h"

#include <algorithm>
#include <cmath>
#include <deque>
#include <numeric>

namespace orthochron {

namespace {

// How long after a moment its level is read, and over how long the past is smoothed: a low band
// swings with its own period.
constexpr std::array<std::int64_t, kBands> kWindowHops{8, 4, 3, 3};
constexpr std::int64_t kPastHops = 25;
constexpr std::int64_t kPeakHops = 8;  // a candidate is the greatest rise this far around
constexpr double kLeastRise = 3.0;     // dB; below it lies the beating of cymbals
constexpr Seconds kClickAhead = milliseconds(2.0);
constexpr double kDeepest = 1e-10;  // mean square, -100 dB: below every converter's noise

double decibels(double power)
{
    return 10.0 * std::log10(std::max(power, 1e-14));
}

double percentile(std::vector<double> values, double part)
{
    if (values.empty()) {
        return 0.0;
    }
    const auto at = static_cast<std::size_t>(part * static_cast<double>(values.size() - 1));
    std::ranges::nth_element(values, values.begin() + static_cast<std::ptrdiff_t>(at));
    return values[at];
}

// The level of the loud blows: not the loudest of all, which may be one rim shot, but near it,
// since a tom may be struck a dozen times in a song full of bleed.
double loudOf(std::vector<double> powers)
{
    if (powers.empty()) {
        return 0.0;
    }
    const std::size_t rank = std::clamp<std::size_t>(powers.size() / 50, 1, 6) - 1;
    std::ranges::nth_element(
        powers, powers.begin() + static_cast<std::ptrdiff_t>(rank), std::greater{}
    );
    return powers[rank];
}

// Twice the level that a tenth of the channel stays under, in each band.
BandLevels noiseFloor(const BandEnvelope& envelope)
{
    BandLevels floor{};
    for (std::size_t band = 0; band < kBands; ++band) {
        std::vector<double> levels;
        for (std::size_t n = 0; n < envelope.size(); n += 7) {
            levels.push_back(static_cast<double>(envelope.level(n, band)));
        }
        floor[band] =
            static_cast<float>(std::max(2.0 * percentile(std::move(levels), 0.1), kDeepest));
    }
    return floor;
}

// In one band: by how many dB the next moments exceed all of the last ones.
std::vector<float> riseOf(const BandEnvelope& envelope, std::size_t band, double floor)
{
    const auto size = static_cast<std::int64_t>(envelope.size());
    const std::int64_t window = kWindowHops[band];
    std::vector<double> smooth(static_cast<std::size_t>(size));  // over [n, n + window)
    double sum = 0.0;
    for (std::int64_t n = size - 1; n >= 0; --n) {
        sum += static_cast<double>(envelope.level(static_cast<std::size_t>(n), band));
        if (n + window < size) {
            sum -= static_cast<double>(envelope.level(static_cast<std::size_t>(n + window), band));
        }
        smooth[static_cast<std::size_t>(n)] = std::max(sum, 0.0) / static_cast<double>(window);
    }
    std::vector<float> rise(static_cast<std::size_t>(size), 0.0F);
    for (std::int64_t n = 0; n < size; ++n) {
        double past = 0.0;
        for (std::int64_t k = std::max<std::int64_t>(0, n - kPastHops); k <= n - window; ++k) {
            past = std::max(past, smooth[static_cast<std::size_t>(k)]);
        }
        const double now = smooth[static_cast<std::size_t>(n)];
        rise[static_cast<std::size_t>(n)] =
            static_cast<float>(decibels((now + floor) / (past + floor)));
    }
    return rise;
}

// The power an attack at `hop` adds in one band.
// What rang before is taken off `times` over: more than once where its beating could look like an attack.
double attackPower(const BandEnvelope& envelope, int band, std::int64_t hop, double times = 1.0)
{
    const std::int64_t window = kWindowHops[static_cast<std::size_t>(band)];
    double loudest = 0.0;
    for (std::int64_t shift = 0; shift <= 6; shift += 2) {
        loudest = std::max(loudest, envelope.mean(band, hop + shift, hop + shift + window));
    }
    return std::max(loudest - times * envelope.mean(band, hop - 2 - window, hop - 2), 0.0);
}

double attackPower(const BandEnvelope& envelope, std::int64_t hop)
{
    double sum = 0.0;
    for (int band = 0; band < kBands; ++band) {
        sum += attackPower(envelope, band, hop);
    }
    return sum;
}

struct Rise {
    std::int64_t hop = 0;
    double decibels = 0.0;
    std::size_t band = 0;  // where it is greatest
};

Result<std::vector<Rise>> risesOf(const BandEnvelope& envelope, const Work& work)
{
    const BandLevels floor = noiseFloor(envelope);
    std::vector<float> rise(envelope.size(), 0.0F);
    std::vector<std::uint8_t> strongest(envelope.size(), 0);
    for (std::size_t band = 0; band < kBands; ++band) {
        if (work.stopped()) {
            return cancelled();
        }
        const auto inBand = riseOf(envelope, band, static_cast<double>(floor[band]));
        for (std::size_t n = 0; n < rise.size(); ++n) {
            if (inBand[n] > rise[n]) {
                rise[n] = inBand[n];
                strongest[n] = static_cast<std::uint8_t>(band);
            }
        }
    }
    std::vector<Rise> rises;
    const auto size = static_cast<std::int64_t>(rise.size());
    for (std::int64_t n = 0; n < size; ++n) {
        const float here = rise[static_cast<std::size_t>(n)];
        if (static_cast<double>(here) < kLeastRise) {
            continue;
        }
        bool isPeak = true;
        for (std::int64_t k = std::max<std::int64_t>(0, n - kPeakHops);
             k <= std::min(size - 1, n + kPeakHops) && isPeak;
             ++k) {
            const float there = rise[static_cast<std::size_t>(k)];
            isPeak = k < n ? there < here : there <= here;
        }
        if (isPeak) {
            rises.push_back({n, static_cast<double>(here), strongest[static_cast<std::size_t>(n)]});
        }
    }
    return rises;
}

}  // namespace

double thresholdOf(const OnsetSettings& settings)
{
    return settings.threshold.value_or(fromDecibels(-(6.0 + 0.48 * settings.sensitivity)));
}

double strengthAt(const OnsetAnalysis& analysis, std::int64_t hop)
{
    if (analysis.loudPower <= 0.0 || hop < 0) {
        return 0.0;
    }
    // Ringing has power too: what rises above none of what came before is no attack.
    const BandEnvelope& envelope = analysis.envelope;
    double rise = 0.0;
    for (int band = 0; band < kBands; ++band) {
        const std::int64_t window = kWindowHops[static_cast<std::size_t>(band)];
        double past = kDeepest;
        for (std::int64_t k = hop - kPastHops; k <= hop - window; k += 2) {
            past = std::max(past, envelope.mean(band, k, k + window));
        }
        for (std::int64_t shift = 0; shift <= 6; shift += 2) {
            const double now = envelope.mean(band, hop + shift, hop + shift + window);
            rise = std::max(rise, decibels((now + kDeepest) / past));
        }
    }
    constexpr double kClearRise = 6.0;  // what pickOnsets asks of a hit
    const double clear = std::clamp(rise / kClearRise, 0.0, 1.0);
    return clear * std::min(1.0, std::sqrt(attackPower(envelope, hop) / analysis.loudPower));
}

namespace {

// What is heard of each attack at the sample, beside where it begins.
struct AttackDetail {
    std::vector<std::vector<Frames>> earlier;  // see risesBefore
    std::vector<double> novelty;               // dB, see noveltyOf
};

// Places the attacks to the sample, and what rises just ahead of each, a stretch of the channel with many of them at a time.
Result<void> placeAttacks(
    const Channel& channel,
    Hertz rate,
    std::span<const Rise> rises,
    OnsetAnalysis& analysis,
    AttackDetail& detail,
    const Work& work
)
{
    constexpr Seconds kMargin = milliseconds(60.0);  // more than attackStart looks at
    constexpr Frames kMost{1 << 19};
    const Frames margin = toFrames(kMargin, rate);
    std::vector<float> samples;
    for (std::size_t first = 0; first < rises.size();) {
        if (work.stopped()) {
            return cancelled();
        }
        const Frames from =
            std::max(analysis.envelope.frameOf(rises[first].hop) - margin, Frames(0));
        std::size_t last = first;
        while (last < rises.size() &&
               analysis.envelope.frameOf(rises[last].hop) + margin - from <= kMost) {
            ++last;
        }
        last = std::max(last, first + 1);
        const Frames to =
            std::min(analysis.envelope.frameOf(rises[last - 1].hop) + margin, channel.frames);
        samples.resize(static_cast<std::size_t>((to - from).count()));
        if (auto read = channel.read(from, samples); !read) {
            return read;
        }
        tbb::parallel_for(first, last, [&](std::size_t i) {
            // The band that rises was quiet until a window ago: what began earlier is another
            // blow, but for the click that may come ahead of the body.
            const auto window = static_cast<double>(kWindowHops[rises[i].band]);
            const Frames guess = analysis.envelope.frameOf(rises[i].hop) - from;
            const Frames start =
                attackStart(samples, rate, guess, milliseconds(window) + kClickAhead);
            analysis.candidates[i].onset.at = from + start;
            analysis.candidates[i].body = from + start;
            analysis.candidates[i].riseDecibels = rises[i].decibels;
            detail.novelty[i] = noveltyOf(samples, rate, start);
            for (const Frames rise : risesBefore(samples, rate, start)) {
                detail.earlier[i].push_back(from + rise);
            }
        });
        first = last;
        work.report(static_cast<double>(first) / static_cast<double>(rises.size()));
    }
    return {};
}

// A head swells again some time after its blow, and what follows from what rings is no attack. Strokes of
// a roll stand out by little too, but follow each other closely, and a ring is softer than its blow.
void tellRings(OnsetAnalysis& analysis, std::span<const double> novelty, Hertz rate)
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
        candidate.isRing = novelty[i] < kNew && isLater && isSofter;
        if (!candidate.isRing && candidate.onset.strength > kClear &&
            candidate.riseDecibels >= 6.0) {
            blows.push_back(i);
        }
    }
}

// A beater's click comes ahead of the body of its drum, and a shell may speak in two steps: what rises
// at the same time ahead of blow after blow belongs to the blow, and it begins there. Another drum
// arriving keeps no such time.
void beginWithClicks(
    OnsetAnalysis& analysis, const std::vector<std::vector<Frames>>& earlier, Hertz rate
)
{
    constexpr double kLoud = 0.4;
    constexpr double kShare = 0.2;        // of the loud blows, that must have it
    constexpr std::size_t kFewest = 4;    // of them
    constexpr double kOverChance = 0.25;  // of all rises, which by chance would spread over 8 ms
    constexpr int kSteps = 2;             // a click, and a step before the body
    const Frames together = toFrames(milliseconds(0.5), rate);
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
            for (const Frames rise : earlier[i]) {
                if (rise < candidate.onset.at) {
                    ahead.push_back(candidate.onset.at - rise);
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
            for (const Frames rise : earlier[i]) {
                const Frames off = std::max(rise - wanted, wanted - rise);
                if (off < nearest && rise < onset.at) {
                    nearest = off;
                    at = rise;
                }
            }
            onset.at = at;
        }
    }
}

}  // namespace

Result<OnsetAnalysis> analyseOnsets(std::span<const float> samples, Hertz rate, const Work& work)
{
    return analyseOnsets(channelOver(samples), rate, work);
}

Result<OnsetAnalysis> analyseOnsets(const Channel& channel, Hertz rate, const Work& work)
{
    if (!(rate.count() >= 8000.0 && rate.count() <= 192000.0)) {
        return badArgument(
            fmt::format("a rate of {:g} Hz cannot be analysed; 8 to 192 kHz can", rate.count())
        );
    }
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
    AttackDetail detail;
    detail.earlier.resize(rises.size());
    detail.novelty.resize(rises.size());
    if (auto placed = placeAttacks(channel, rate, rises, analysis, detail, work.part(0.7, 1.0));
        !placed) {
        return tl::unexpected(placed.error());
    }
    std::vector<double> levels(rises.size());
    tbb::parallel_for(std::size_t{0}, rises.size(), [&](std::size_t i) {
        levels[i] = attackPower(
            analysis.envelope, analysis.envelope.hopOf(analysis.candidates[i].onset.at)
        );
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
    }
    tellRings(analysis, detail.novelty, rate);
    beginWithClicks(analysis, detail.earlier, rate);
    std::ranges::stable_sort(analysis.candidates, {}, [](const OnsetCandidate& c) {
        return c.onset.at;
    });
    work.report(1.0);
    return analysis;
}

namespace {

int ownBand(const OnsetAnalysis& analysis)
{
    std::array<double, kBands> power{};
    for (const OnsetCandidate& candidate : analysis.candidates) {
        if (candidate.onset.strength > 0.5) {
            const std::int64_t hop = analysis.envelope.hopOf(candidate.body);
            for (int band = 0; band < kBands; ++band) {
                power[static_cast<std::size_t>(band)] += attackPower(analysis.envelope, band, hop);
            }
        }
    }
    return static_cast<int>(std::ranges::max_element(power) - power.begin());
}

// The power another microphone gains around `hop`: it may hear the blow sooner or later.
double powerAround(const BandEnvelope& envelope, int band, std::int64_t hop)
{
    double most = 0.0;
    for (std::int64_t shift = -6; shift <= 6; shift += 2) {
        most = std::max(most, attackPower(envelope, band, hop + shift, 2.0));
    }
    return most;
}

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

// A room microphone hears every blow this much later than a close one: it is nearer to no drum,
// and what it hears within the window is the blow before.
constexpr double kRoomLagHops = 5.0;

// By how much a blow of level `level` (dB, 0 is loud) must be louder here than in a microphone in
// which this one's own blows usually are `usual` dB quieter. A loud blow may be struck together
// with another drum; a quiet one must look like the loud ones, only quieter.
double neededLead(double level, double usual)
{
    constexpr double kLoud = -8.0;
    constexpr double kQuiet = -16.0;
    const double atLoud = std::min(usual, 0.0) - 12.0;
    // A distant microphone hears every drum about as well: it takes more to be disproved by one.
    const double doubt = usual < 6.0 ? 17.0 : 13.0;
    const double atQuiet =
        std::max(atLoud - (usual < 6.0 ? 5.0 : 0.0), std::min(usual - doubt, 4.0));
    const double part = std::clamp((level - kLoud) / (kQuiet - kLoud), 0.0, 1.0);
    return atLoud + part * (atQuiet - atLoud);
}

// The highest a band gets around an attack: its click may come just before its own band swells.
double brightPower(const BandEnvelope& envelope, int band, std::int64_t hop)
{
    const std::int64_t window = kWindowHops[static_cast<std::size_t>(band)];
    double most = 0.0;
    for (std::int64_t shift = -8; shift <= 10; shift += 2) {
        most = std::max(most, envelope.mean(band, hop + shift, hop + shift + window));
    }
    return most;
}

// By how many dB each attack is duller than the loud ones of its microphone: what comes from
// another drum, or is the same blow swelling once more, has lost its click. Where other things
// ring there it is not told, and counts as bright. `levels` are dB, 0 is loud.
std::vector<double>
dullness(const OnsetAnalysis& analysis, int ownBand, std::span<const double> levels, double loud)
{
    constexpr double kLoud = -8.0;      // dB
    constexpr std::size_t kFewest = 5;  // loud ones, to know what is usual
    const auto& candidates = analysis.candidates;
    const BandEnvelope& envelope = analysis.envelope;
    std::vector<double> dull(candidates.size(), ownBand < kBands - 1 ? 200.0 : 0.0);
    for (int band = std::max(ownBand + 1, 2); band < kBands; ++band) {
        std::vector<double> bright(candidates.size());
        std::vector<double> ofLoud;
        for (std::size_t i = 0; i < candidates.size(); ++i) {
            const std::int64_t hop = envelope.hopOf(candidates[i].body);
            bright[i] = decibels(brightPower(envelope, band, hop)) - loud - levels[i];
            if (levels[i] > kLoud) {
                ofLoud.push_back(bright[i]);
            }
        }
        if (ofLoud.size() < kFewest) {
            return std::vector<double>(candidates.size(), 0.0);
        }
        const double usual = percentile(std::move(ofLoud), 0.5);
        for (std::size_t i = 0; i < candidates.size(); ++i) {
            dull[i] = std::min(dull[i], usual - bright[i]);
        }
    }
    return dull;
}

// What dullness takes from the belief that a blow is this microphone's own. Soft strokes are
// duller too.
double doubtOf(double dull, double level)
{
    return 2.0 * std::max(0.0, dull - 4.5 + 0.15 * std::min(level, 0.0));
}

constexpr double kOutlyingDoubt = 12.0;  // dB

// The level below which the few blows lie that are far quieter than all others of their
// microphone: it takes more to believe these, as so few soft strokes are seldom meant. A drummer
// who plays soft strokes plays many.
double outlyingLevel(std::span<const OnsetCandidate> candidates, std::span<const double> levels)
{
    constexpr double kGap = 4.5;       // dB
    constexpr double kQuiet = -12.0;   // dB; what lies above is no outlier
    constexpr double kSoft = -14.0;    // dB; who plays as softly plays softer now and then
    constexpr double kFew = 0.15;      // of all
    constexpr double kLowest = -32.0;  // dB; what lies below no usual sensitivity lets through
    std::vector<double> own;
    for (std::size_t i = 0; i < candidates.size(); ++i) {
        if (candidates[i].ownDecibels >= 0.0 && levels[i] > kLowest) {
            own.push_back(levels[i]);
        }
    }
    std::ranges::sort(own, std::greater{});
    const auto first = static_cast<std::size_t>((1.0 - kFew) * static_cast<double>(own.size()));
    for (std::size_t i = std::max<std::size_t>(first, 8); i < own.size(); ++i) {
        if (own[i] < kQuiet && own[i - 1] > kSoft && own[i - 1] - own[i] > kGap) {
            return 0.5 * (own[i - 1] + own[i]);
        }
    }
    return -200.0;
}

}  // namespace

void attributeBleed(OnsetAnalysis& analysis, std::span<const BandEnvelope* const> others)
{
    const int band = ownBand(analysis);
    const auto& candidates = analysis.candidates;
    std::vector<double> powers(candidates.size());
    for (std::size_t i = 0; i < candidates.size(); ++i) {
        const std::int64_t hop = analysis.envelope.hopOf(candidates[i].body);
        powers[i] = attackPower(analysis.envelope, band, hop);
        analysis.candidates[i].ownDecibels = 60.0;
    }
    const double loud = decibels(loudOf(powers));
    for (const BandEnvelope* other : others) {
        std::vector<double> there(candidates.size());
        std::vector<double> leadsWhenLoud;
        std::vector<double> lags;
        for (std::size_t i = 0; i < candidates.size(); ++i) {
            const std::int64_t hop = analysis.envelope.hopOf(candidates[i].body);
            there[i] = powerAround(*other, band, hop);
        }
        // A microphone that hears none of it, only its own noise, has nothing to say.
        const double loudThere = decibels(loudOf(there));
        const auto floor = static_cast<double>(noiseFloor(*other)[static_cast<std::size_t>(band)]);
        if (loudThere < decibels(floor) + 12.0) {
            continue;
        }
        for (std::size_t i = 0; i < candidates.size(); ++i) {
            if (decibels(powers[i]) > loud - 8.0) {
                leadsWhenLoud.push_back(
                    decibels(powers[i]) - loud - decibels(there[i]) + loudThere
                );
                const std::int64_t hop = analysis.envelope.hopOf(candidates[i].body);
                const std::int64_t later =
                    lagOf(*other, band, hop) - lagOf(analysis.envelope, band, hop);
                lags.push_back(static_cast<double>(later));
            }
        }
        if (percentile(std::move(lags), 0.5) >= kRoomLagHops) {
            continue;
        }
        // Above the median: some loud blows fall together with one of the other microphone's own.
        const double usual = percentile(std::move(leadsWhenLoud), 0.7);
        for (std::size_t i = 0; i < candidates.size(); ++i) {
            const double level = decibels(powers[i]) - loud;
            const double lead = level - (decibels(there[i]) - loudThere);
            double& own = analysis.candidates[i].ownDecibels;
            own = std::min(own, lead - neededLead(level, usual));
        }
    }
    std::vector<double> levels(candidates.size());
    for (std::size_t i = 0; i < candidates.size(); ++i) {
        levels[i] = decibels(powers[i]) - loud;
    }
    const auto dull = dullness(analysis, band, levels, loud);
    for (std::size_t i = 0; i < candidates.size(); ++i) {
        analysis.candidates[i].ownDecibels -= doubtOf(dull[i], levels[i]);
    }
    const double outlying = outlyingLevel(candidates, levels);
    for (std::size_t i = 0; i < candidates.size(); ++i) {
        OnsetCandidate& candidate = analysis.candidates[i];
        candidate.ownDecibels -= levels[i] < outlying ? kOutlyingDoubt : 0.0;
        candidate.isBleed = candidate.ownDecibels < 0.0;
    }
}

Result<std::vector<Onset>>
pickOnsets(std::span<const OnsetCandidate> candidates, Hertz rate, const OnsetSettings& settings)
{
    if (!(settings.sensitivity >= 0.0 && settings.sensitivity <= 100.0)) {
        return badArgument(
            fmt::format("sensitivity {:g} is not within 0 to 100", settings.sensitivity)
        );
    }
    if (!(settings.minGap.count() >= 0.0 && settings.minGap.count() <= 10.0)) {
        return badArgument("the smallest gap is between 0 and 10 seconds");
    }
    const double threshold = thresholdOf(settings);
    // A high sensitivity also believes in attacks that stand out less from what rings.
    const double leastRise = 6.0 - 0.03 * settings.sensitivity;
    const Frames gap = toFrames(settings.minGap, rate);
    // A skin struck hard swells once more: the blow still starts where it began.
    const Frames sameBlow = toFrames(milliseconds(8.0), rate);
    std::vector<Onset> picked;
    for (const OnsetCandidate& candidate : candidates) {
        const Onset& onset = candidate.onset;
        if (candidate.isBleed || candidate.isRing || onset.strength < threshold ||
            candidate.riseDecibels < leastRise) {
            continue;
        }
        if (!picked.empty() && onset.at - picked.back().at < gap) {
            const bool isSameBlow = onset.at - picked.back().at < sameBlow &&
                                    picked.back().strength > 0.5 * onset.strength;
            if (isSameBlow) {
                picked.back().strength = std::max(picked.back().strength, onset.strength);
            } else if (onset.strength > picked.back().strength) {
                picked.back() = onset;
            }
            continue;
        }
        picked.push_back(onset);
    }
    return picked;
}

}  // namespace orthochron
