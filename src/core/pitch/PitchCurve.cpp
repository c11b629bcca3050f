#include "core/pitch/PitchCurve.h"

#include <fmt/format.h>
#include <oneapi/tbb/parallel_for.h>
#include <oneapi/tbb/task_arena.h>

#include "core/audio/ScalarProduct.h"
#include "core/pitch/StrayHarmonics.h"

#include <algorithm>
#include <array>
#include <cmath>
#include <limits>
#include <numbers>
#include <optional>

namespace orthochron {

namespace {

constexpr double kCoarseRate = 8000.0;
// Of that what is listened to: dips are wide then, so that none falls between two lags.
constexpr double kCoarseBand = 0.5;
constexpr Seconds kPass = Seconds(30.0);
constexpr Seconds kAround = Seconds(0.5);  // of what lies around a pass, for the path to settle
constexpr Seconds kWindow = milliseconds(25.0);  // a period of the lowest pitch and more
constexpr std::ptrdiff_t kMostCandidates = 7;
constexpr std::ptrdiff_t kFirst = 3;  // of them are those with the shortest periods
constexpr double kDip = 0.7;          // what is shallower is no candidate
constexpr double kUnvoiced = 0.45;    // the cost of having no pitch for a frame, and of this unlike
constexpr double kBegin = 0.25;       // of beginning or ending a note
constexpr double kLeap = 1.0;         // of an octave from one frame to the next
constexpr double kMostLeap = 0.9;     // two notes may follow each other directly
constexpr double kLower = 0.08;       // per octave: a period twice as long is alike too
constexpr Hertz kMiddle{150.0};       // where that costs nothing
constexpr double kSilence = 1e-5;     // of the loudest: 50 dB below it is no pitch
constexpr Seconds kLevel = milliseconds(20.0);
constexpr Seconds kLeastSpan = milliseconds(8.0);  // what a pitch is placed on, at least

// Does it for each of so many, on all cores. Who waits for that here may hold a lock, and so takes up no other
// work meanwhile.
void forEach(std::size_t count, const auto& work)
{
    tbb::this_task_arena::isolate([&] { tbb::parallel_for(std::size_t{0}, count, work); });
}

struct Candidate {
    double lag = 0.0;   // frames of the recording
    double cost = 0.0;  // how unlike one period is to the next, 0..1
};

// A passage at the coarse rate, low-passed.
std::vector<float> coarsened(std::span<const float> sound, std::int64_t every)
{
    const std::int64_t half = 4 * every;
    std::vector<float> taps(static_cast<std::size_t>(2 * half + 1));
    float sum = 0.0F;
    for (std::int64_t k = -half; k <= half; ++k) {
        const double turn =
            kCoarseBand * std::numbers::pi * static_cast<double>(k) / static_cast<double>(every);
        const double window =
            0.5 +
            0.5 *
                std::cos(std::numbers::pi * static_cast<double>(k) / static_cast<double>(half + 1));
        const double value = (k == 0 ? 1.0 : std::sin(turn) / turn) * window;
        taps[static_cast<std::size_t>(k + half)] = static_cast<float>(value);
        sum += static_cast<float>(value);
    }
    std::vector<float> coarse(sound.size() / static_cast<std::size_t>(every));
    const auto size = static_cast<std::int64_t>(sound.size());
    forEach(coarse.size(), [&](std::size_t n) {
        const std::int64_t middle = static_cast<std::int64_t>(n) * every;
        const std::int64_t first = std::max<std::int64_t>(middle - half, 0);
        const std::int64_t last = std::min(middle + half, size - 1);
        float value = 0.0F;
        for (std::int64_t i = first; i <= last; ++i) {
            value += taps[static_cast<std::size_t>(i - middle + half)] *
                     sound[static_cast<std::size_t>(i)];
        }
        coarse[n] = value / sum;
    });
    return coarse;
}

double squared(float value)
{
    return static_cast<double>(value) * static_cast<double>(value);
}

// Where a dip lies between its samples, and how deep it is.
std::pair<double, double> dipOf(double before, double at, double after)
{
    const double bend = before - 2.0 * at + after;
    if (bend <= 1e-12) {
        return {0.0, at};
    }
    const double place = std::clamp(0.5 * (before - after) / bend, -0.5, 0.5);
    return {place, at - 0.25 * (before - after) * place};
}

// Everything about one pass.
class Pass {
public:
    Pass(std::span<const float> sound, Hertz rate, const PitchSettings& settings, double loudest)
        : sound_(sound),
          rate_(rate.count()),
          every_(std::max<std::int64_t>(static_cast<std::int64_t>(rate_ / kCoarseRate), 1)),
          coarseRate_(rate_ / static_cast<double>(every_)),
          shortest_(std::max(coarseRate_ / settings.high.count(), 2.0)),
          longest_(coarseRate_ / settings.low.count()),
          lags_(static_cast<std::size_t>(std::ceil(longest_)) + 2),
          window_(static_cast<std::size_t>(
              coarseRate_ * std::max(kWindow.count(), 1.1 / settings.low.count())
          )),
          silence_(loudest * kSilence),
          coarse_(coarsened(sound, every_))
    {
        power_.assign(coarse_.size() + 1, 0.0);
        for (std::size_t n = 0; n < coarse_.size(); ++n) {
            power_[n + 1] = power_[n] + squared(coarse_[n]);
        }
        finePower_.assign(sound_.size() + 1, 0.0);
        for (std::size_t n = 0; n < sound_.size(); ++n) {
            finePower_[n + 1] = finePower_[n] + squared(sound_[n]);
        }
    }

