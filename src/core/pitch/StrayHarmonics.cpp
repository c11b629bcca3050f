#include "core/pitch/StrayHarmonics.h"

#include <algorithm>
#include <cmath>
#include <optional>
#include <vector>

namespace orthochron {

namespace {

constexpr std::size_t kLongestStray = 36;  // frames: what lasts longer is a note of its own
constexpr std::size_t kShortestNote = 12;  // frames, of a note it may belong to
constexpr std::size_t kBeside = 10;        // of these the pitch that it is held against
constexpr std::size_t kMissing = 4;        // frames without a pitch in between
constexpr double kNoLeap = 1.5;            // semitones, from one frame to the next
constexpr double kNear = 0.6;              // semitones
// What begins anew rises, or dips before it does.
constexpr std::size_t kBeginsWithin = 6;  // frames
constexpr std::size_t kEdge = 2;
constexpr double kBeginsAbove = 4.0;  // of power: 6 dB
constexpr double kBeginsAfterDip = 2.0;

// Frames in a row whose pitch goes on without a leap.
struct Stretch {
    std::size_t from;
    std::size_t to;

    [[nodiscard]] std::size_t size() const { return to - from; }
};

std::vector<Stretch> stretchesOf(std::span<const PitchFrame> curve)
{
    std::vector<Stretch> all;
    for (std::size_t n = 0; n < curve.size(); ++n) {
        if (!curve[n].isVoiced()) {
            continue;
        }
        const bool goesOn = !all.empty() && n == all.back().to &&
                            std::abs(semitonesOf(curve[n]) - semitonesOf(curve[n - 1])) < kNoLeap;
        if (goesOn) {
            all.back().to = n + 1;
        } else {
            all.push_back({n, n + 1});
        }
    }
    return all;
}

double middleOf(std::span<const PitchFrame> frames)
{
    std::vector<double> places;
    for (const PitchFrame& frame : frames) {
        places.push_back(semitonesOf(frame));
    }
    const auto middle = places.begin() + std::ssize(places) / 2;
    std::ranges::nth_element(places, middle);
    return *middle;
}

// What a pitch is to be multiplied by to be the other one; none where that is no second or third harmonic of
// it, nor it of that.
std::optional<double> ratioTo(double own, double other)
{
    for (const double ratio : {2.0, 3.0, 1.0 / 2.0, 1.0 / 3.0}) {
        if (std::abs(own + 12.0 * std::log2(ratio) - other) < kNear) {
            return ratio;
        }
    }
    return std::nullopt;
}

// Whether something begins between the end of one stretch and the start of the next.
bool isBegunBetween(std::span<const PitchFrame> curve, std::size_t end, std::size_t start)
{
    const auto frames = [&](std::size_t from, std::size_t to) {
        return curve.subspan(from, std::min(to, curve.size()) - from);
    };
    const auto loudest = [](std::span<const PitchFrame> some) {
        return std::ranges::max_element(some, {}, &PitchFrame::power)->power;
    };
    const double before = loudest(frames(end - std::min(end, kBeginsWithin), end));
    const double after = loudest(frames(start, start + kBeginsWithin));
    const auto edge = frames(end - std::min(end, kEdge), start + kEdge + 1);
    const double least = std::ranges::min_element(edge, {}, &PitchFrame::power)->power;
    return after > kBeginsAbove * before || std::min(before, after) > kBeginsAfterDip * least;
}

}  // namespace

void takeInStrayHarmonics(std::span<PitchFrame> curve)
{
    const auto all = stretchesOf(curve);
    for (std::size_t i = 0; i + 1 < all.size(); ++i) {
        const Stretch& stray = all[i];
        const Stretch& note = all[i + 1];
        if (stray.size() > kLongestStray || note.size() < std::max(kShortestNote, stray.size()) ||
            note.from > stray.to + kMissing || isBegunBetween(curve, stray.to, note.from)) {
            continue;
        }
        const auto own = curve.subspan(stray.from, stray.size());
        const auto ratio = ratioTo(middleOf(own), middleOf(curve.subspan(note.from, kBeside)));
        if (ratio) {
            for (PitchFrame& frame : own) {
                frame.pitch = Hertz(frame.pitch.count() * *ratio);
            }
        }
    }
}

}  // namespace orthochron
