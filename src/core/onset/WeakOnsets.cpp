#include "core/onset/WeakOnsets.h"

#include "core/onset/BandPass.h"

#include <algorithm>
#include <cmath>

namespace orthochron {

namespace {

constexpr double kEvenRise = 4.5;  // dB
constexpr double kSurer = 2.7;     // for each dB above it
constexpr Seconds kHop = milliseconds(5.0);
constexpr double kLowestHertz = 50.0;
constexpr double kHighestHertz = 1000.0;
constexpr double kPitchRate = 8000.0;   // of the thinned-out sound the pitch is sought in
constexpr double kVoiced = 0.25;        // difference below which there is a pitch
constexpr int kApart = 6;               // hops between what is compared: 30 ms to each side
constexpr int kLeastApart = 14;         // hops between two notes: 70 ms
constexpr double kFullRise = 12.0;      // dB that make a note for certain
constexpr double kFullStep = 1.0;       // semitones likewise
constexpr double kLeastNovelty = 0.35;  // measured on bowed and sung notes; a test repeats it
constexpr double kFloor = 1e-4;         // RMS, -80 dB
constexpr std::int64_t kHopsOfBlock = 1024;
constexpr std::int64_t kHopsOfMargin = 64;

struct Moment {
    double decibels = -80.0;
    double semitones = 0.0;  // above 1 Hz
    bool isVoiced = false;
};

std::size_t thinning(Hertz rate)
{
    return std::max<std::size_t>(1, static_cast<std::size_t>(rate.count() / kPitchRate));
}

// Every n-th sample of the sound below 2 kHz, with its rate.
std::pair<std::vector<float>, double> thinned(std::span<const float> samples, Hertz rate)
{
    const std::size_t every = thinning(rate);
    const auto low = bandPassed(samples, rate, {Hertz(20.0), Hertz(2000.0)})
                         .value_or(std::vector<float>(samples.begin(), samples.end()));
    std::vector<float> thin;
    thin.reserve(samples.size() / every + 1);
    for (std::size_t i = 0; i < samples.size(); i += every) {
        thin.push_back(low[i]);
    }
    return {std::move(thin), rate.count() / static_cast<double>(every)};
}

// The pitch around `middle`, by the first deep dip of the normalised difference.
void findPitch(std::span<const float> sound, double rate, std::int64_t middle, Moment& moment)
{
    const auto longest = static_cast<std::int64_t>(rate / kLowestHertz);
    const auto shortest = static_cast<std::int64_t>(rate / kHighestHertz);
    const std::int64_t window = longest;
    const std::int64_t from = middle - (window + longest) / 2;
    if (from < 0 || from + window + longest >= static_cast<std::int64_t>(sound.size())) {
        return;
    }
    std::vector<double> difference(static_cast<std::size_t>(longest) + 1, 1.0);
    double sum = 0.0;
    for (std::int64_t lag = 1; lag <= longest; ++lag) {
        double squares = 0.0;
        for (std::int64_t i = 0; i < window; ++i) {
            const double d = static_cast<double>(sound[static_cast<std::size_t>(from + i)]) -
                             static_cast<double>(sound[static_cast<std::size_t>(from + i + lag)]);
            squares += d * d;
        }
        sum += squares;
        difference[static_cast<std::size_t>(lag)] =
            sum > 0.0 ? squares * static_cast<double>(lag) / sum : 1.0;
    }
    for (std::int64_t lag = shortest; lag < longest; ++lag) {
        const auto n = static_cast<std::size_t>(lag);
        if (difference[n] < kVoiced && difference[n] <= difference[n + 1]) {
            const double bend = difference[n - 1] - 2.0 * difference[n] + difference[n + 1];
            const double shift =
                bend > 0.0 ? 0.5 * (difference[n - 1] - difference[n + 1]) / bend : 0.0;
            moment.semitones = 12.0 * std::log2(rate / (static_cast<double>(lag) + shift));
            moment.isVoiced = true;
            return;
        }
    }
}

Moment momentAt(std::span<const float> samples, std::int64_t middle, std::int64_t hop)
{
    const auto size = static_cast<std::int64_t>(samples.size());
    Moment moment;
    double squares = 0.0;
    const std::int64_t from = std::max<std::int64_t>(0, middle - hop);
    const std::int64_t to = std::min(size, middle + hop);
    for (std::int64_t i = from; i < to; ++i) {
        const auto x = static_cast<double>(samples[static_cast<std::size_t>(i)]);
        squares += x * x;
    }
    const double level =
        std::sqrt(squares / static_cast<double>(std::max<std::int64_t>(1, to - from)));
    moment.decibels = toDecibels(std::max(level, kFloor));
    return moment;
}

Result<std::vector<Moment>> momentsOf(const Channel& channel, Hertz rate, const Work& work)
{
    const auto hop = toFrames(kHop, rate).count();
    const auto every = thinning(rate);
    // Blocks begin on a hop and on a sample that stays when the sound is thinned out.
    const Frames block(hop * static_cast<std::int64_t>(every) * kHopsOfBlock);
    const Frames margin(hop * static_cast<std::int64_t>(every) * kHopsOfMargin);
    std::vector<Moment> moments;
    const auto read = forEachBlock(
        channel,
        block,
        margin,
        work,
        [&](std::span<const float> samples, Frames first, Frames from, Frames to) {
            const auto [thin, thinRate] = thinned(samples, rate);
            for (Frames middle = from; middle < to; middle += Frames(hop)) {
                const std::int64_t here = (middle - first).count();
                Moment moment = momentAt(samples, here, hop);
                if (moment.decibels > toDecibels(3.0 * kFloor)) {
                    const double place = static_cast<double>(here) / rate.count() * thinRate;
                    findPitch(thin, thinRate, static_cast<std::int64_t>(place), moment);
                }
                moments.push_back(moment);
            }
        }
    );
    if (!read) {
        return tl::unexpected(read.error());
    }
    return moments;
}

double median3(double a, double b, double c)
{
    return std::max(std::min(a, b), std::min(std::max(a, b), c));
}

// How much is new at a hop, 0 to about 2.
double noveltyAt(const std::vector<Moment>& moments, std::size_t n)
{
    if (n < kApart || n + kApart >= moments.size()) {
        return 0.0;
    }
    const Moment& before = moments[n - kApart];
    const Moment& after = moments[n + kApart];
    double quietest = moments[n].decibels;
    for (std::size_t k = n - kApart; k <= n; ++k) {
        quietest = std::min(quietest, moments[k].decibels);
    }
    const double rise = std::clamp((after.decibels - quietest) / kFullRise, 0.0, 1.2);
    double step = 0.0;
    if (before.isVoiced && after.isVoiced && after.decibels > -60.0) {
        // Medians of three, so that one misread pitch is no note.
        const double was = median3(
            before.semitones, moments[n - kApart + 1].semitones, moments[n - kApart + 2].semitones
        );
        const double is = median3(
            after.semitones, moments[n + kApart - 1].semitones, moments[n + kApart - 2].semitones
        );
        step = std::clamp(std::abs(is - was) / kFullStep - 0.3, 0.0, 1.0);
    }
    return rise > 0.25 || step > 0.0 ? rise + step : 0.0;
}

// Where the note whose newness peaks at `n` begins.
std::size_t startOf(const std::vector<Moment>& moments, std::size_t n)
{
    const std::size_t first = n > 2 * kApart ? n - 2 * kApart : 0;
    std::size_t quietest = n;
    for (std::size_t k = first; k <= n + 2 && k < moments.size(); ++k) {
        if (moments[k].decibels < moments[quietest].decibels) {
            quietest = k;
        }
    }
    const std::size_t later = std::min(n + kApart, moments.size() - 1);
    // A fall and rise of level is a new stroke; without one the middle of the change is its start.
    return moments[later].decibels - moments[quietest].decibels > 3.0 ? quietest : n;
}

}  // namespace

Result<OnsetAnalysis> analyseWeakOnsets(const Channel& channel, Hertz rate, const Work& work)
{
    OnsetAnalysis analysis;
    auto envelope = bandEnvelopeOf(channel, rate, work.part(0.0, 0.1));
    if (!envelope) {
        return tl::unexpected(envelope.error());
    }
    analysis.envelope = std::move(*envelope);
    const auto measured = momentsOf(channel, rate, work.part(0.1, 1.0));
    if (!measured) {
        return tl::unexpected(measured.error());
    }
    const std::vector<Moment>& moments = *measured;
    std::vector<double> novelty(moments.size());
    for (std::size_t n = 0; n < moments.size(); ++n) {
        novelty[n] = noveltyAt(moments, n);
    }
    std::size_t last = 0;
    for (std::size_t n = 1; n + 1 < novelty.size(); ++n) {
        const std::size_t from = n > kApart ? n - kApart : 0;
        const std::size_t to = std::min(n + kApart, novelty.size() - 1);
        const bool isPeak = novelty[n] >= kLeastNovelty &&
                            std::ranges::all_of(
                                novelty.begin() + static_cast<std::ptrdiff_t>(from),
                                novelty.begin() + static_cast<std::ptrdiff_t>(to) + 1,
                                [&](double other) { return other <= novelty[n]; }
                            );
        if (!isPeak || (!analysis.candidates.empty() && n - last < kLeastApart)) {
            continue;
        }
        last = n;
        const std::size_t start = startOf(moments, n);
        const std::size_t full = std::min(n + 2 * kApart, moments.size() - 1);
        OnsetCandidate candidate;
        candidate.onset.at = toFrames(kHop * static_cast<double>(start), rate);
        candidate.body = candidate.onset.at;
        candidate.onset.strength = fromDecibels(moments[full].decibels);
        candidate.riseDecibels = moments[full].decibels - moments[start].decibels;
        // The steeper the surer: an even chance where it just stands out.
        candidate.onset.confidence =
            1.0 / (1.0 + std::exp((kEvenRise - candidate.riseDecibels) * kSurer));
        analysis.candidates.push_back(candidate);
    }
    // Relative to the loud notes: the level nine of ten stay below.
    std::vector<double> levels;
    for (const OnsetCandidate& candidate : analysis.candidates) {
        levels.push_back(candidate.onset.strength);
    }
    if (!levels.empty()) {
        const auto loud = levels.begin() + static_cast<std::ptrdiff_t>(levels.size() * 9 / 10);
        std::ranges::nth_element(levels, loud);
        for (OnsetCandidate& candidate : analysis.candidates) {
            candidate.onset.strength = std::clamp(candidate.onset.strength / *loud, 0.0, 1.0);
        }
    }
    std::ranges::stable_sort(analysis.candidates, {}, [](const OnsetCandidate& candidate) {
        return candidate.onset.at;
    });
    return analysis;
}

}  // namespace orthochron