    // The candidates around a frame of the passage.
    [[nodiscard]] std::vector<Candidate> candidatesAt(std::int64_t frame) const
    {
        const auto middle = frame / every_;
        const auto reach = static_cast<std::int64_t>(window_ + lags_);
        const std::int64_t first = middle - reach / 2;
        std::vector<Candidate> found;
        if (first < 0 || first + reach >= static_cast<std::int64_t>(coarse_.size())) {
            return found;
        }
        const auto from = static_cast<std::size_t>(first);
        if ((power_[from + window_] - power_[from]) / static_cast<double>(window_) < silence_) {
            return found;
        }
        std::vector<double> difference(lags_, 1.0);
        double mean = 0.0;
        constexpr std::size_t kTogether = 4;
        std::array<float, kTogether> same{};
        for (std::size_t lag = 1; lag < lags_; ++lag) {
            const std::size_t among = (lag - 1) % kTogether;
            if (among == 0) {
                same = sameAt<kTogether>(from, lag);
            }
            const double here = power_[from + window_] - power_[from];
            const double there = power_[from + lag + window_] - power_[from + lag];
            const double differs =
                std::max(here + there - 2.0 * static_cast<double>(same[among]), 0.0);
            mean += differs;
            difference[lag] = mean > 1e-20 ? differs * static_cast<double>(lag) / mean : 1.0;
        }
        const auto begin = static_cast<std::size_t>(std::max(std::floor(shortest_), 2.0));
        for (std::size_t lag = begin; lag + 1 < lags_; ++lag) {
            if (difference[lag] < kDip && difference[lag] <= difference[lag - 1] &&
                difference[lag] < difference[lag + 1]) {
                const auto [place, depth] =
                    dipOf(difference[lag - 1], difference[lag], difference[lag + 1]);
                found.push_back(
                    {(static_cast<double>(lag) + place) * static_cast<double>(every_),
                     std::max(depth, 0.0)}
                );
            }
        }
        if (std::ssize(found) > kMostCandidates) {
            // The first dips are as good as any: of a high pitch there are many more at its multiples.
            std::ranges::nth_element(
                found.begin() + kFirst,
                found.begin() + kMostCandidates,
                found.end(),
                {},
                &Candidate::cost
            );
            found.resize(kMostCandidates);
        }
        for (Candidate& candidate : found) {
            place(candidate, frame);
        }
        return found;
    }

    // Mean square around a frame.
    [[nodiscard]] double powerAt(std::int64_t frame) const
    {
        const auto reach = static_cast<std::int64_t>(kLevel.count() * rate_ / 2.0);
        const auto size = static_cast<std::int64_t>(sound_.size());
        const auto from = std::clamp<std::int64_t>(frame - reach, 0, size);
        const auto to = std::clamp<std::int64_t>(frame + reach, from, size);
        return (finePower_[static_cast<std::size_t>(to)] -
                finePower_[static_cast<std::size_t>(from)]) /
               static_cast<double>(2 * reach);
    }

    [[nodiscard]] double octavesOf(const Candidate& candidate) const
    {
        return std::log2(candidate.lag * kMiddle.count() / rate_);
    }

private:
    // How alike the window from a coarse frame on is to those some lags later, the first of them this one; the
    // last lags there are where so many more are not.
    template<std::size_t kTogether>
    [[nodiscard]] std::array<float, kTogether> sameAt(std::size_t from, std::size_t lag) const
    {
        std::array<const float*, kTogether> here{};
        std::array<const float*, kTogether> there{};
        for (std::size_t n = 0; n < kTogether; ++n) {
            here[n] = coarse_.data() + from;
            there[n] = coarse_.data() + from + std::min(lag + n, lags_);
        }
        return scalarProducts(here, there, window_);
    }

