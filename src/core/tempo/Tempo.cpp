#include "core/tempo/Tempo.h"

#include <fmt/format.h>

#include <algorithm>
#include <array>
#include <cctype>
#include <charconv>
#include <cmath>
#include <complex>
#include <numbers>
#include <numeric>

namespace orthochron {

namespace {

constexpr double kWindow = 16.0;     // seconds that a pulse is thought to be steady in
constexpr double kLowest = 0.9;      // Hz; of the smallest pulse
constexpr double kHighest = 14.0;    // Hz
constexpr double kNearlyAll = 0.85;  // as regular as that explains as much
constexpr double kMuch = 0.6;        // of the most regular: what is less is no pulse of it
constexpr double kExplained = 6.0;   // what a share of it weighs
constexpr std::size_t kFewest = 4;   // attacks
constexpr double kNoChance =
    0.012;                          // beats: a length that is as near to a whole number is a loop's
constexpr double kComesBack = 2.5;  // what a bar weighs that is like the one before in all

struct Event {
    double at = 0.0;  // seconds
    double weight = 0.0;
};

// Peaks of what begins.
std::vector<Event> eventsOf(const OnsetStrength& strength)
{
    constexpr float kFaint = 0.08F;  // of the strongest
    const auto& values = strength.values;
    const float strongest = values.empty() ? 0.0F : *std::ranges::max_element(values);
    std::vector<Event> events;
    for (std::size_t n = 0; n < values.size(); ++n) {
        const float before = n > 0 ? values[n - 1] : 0.0F;
        const float after = n + 1 < values.size() ? values[n + 1] : 0.0F;
        if (values[n] <= kFaint * strongest || values[n] < before || values[n] <= after) {
            continue;
        }
        // Between the steps: the weighed middle of the three.
        const double all = static_cast<double>(before + values[n] + after);
        const double off = static_cast<double>(after - before) / all;
        events.push_back(
            {(static_cast<double>(n) + off) * strength.step.count(), static_cast<double>(values[n])}
        );
    }
    return events;
}

std::complex<double> fourier(std::span<const Event> events, double hertz)
{
    std::complex<double> sum;
    for (const Event& event : events) {
        sum += std::polar(event.weight, -2.0 * std::numbers::pi * hertz * event.at);
    }
    return sum;
}

double weightOf(std::span<const Event> events)
{
    return std::accumulate(events.begin(), events.end(), 0.0, [](double sum, const Event& event) {
        return sum + event.weight;
    });
}

// How regular events are at a frequency, 0..1, window by window, each by what it holds.
class Pulse {
public:
    explicit Pulse(std::span<const Event> events)
    {
        if (events.empty()) {
            return;
        }
        const double length = events.back().at;
        const double window = length <= 1.5 * kWindow ? length + 1.0 : kWindow;
        for (double from = 0.0; from < length || windows_.empty(); from += 0.5 * window) {
            const auto first = std::ranges::lower_bound(events, from, {}, &Event::at);
            const auto last = std::ranges::lower_bound(events, from + window, {}, &Event::at);
            if (last - first >= 2) {
                windows_.emplace_back(first, last);
            }
            if (from + window >= length) {
                break;
            }
        }
    }

