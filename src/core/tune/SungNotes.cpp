#include "core/tune/SungNotes.h"

#include <algorithm>
#include <cmath>
#include <numbers>

namespace orthochron {

namespace {

constexpr double kWanderFrames = 18.0;  // standard deviation of the smoothing: 90 ms
constexpr double kArriveFrames = 6.0;   // likewise for telling when it has arrived
constexpr double kArrived = 0.3;        // semitones from where it will be
constexpr double kMostLeft = 0.4;       // of a note that either end of it may take
constexpr std::size_t kEdge = 4;        // frames at either end that are never steady
constexpr Seconds kTouching = milliseconds(40.0);

// Smoothed by a bell curve; at its ends what is beyond is mirrored.
std::vector<double> smoothed(std::span<const double> values, double deviation)
{
    const auto count = std::ssize(values);
    const auto reach = static_cast<std::ptrdiff_t>(std::ceil(3.0 * deviation));
    std::vector<double> weights;
    for (std::ptrdiff_t k = -reach; k <= reach; ++k) {
        const double x = static_cast<double>(k) / deviation;
        weights.push_back(std::exp(-0.5 * x * x));
    }
    std::vector<double> smooth(values.size());
    for (std::ptrdiff_t i = 0; i < count; ++i) {
        double sum = 0.0;
        double weight = 0.0;
        for (std::ptrdiff_t k = -reach; k <= reach; ++k) {
            // Mirrored as often as it takes: a note may be shorter than the curve is wide.
            const std::ptrdiff_t turn = 2 * count;
            std::ptrdiff_t at = ((i + k) % turn + turn) % turn;
            at = at < count ? at : turn - 1 - at;
            const double own = weights[static_cast<std::size_t>(k + reach)];
            sum += own * values[static_cast<std::size_t>(at)];
            weight += own;
        }
        smooth[static_cast<std::size_t>(i)] = sum / weight;
    }
    return smooth;
}

// The pitch of each frame of a note; where there is none for a moment, that between its neighbours.
std::vector<double> pitchesOf(std::span<const PitchFrame> frames)
{
    std::vector<double> pitches(frames.size(), 0.0);
    std::ptrdiff_t last = -1;
    for (std::ptrdiff_t n = 0; n < std::ssize(frames); ++n) {
        const PitchFrame& frame = frames[static_cast<std::size_t>(n)];
        if (!frame.isVoiced()) {
            continue;
        }
        const double here = semitonesOf(frame);
        const double before = last < 0 ? here : pitches[static_cast<std::size_t>(last)];
        for (std::ptrdiff_t k = last + 1; k <= n; ++k) {
            const double part = static_cast<double>(k - last) / static_cast<double>(n - last);
            pitches[static_cast<std::size_t>(k)] = before + (here - before) * part;
        }
        last = n;
    }
    for (std::ptrdiff_t k = last + 1; k < std::ssize(frames) && last >= 0; ++k) {
        pitches[static_cast<std::size_t>(k)] = pitches[static_cast<std::size_t>(last)];
    }
    return pitches;
}

double medianOf(std::span<const double> values)
{
    std::vector<double> sorted(values.begin(), values.end());
    const auto middle = sorted.begin() + std::ssize(sorted) / 2;
    std::ranges::nth_element(sorted, middle);
    return *middle;
}

// The mean under a window that dies away towards both ends, so that where in its swing a vibrato begins
// and ends does not count.
double centreOf(std::span<const double> values)
{
    double sum = 0.0;
    double weight = 0.0;
    for (std::size_t i = 0; i < values.size(); ++i) {
        const double turn = 2.0 * std::numbers::pi * (static_cast<double>(i) + 0.5) /
                            static_cast<double>(values.size());
        const double own = 0.5 - 0.5 * std::cos(turn);
        sum += own * values[i];
        weight += own;
    }
    return sum / weight;
}

}  // namespace

void hangOff(SungNote& note, const Rungs& rungs)
{
    note.rung = rungs.nearest(note.centre);
    note.height = rungs.temperament.heightOf(note.rung);
}

std::vector<SungNote> sungNotes(std::span<const PitchFrame> curve, Hertz rate, const Rungs& rungs)
{
    return sungNotes(curve, notesOf(curve, rate, rungs.temperament.a4), rate, rungs);
}

std::vector<SungNote> sungNotes(
    std::span<const PitchFrame> curve, std::span<const Note> notes, Hertz rate, const Rungs& rungs
)
{
    std::vector<SungNote> sung;
    const auto frameAt = [&](Frames at) {
        const double n = toSeconds(at, rate) / kPitchHop;
        return std::min(static_cast<std::size_t>(std::max(std::llround(n), 0LL)), curve.size());
    };
    for (const Note& note : notes) {
        const std::size_t from = frameAt(note.start);
        const std::size_t to = std::max(frameAt(note.end), from + 1);
        const auto pitches = pitchesOf(curve.subspan(from, to - from));
        const std::size_t count = pitches.size();
        const auto most = static_cast<std::size_t>(kMostLeft * static_cast<double>(count));
        const auto middle = std::span(pitches).subspan(
            count / 5, std::max<std::size_t>(count - 2 * (count / 5), 1)
        );
        const double meant = medianOf(middle);
        const auto slow = smoothed(pitches, kArriveFrames);
        const auto isThere = [&](std::size_t i) { return std::abs(slow[i] - meant) <= kArrived; };
        std::size_t first = std::min(kEdge, most);
        while (first < most && !isThere(first)) {
            ++first;
        }
        std::size_t last = count - std::min(kEdge, most);
        while (last > count - most && !isThere(last - 1)) {
            --last;
        }
        SungNote own;
        own.start = note.start;
        own.end = note.end;
        const auto steady = std::span(pitches).subspan(first, last - first);
        own.centre = centreOf(steady);
        hangOff(own, rungs);
        own.firstFrame = from + first;
        own.steadyFrom = placeOfPitch(from + first, rate);
        own.steadyTo = placeOfPitch(from + last, rate);
        own.wander = smoothed(steady, kWanderFrames);
        for (std::size_t i = 0; i < steady.size(); ++i) {
            own.wander[i] -= own.centre;
            own.vibrato.push_back(steady[i] - own.centre - own.wander[i]);
        }
        if (!sung.empty()) {
            sung.back().touchesNext = own.start - sung.back().end <= toFrames(kTouching, rate);
        }
        sung.push_back(std::move(own));
    }
    return sung;
}

}  // namespace orthochron