    // Finds a candidate's lag and cost in the recording itself, about two periods around a frame.
    void place(Candidate& candidate, std::int64_t frame) const
    {
        const auto reach = every_ + 1;
        const auto middle = static_cast<std::int64_t>(std::llround(candidate.lag));
        const auto span = std::max<std::int64_t>(
            2 * middle, static_cast<std::int64_t>(kLeastSpan.count() * rate_)
        );
        const std::int64_t first = frame - (span + middle) / 2;
        if (first - reach < 0 || middle <= reach + 1 ||
            first + span + middle + reach + 1 >= static_cast<std::int64_t>(sound_.size())) {
            return;
        }
        std::vector<double> values;
        const auto length = static_cast<std::size_t>(span);
        // Around one moment whatever the lag.
        const auto startOf = [&](std::int64_t lag) {
            return static_cast<std::size_t>(first + (middle - lag) / 2);
        };
        constexpr std::int64_t kTogether = 3;  // of an odd number of lags
        for (std::int64_t some = middle - reach; some <= middle + reach; some += kTogether) {
            std::array<const float*, kTogether> here{};
            std::array<const float*, kTogether> there{};
            for (std::size_t n = 0; n < here.size(); ++n) {
                const std::int64_t lag =
                    std::min(some + static_cast<std::int64_t>(n), middle + reach);
                here[n] = sound_.data() + startOf(lag);
                there[n] = here[n] + lag;
            }
            const auto same = scalarProducts(here, there, length);
            for (std::int64_t lag = some; lag < some + kTogether && lag <= middle + reach; ++lag) {
                const std::size_t a = startOf(lag);
                const std::size_t b = a + static_cast<std::size_t>(lag);
                const double power =
                    finePower_[a + length] - finePower_[a] + finePower_[b + length] - finePower_[b];
                const auto alike = static_cast<double>(same[static_cast<std::size_t>(lag - some)]);
                values.push_back(std::max(power - 2.0 * alike, 0.0) / (power + 1e-12));
            }
        }
        const auto k = static_cast<std::size_t>(std::clamp<std::ptrdiff_t>(
            std::ranges::min_element(values) - values.begin(),
            1,
            static_cast<std::ptrdiff_t>(values.size()) - 2
        ));
        const auto [between, depth] = dipOf(values[k - 1], values[k], values[k + 1]);
        candidate.lag = static_cast<double>(middle - reach) + static_cast<double>(k) + between;
        candidate.cost = std::max(depth, 0.0);
    }