    [[nodiscard]] double at(double hertz) const
    {
        double sum = 0.0;
        double all = 0.0;
        for (const auto& window : windows_) {
            const double weight = weightOf(window);
            sum += std::abs(fourier(window, hertz)) * weight;
            all += weight * weight;
        }
        return all > 0.0 ? sum / all : 0.0;
    }

private:
    std::vector<std::span<const Event>> windows_;
};

struct Peak {
    double hertz = 0.0;
    double height = 0.0;
};

// The frequencies at which events are most regular.
std::vector<Peak> peaksOf(const Pulse& pulse, double length)
{
    const double step = 1.0 / (8.0 * std::clamp(length, 2.0, kWindow));
    std::vector<Peak> curve;
    for (double hertz = kLowest; hertz <= kHighest; hertz += step) {
        curve.push_back({hertz, pulse.at(hertz)});
    }
    std::vector<Peak> peaks;
    for (std::size_t n = 1; n + 1 < curve.size(); ++n) {
        if (curve[n].height >= curve[n - 1].height && curve[n].height > curve[n + 1].height) {
            const double a = curve[n - 1].height;
            const double b = curve[n].height;
            const double c = curve[n + 1].height;
            const double off = 0.5 * (a - c) / std::min(a - 2.0 * b + c, -1e-12);
            peaks.push_back({curve[n].hertz + off * step, b});
        }
    }
    return peaks;
}

// A straight line through the events that lie on the grid: the period in seconds.
double fittedPeriod(std::span<const Event> events, double period)
{
    constexpr int kRounds = 3;
    constexpr double kNear = 0.2;  // of a period; what is further off is not on the grid
    double phase = std::arg(fourier(events, 1.0 / period)) * -period / (2.0 * std::numbers::pi);
    for (int round = 0; round < kRounds; ++round) {
        double weight = 0.0;
        double sumK = 0.0;
        double sumT = 0.0;
        double sumKK = 0.0;
        double sumKT = 0.0;
        for (const Event& event : events) {
            const double k = std::round((event.at - phase) / period);
            if (std::abs(event.at - phase - k * period) > kNear * period) {
                continue;
            }
            weight += event.weight;
            sumK += event.weight * k;
            sumT += event.weight * event.at;
            sumKK += event.weight * k * k;
            sumKT += event.weight * k * event.at;
        }
        const double spread = weight * sumKK - sumK * sumK;
        if (spread <= 1e-9) {
            return period;
        }
        period = (weight * sumKT - sumK * sumT) / spread;
        phase = (sumT - period * sumK) / weight;
    }
    return period;
}

// How like what begins is to what began some time before.
class Recurrence {
public:
    explicit Recurrence(const OnsetStrength& strength)
        : step_(strength.step), values_(strength.values.size(), 0.0)
    {
        // Nobody plays it again to the hundredth of a second.
        constexpr std::ptrdiff_t kNear = 3;  // steps
        const auto count = std::ssize(strength.values);
        for (std::ptrdiff_t n = 0; n < count; ++n) {
            for (std::ptrdiff_t k = std::max<std::ptrdiff_t>(n - kNear, 0);
                 k <= std::min(n + kNear, count - 1);
                 ++k) {
                values_[static_cast<std::size_t>(n)] +=
                    static_cast<double>(kNear + 1 - std::abs(k - n)) *
                    static_cast<double>(strength.values[static_cast<std::size_t>(k)]);
            }
        }
    }

    // 0..1. None where too little is left to compare.
    [[nodiscard]] std::optional<double> after(Seconds lag) const
    {
        constexpr double kMost = 0.6;  // of it all
        const auto apart = static_cast<std::size_t>(std::llround(lag / step_));
        const auto count = static_cast<double>(values_.size());
        if (static_cast<double>(apart) > kMost * count) {
            return std::nullopt;
        }
        double both = 0.0;
        double now = 0.0;
        double then = 0.0;
        for (std::size_t n = 0; n + apart < values_.size(); ++n) {
            const double here = values_[n];
            const double there = values_[n + apart];
            both += here * there;
            now += here * here;
            then += there * there;
        }
        return both / std::sqrt(now * then + 1e-12);
    }

private:
    Seconds step_;
    std::vector<double> values_;
};

// How like its bars are, were they of four beats or of six: a bar is played again and again, what is a beat and a half
// to the player is not. Where there is but one bar, as like as bars usually are.
double likenessOfBars(const Recurrence& recurrence, double beat)
{
    constexpr double kUsual = 0.6;
    std::optional<double> most;
    for (const double beats : {4.0, 6.0}) {
        most = std::max(most, recurrence.after(Seconds(beats * beat)));
    }
    return most.value_or(kUsual);
}

struct Weighed {
    TempoReading reading;
    double odds = 0.0;  // logarithm
};

// What speaks for `pulses` of the smallest pulse making a beat.
double oddsOf(int pulses, double bpm, double byThree)
{
    constexpr double kUsual = 100.0;  // bpm
    constexpr double kWide = 0.45;    // octaves
    constexpr double kGrouping = 8.0;
    const double octaves = std::log2(bpm / kUsual) / kWide;
    double count = 0.05;
    switch (pulses) {
    case 1: count = 0.15; break;
    case 2: count = 0.4; break;
    case 4: count = 0.35; break;
    case 3: count = 0.12; break;
    case 6: count = 0.15; break;
    case 8: count = 0.03; break;
    default: break;
    }
    const double grouped = pulses % 3 == 0 ? byThree : -byThree;
    return std::log(count) - 0.5 * octaves * octaves + kGrouping * 0.5 * grouped;
}

// The beat among the pulses: where what begins is strongest.
Seconds firstBeatOf(std::span<const Event> events, double beat, int pulses, double phase)
{
    constexpr double kNear = 0.12;  // of a pulse
    double best = -1.0;
    double first = phase;
    const double pulse = beat / pulses;
    for (int k = 0; k < pulses; ++k) {
        const double from = std::fmod(std::fmod(phase + k * pulse, beat) + beat, beat);
        // A little before the start is at it.
        const double start = from > beat - 0.5 * kNear * pulse ? from - beat : from;
        double sum = 0.0;
        for (const Event& event : events) {
            const double off = std::remainder(event.at - start, beat);
            sum += std::abs(off) < kNear * pulse ? event.weight : 0.0;
        }
        if (sum > best) {
            best = sum;
            first = start;
        }
    }
    return Seconds(std::max(first, 0.0));
}

// Whole beats that a recording lasts.
std::optional<int> wholeBeats(std::optional<Seconds> length, double beat)
{
    if (!length) {
        return std::nullopt;
    }
    constexpr double kOff = 0.04;    // of a beat
    constexpr double kMost = 128.0;  // beats; what is longer is no loop
    const double beats = length->count() / beat;
    const double whole = std::round(beats);
    const bool isWhole = whole >= 2.0 && whole <= kMost && std::abs(beats - whole) < kOff;
    return isWhole ? std::optional(static_cast<int>(whole)) : std::nullopt;
}

// `off`: how far that is from what is played, beats. So near it is no chance.
double oddsOfLength(int beats, double off)
{
    constexpr double kSpeaks = 1.0;
    double odds = beats % 4 == 0 ? 0.6 : beats % 3 == 0 ? 0.4 : beats % 2 == 0 ? 0.1 : -0.3;
    if (beats >= 4 && (beats & (beats - 1)) == 0) {
        odds += 0.5;  // one bar, two, four, eight
    }
    return off < kNoChance ? odds + kSpeaks : odds;
}

// Whether a slower pulse explains nearly as much: then that one is the pulse, and this its multiple.
bool explainsLess(const Pulse& pulse, const Peak& peak)
{
    constexpr int kMost = 12;
    for (int k = 2; k <= kMost && peak.hertz / k >= kLowest; ++k) {
        if (pulse.at(peak.hertz / k) >= kNearlyAll * peak.height) {
            return true;
        }
    }
    return false;
}

std::vector<Weighed> weigh(
    std::span<const Event> events,
    const Pulse& pulse,
    std::span<const Peak> peaks,
    const Recurrence& recurrence,
    std::optional<Seconds> length,
    TempoRange range
)
{
    constexpr double kSame = 0.01;
    double strongest = 0.0;
    for (const Peak& peak : peaks) {
        strongest = std::max(strongest, peak.height);
    }
    std::vector<Weighed> all;
    for (const Peak& peak : peaks) {
        if (peak.height < kMuch * strongest || explainsLess(pulse, peak)) {
            continue;
        }
        const double half = pulse.at(0.5 * peak.hertz);
        const double third = pulse.at(peak.hertz / 3.0);
        const double period = fittedPeriod(events, 1.0 / peak.hertz);
        const double phase =
            std::arg(fourier(events, 1.0 / period)) * -period / (2.0 * std::numbers::pi);
        for (const int pulses : {1, 2, 3, 4, 6, 8}) {
            double beat = period * pulses;
            if (60.0 / beat < range.least * (1.0 - kSame) ||
                60.0 / beat > range.most * (1.0 + kSame)) {
                continue;
            }
            Weighed weighed;
            weighed.odds = oddsOf(pulses, 60.0 / beat, third - half) +
                           kExplained * std::log(peak.height / strongest);
            weighed.reading.wholeBeats = wholeBeats(length, beat);
            if (const auto whole = weighed.reading.wholeBeats) {
                const double off = std::abs(length->count() / beat - *whole);
                beat = length->count() / *whole;
                weighed.odds += oddsOfLength(*whole, off);
            }
            weighed.odds += kComesBack * likenessOfBars(recurrence, beat);
            weighed.reading.bpm = std::clamp(60.0 / beat, range.least, range.most);
            weighed.reading.firstBeat = firstBeatOf(events, beat, pulses, phase);
            all.push_back(weighed);
        }
    }
    std::ranges::stable_sort(all, std::greater{}, &Weighed::odds);
    // One reading is found by several ways of counting pulses.
    std::vector<Weighed> distinct;
    for (const Weighed& each : all) {
        const bool isKnown = std::ranges::any_of(distinct, [&](const Weighed& known) {
            return std::abs(known.reading.bpm / each.reading.bpm - 1.0) < kSame;
        });
        if (!isKnown) {
            distinct.push_back(each);
        }
    }
    return distinct;
}

}  // namespace

Result<void> validate(TempoRange range)
{
    if (!(range.least >= 20.0 && range.most <= 400.0 && range.least < range.most)) {
        return badArgument(fmt::format(
            "{:g} to {:g} bpm: a tempo range must be within 20 to 400, the lower first",
            range.least,
            range.most
        ));
    }
    return {};
}

std::vector<Seconds> beatsOf(const TempoReading& reading, Seconds length)
{
    std::vector<Seconds> beats;
    const Seconds beat(60.0 / reading.bpm);
    for (int k = 0;; ++k) {
        const Seconds at = reading.firstBeat + beat * static_cast<double>(k);
        if (at >= length) {
            return beats;
        }
        beats.push_back(at);
    }
}

std::optional<double> tempoInName(std::string_view name)
{
    constexpr std::string_view kUnit = "bpm";
    constexpr std::string_view kBetween = " _-";
    const auto isDigit = [](char c) { return c >= '0' && c <= '9'; };
    for (std::size_t at = 0; at + kUnit.size() <= name.size(); ++at) {
        const bool isUnit =
            std::ranges::equal(name.substr(at, kUnit.size()), kUnit, [](char a, char b) {
                return std::tolower(static_cast<unsigned char>(a)) == b;
            });
        if (!isUnit) {
            continue;
        }
        std::size_t end = at;
        while (end > 0 && kBetween.find(name[end - 1]) != std::string_view::npos) {
            --end;
        }
        std::size_t first = end;
        while (first > 0 && (isDigit(name[first - 1]) || name[first - 1] == '.')) {
            --first;
        }
        double value = 0.0;
        const auto read = std::from_chars(name.data() + first, name.data() + end, value);
        if (read.ec == std::errc() && value >= 20.0 && value <= 400.0) {
            return value;
        }
    }
    return std::nullopt;
}

TempoFound tempoOf(
    OnsetStrength strength, std::optional<Seconds> length, TempoRange range, double leastClarity
)
{
    constexpr std::size_t kMostReadings = 8;
    constexpr double kWorthSaying = 0.002;
    TempoFound found;
    found.strength = std::move(strength);
    const std::vector<Event> events = eventsOf(found.strength);
    if (events.size() < kFewest) {
        return found;
    }
    const Pulse pulse(events);
    const double lasts =
        found.strength.step.count() * static_cast<double>(found.strength.values.size());
    const std::vector<Peak> peaks = peaksOf(pulse, length ? length->count() : lasts);
    for (const Peak& peak : peaks) {
        found.clarity = std::max(found.clarity, peak.height);
    }
    if (found.clarity < leastClarity) {
        return found;
    }
    const auto weighed = weigh(events, pulse, peaks, Recurrence(found.strength), length, range);
    double sum = 0.0;
    for (const Weighed& each : weighed) {
        sum += std::exp(each.odds - weighed.front().odds);
    }
    for (const Weighed& each : weighed) {
        const double score = std::exp(each.odds - weighed.front().odds) / sum;
        if (found.readings.size() < kMostReadings && score >= kWorthSaying) {
            found.readings.push_back(each.reading);
            found.readings.back().score = score;
        }
    }
    if (!found.readings.empty()) {
        found.confidence = found.readings.front().score * std::min(1.0, found.clarity);
    }
    return found;
}

Result<TempoFound> findTempo(const Channel& channel, Hertz rate, TempoRange range, const Work& work)
{
    if (auto valid = validate(range); !valid) {
        return tl::unexpected(valid.error());
    }
    const auto envelope = bandEnvelopeOf(channel, rate, work.part(0.0, 0.9));
    if (!envelope) {
        return tl::unexpected(envelope.error());
    }
    TempoFound found =
        tempoOf(onsetStrengthOf(*envelope, rate), toSeconds(channel.frames, rate), range);
    if (work.stopped()) {
        return cancelled();
    }
    work.report(1.0);
    return found;
}

}  // namespace orthochron