    std::span<const float> sound_;
    double rate_;
    std::int64_t every_;
    double coarseRate_;
    double shortest_;  // lags of the highest and lowest pitch, at the coarse rate
    double longest_;
    std::size_t lags_;
    std::size_t window_;
    double silence_;
    std::vector<float> coarse_;
    std::vector<double> power_;      // running sums of squares, at the coarse rate
    std::vector<double> finePower_;  // and of the recording
};

// By how much one period differs from the next in amplitude: what is a tenth as unlike is far more alike, though both are
// alike. A low note whose fifth harmonic is its loudest is nearly alike at a fifth of its period too.
double costOf(const Candidate& candidate)
{
    return std::sqrt(kUnvoiced * candidate.cost);
}

// The cheapest path through the candidates of all frames; none where there is no pitch.
std::vector<std::optional<Candidate>>
cheapestPath(const std::vector<std::vector<Candidate>>& frames, const Pass& pass)
{
    // The last state of each frame is having no pitch.
    struct State {
        double cost = 0.0;
        std::size_t from = 0;
        double octaves = 0.0;
    };
    std::vector<std::vector<State>> states(frames.size());
    for (std::size_t n = 0; n < frames.size(); ++n) {
        const std::size_t count = frames[n].size();
        states[n].resize(count + 1);
        for (std::size_t k = 0; k <= count; ++k) {
            State& state = states[n][k];
            const bool isVoiced = k < count;
            state.octaves = isVoiced ? pass.octavesOf(frames[n][k]) : 0.0;
            double least = n == 0 ? 0.0 : std::numeric_limits<double>::max();
            for (std::size_t j = 0; n > 0 && j < states[n - 1].size(); ++j) {
                const State& before = states[n - 1][j];
                const bool wasVoiced = j + 1 < states[n - 1].size();
                double cost = before.cost;
                if (isVoiced != wasVoiced) {
                    cost += kBegin;
                } else if (isVoiced) {
                    cost += std::min(kLeap * std::abs(state.octaves - before.octaves), kMostLeap);
                }
                if (cost < least) {
                    least = cost;
                    state.from = j;
                }
            }
            state.cost =
                least + (isVoiced ? costOf(frames[n][k]) + kLower * state.octaves : kUnvoiced);
        }
    }
    std::vector<std::optional<Candidate>> path(frames.size());
    std::size_t k = 0;
    for (std::size_t n = frames.size(); n-- > 0;) {
        if (n + 1 == frames.size()) {
            k = static_cast<std::size_t>(
                std::ranges::min_element(states[n], {}, &State::cost) - states[n].begin()
            );
        }
        if (k < frames[n].size()) {
            path[n] = frames[n][k];
        }
        k = states[n][k].from;
    }
    return path;
}

Result<double> loudestOf(const Channel& channel, Hertz rate, const Work& work)
{
    double loudest = 0.0;
    const auto window = static_cast<std::size_t>(toFrames(kWindow, rate).count());
    auto read = forEachBlock(
        channel,
        toFrames(kPass, rate),
        Frames(0),
        work,
        [&](std::span<const float> sound, Frames, Frames, Frames) {
            for (std::size_t from = 0; from + window <= sound.size(); from += window) {
                double power = 0.0;
                for (const float value : sound.subspan(from, window)) {
                    power += squared(value);
                }
                loudest = std::max(loudest, power / static_cast<double>(window));
            }
        }
    );
    if (!read) {
        return tl::unexpected(read.error());
    }
    return loudest;
}

}  // namespace

double semitonesOf(const PitchFrame& frame)
{
    return 69.0 + 12.0 * std::log2(frame.pitch / kConcertPitch);
}

Frames placeOfPitch(std::size_t frame, Hertz rate)
{
    return toFrames(kPitchHop * static_cast<double>(frame), rate);
}

Result<std::vector<PitchFrame>>
pitchOf(const Channel& channel, Hertz rate, const PitchSettings& settings, const Work& work)
{
    return pitchWhere({}, channel, rate, settings, work);
}

Result<std::vector<PitchFrame>> pitchWhere(
    const std::vector<bool>& asked,
    const Channel& channel,
    Hertz rate,
    const PitchSettings& settings,
    const Work& work
)
{
    if (!(rate.count() >= 8000.0 && rate.count() <= 192000.0)) {
        return badArgument(
            fmt::format("a rate of {:g} Hz is not between 8000 and 192000", rate.count())
        );
    }
    const double low = settings.low.count();
    const double high = settings.high.count();
    if (!(low >= 20.0 && high <= 4000.0 && low * 1.5 <= high)) {
        return badArgument(fmt::format(
            "the pitch range must lie within 20 to 4000 Hz and span half an octave, not {:g} to "
            "{:g}",
            low,
            high
        ));
    }
    const auto loudest = loudestOf(channel, rate, work.part(0.0, 0.05));
    if (!loudest) {
        return tl::unexpected(loudest.error());
    }
    std::vector<PitchFrame> curve;
    const Frames around = toFrames(kAround, rate);
    Frames length{0};
    std::vector<float> sound;
    for (Frames from{0}; from < channel.frames; from += length) {
        length = std::min(toFrames(kPass, rate), channel.frames - from);
        if (work.stopped()) {
            return cancelled();
        }
        const Frames first = from - around;
        sound.resize(static_cast<std::size_t>((length + around * 2).count()));
        if (auto read = channel.read(first, sound); !read) {
            return tl::unexpected(read.error());
        }
        const Pass pass(sound, rate, settings, *loudest);
        // Frames of the curve from a little before the pass to a little after it.
        const std::size_t begin = curve.size();
        const auto spare = static_cast<std::size_t>(kAround / kPitchHop / 2.0);
        const std::size_t start = begin > spare ? begin - spare : 0;
        std::size_t past = start;
        while (placeOfPitch(past, rate) < from + length + around / 2) {
            ++past;
        }
        std::vector<std::vector<Candidate>> frames(past - start);
        forEach(frames.size(), [&](std::size_t n) {
            if (start + n >= asked.size() || asked[start + n]) {
                frames[n] = pass.candidatesAt((placeOfPitch(start + n, rate) - first).count());
            }
        });
        const auto path = cheapestPath(frames, pass);
        const Frames last = std::min(from + length, channel.frames);
        for (std::size_t n = begin; placeOfPitch(n, rate) < last; ++n) {
            const auto& candidate = path[n - start];
            const std::int64_t frame = (placeOfPitch(n, rate) - first).count();
            PitchFrame found;
            found.power = pass.powerAt(frame);
            if (candidate) {
                found.pitch = Hertz(rate.count() / candidate->lag);
                found.confidence = 1.0 - candidate->cost;
            }
            curve.push_back(found);
        }
        work.report(0.05 + 0.95 * (last / channel.frames));
    }
    takeInStrayHarmonics(curve);
    return curve;
}

}  // namespace orthochron
