#include "core/pitch/Notes.h"

#include <algorithm>
#include <cmath>
#include <limits>

namespace orthochron {

namespace {

constexpr std::size_t kGap = 4;         // frames without a pitch that end a note
constexpr std::size_t kShortest = 10;   // frames
constexpr double kOff = 0.5;            // semitones, standard deviation
constexpr double kChange = 48.0;        // 12 frames of a semitone off
constexpr double kMostCost = 16.0;      // of one frame: what errs by an octave is no note
constexpr std::size_t kRiseWithin = 8;  // frames
constexpr double kRise = 4.0;           // of power: 6 dB
constexpr std::size_t kDipWithin = 6;   // frames
constexpr double kDipOfPower = 2.1;     // of power, on both sides of a moment: 3.2 dB
// What is begun anew dies away or rises by more than these, or its pitch is disturbed for a moment. A tone whose partials
// beat dips and comes back as much as a soft tongue makes it, and its pitch stays as it is.
constexpr double kDeepDip = 4.5;                    // of power: 6.5 dB
constexpr double kSteepRise = 6.3;                  // 8 dB
constexpr double kUnclear = 0.85;                   // confidence
constexpr double kStep = 0.12;                      // semitones, from one frame to the next
constexpr std::size_t kDisturbed = 5;               // frames around
constexpr Seconds kPowerOver = milliseconds(20.0);  // that a frame's power is the mean of
constexpr std::size_t kWidest = 4;                  // frames to either side it is smoothed over
constexpr double kSounds = 0.1;                     // of the power of a note's beginning
constexpr std::size_t kLeadsInto = 16;              // frames from a consonant to its pitch
constexpr Seconds kScoop = milliseconds(110.0);

// The semitone of each frame of a run, as the cheapest row has it.
std::vector<int> rowOf(std::span<const PitchFrame> run)
{
    std::vector<double> places;
    for (const PitchFrame& frame : run) {
        places.push_back(
            frame.isVoiced() ? semitonesOf(frame) : std::numeric_limits<double>::quiet_NaN()
        );
    }
    double low = 200.0;
    double high = 0.0;
    for (const double place : places) {
        if (!std::isnan(place)) {
            low = std::min(low, place);
            high = std::max(high, place);
        }
    }
    const int first = static_cast<int>(std::floor(low)) - 1;
    const auto states = static_cast<std::size_t>(static_cast<int>(std::ceil(high)) + 2 - first);
    std::vector<double> cost(states, 0.0);
    std::vector<std::vector<std::size_t>> from(places.size(), std::vector<std::size_t>(states));
    for (std::size_t n = 0; n < places.size(); ++n) {
        const auto cheapest =
            static_cast<std::size_t>(std::ranges::min_element(cost) - cost.begin());
        std::vector<double> next(states);
        for (std::size_t k = 0; k < states; ++k) {
            const bool changes = cost[cheapest] + kChange < cost[k];
            from[n][k] = changes ? cheapest : k;
            const double off = (places[n] - (first + static_cast<double>(k))) / kOff;
            next[k] = (changes ? cost[cheapest] + kChange : cost[k]) +
                      (std::isnan(off) ? 0.0 : std::min(off * off, kMostCost));
        }
        cost = std::move(next);
    }
    std::vector<int> row(places.size());
    auto k = static_cast<std::size_t>(std::ranges::min_element(cost) - cost.begin());
    for (std::size_t n = places.size(); n-- > 0;) {
        row[n] = first + static_cast<int>(k);
        k = from[n][k];
    }
    return row;
}

bool isPitchDisturbed(std::span<const PitchFrame> curve, std::size_t from, std::size_t to)
{
    const PitchFrame* before = nullptr;
    for (const PitchFrame& frame : curve.subspan(from, std::min(to, curve.size()) - from)) {
        if (!frame.isVoiced() || frame.confidence < kUnclear) {
            return true;
        }
        if (before != nullptr && std::abs(semitonesOf(frame) - semitonesOf(*before)) > kStep) {
            return true;
        }
        before = &frame;
    }
    return false;
}

// Whether a note that began at `begin` is struck again at a frame: the sound has died away since it was
// loudest, and rises steeply.
bool isStruckAgain(std::span<const PitchFrame> curve, std::size_t begin, std::size_t n)
{
    if (n < begin + kShortest + kRiseWithin || n + 1 >= curve.size()) {
        return false;
    }
    const auto rise = [&](std::size_t at) {
        return curve[at].power / (curve[at - kRiseWithin].power + 1e-12);
    };
    double loudest = 0.0;
    for (std::size_t i = begin; i + kRiseWithin < n; ++i) {
        loudest = std::max(loudest, curve[i].power);
    }
    const bool rises = rise(n) >= kRise && rise(n) >= rise(n + 1) && rise(n) > rise(n - 1) &&
                       loudest >= kRise * curve[n - kRiseWithin].power;
    return rises &&
           (rise(n) >= kSteepRise || isPitchDisturbed(curve, n - kRiseWithin, n + kDisturbed));
}

// Whether it is tongued or bowed anew: the sound dips for a moment and is back at once. No tremolo is as
// quick.
bool isTonguedAgain(std::span<const PitchFrame> curve, std::size_t begin, std::size_t n)
{
    if (n < begin + kShortest + kWidest || n + kDipWithin + kWidest >= curve.size() ||
        !curve[n].isVoiced()) {
        return false;
    }
    // Two periods at least, or the swing of a low note would be its dips.
    const double wanted = 2.0 / curve[n].pitch.count() - kPowerOver.count();
    const auto beside = static_cast<std::size_t>(
        std::clamp(std::ceil(0.5 * wanted / kPitchHop.count()), 0.0, static_cast<double>(kWidest))
    );
    const auto powerAt = [&](std::size_t at) {
        double sum = 0.0;
        for (std::size_t i = at - beside; i <= at + beside; ++i) {
            sum += curve[i].power;
        }
        return sum / static_cast<double>(2 * beside + 1);
    };
    const auto loudestOf = [&](std::size_t from, std::size_t to) {
        double most = 0.0;
        for (std::size_t i = from; i < to; ++i) {
            most = std::max(most, powerAt(i));
        }
        return most;
    };
    const double here = powerAt(n);
    const bool isLeast = here <= powerAt(n - 1) && here < powerAt(n + 1) &&
                         here <= powerAt(n - 2) && here < powerAt(n + 2);
    const double before = loudestOf(n - kDipWithin, n);
    const double after = loudestOf(n + 1, n + kDipWithin + 1);
    const bool dips = isLeast && std::min(before, after) >= kDipOfPower * here;
    return dips && (std::max(before, after) >= kDeepDip * here ||
                    isPitchDisturbed(curve, n - kDisturbed, n + kDisturbed + 1));
}

// The pitch of a sound is known only once some periods of it have passed: a note after a gap begins where
// its sound does, at most two and a half periods and 10 ms before its pitch.
void beginWithSound(std::vector<Note>& notes, std::span<const PitchFrame> curve, Hertz rate)
{
    std::size_t before = 0;
    for (Note& note : notes) {
        const auto first =
            static_cast<std::size_t>(std::llround(toSeconds(note.start, rate) / kPitchHop));
        const auto end =
            static_cast<std::size_t>(std::llround(toSeconds(note.end, rate) / kPitchHop));
        double loudest = 0.0;
        for (std::size_t n = first; n < std::min(first + kRiseWithin, curve.size()); ++n) {
            loudest = std::max(loudest, curve[n].power);
        }
        std::size_t begin = first;
        if (first < curve.size() && curve[first].isVoiced()) {
            const Seconds reach = Seconds(2.5 / curve[first].pitch.count()) + milliseconds(10.0);
            const auto most = static_cast<std::size_t>(reach / kPitchHop);
            while (begin > before && first - begin < most &&
                   curve[begin - 1].power >= kSounds * loudest) {
                --begin;
            }
        }
        note.start = placeOfPitch(begin, rate);
        before = end;
    }
}

// What slides into a note, or is left of the one before, is no note: it belongs to what it touches.
void joinScoops(std::vector<Note>& notes, Hertz rate)
{
    const Frames scoop = toFrames(kScoop, rate);
    for (std::size_t i = 0; i + 1 < notes.size();) {
        Note& next = notes[i + 1];
        const bool touches = notes[i].end == next.start;
        if (touches && notes[i].end - notes[i].start < scoop &&
            std::abs(notes[i].midi - next.midi) <= 1 && next.end - next.start >= scoop) {
            next.start = notes[i].start;
            notes.erase(notes.begin() + static_cast<std::ptrdiff_t>(i));
        } else {
            ++i;
        }
    }
}

void addNotes(
    std::vector<Note>& notes,
    std::span<const PitchFrame> curve,
    std::size_t from,
    std::size_t to,
    Hertz rate
)
{
    const auto row = rowOf(curve.subspan(from, to - from));
    std::size_t begin = from;
    for (std::size_t n = from + 1; n <= to; ++n) {
        const bool isOther = n < to && row[n - from] != row[begin - from];
        // A consonant on the way into another pitch is its own beginning, not that of a note before it.
        const bool leads =
            n < to &&
            std::any_of(
                row.begin() + static_cast<std::ptrdiff_t>(n - from),
                row.begin() + static_cast<std::ptrdiff_t>(std::min(n + kLeadsInto, to) - from),
                [&](int semitone) { return semitone != row[begin - from]; }
            );
        const bool isAgain = n < to && (isStruckAgain(curve, begin, n) ||
                                        (!leads && isTonguedAgain(curve, begin, n)));
        if (n < to && !isOther && !isAgain) {
            continue;
        }
        if (n - begin >= kShortest) {
            std::vector<double> off;
            for (std::size_t i = begin; i < n; ++i) {
                if (curve[i].isVoiced()) {
                    off.push_back(100.0 * (semitonesOf(curve[i]) - row[begin - from]));
                }
            }
            const auto middle = off.begin() + std::ssize(off) / 2;
            std::ranges::nth_element(off, middle);
            notes.push_back(
                {placeOfPitch(begin, rate),
                 placeOfPitch(n, rate),
                 row[begin - from],
                 off.empty() ? 0.0 : *middle}
            );
        }
        begin = n;
    }
}

}  // namespace

std::vector<Note> notesOf(std::span<const PitchFrame> curve, Hertz rate, Hertz a4)
{
    if (a4 != kConcertPitch) {
        std::vector<PitchFrame> tuned(curve.begin(), curve.end());
        for (PitchFrame& frame : tuned) {
            frame.pitch = Hertz(frame.pitch.count() * (kConcertPitch / a4));
        }
        return notesOf(tuned, rate, kConcertPitch);
    }
    std::vector<Note> notes;
    std::size_t from = 0;
    std::size_t voiced = 0;  // one past the last frame with a pitch
    bool isIn = false;
    for (std::size_t n = 0; n <= curve.size(); ++n) {
        const bool hasPitch = n < curve.size() && curve[n].isVoiced();
        if (hasPitch && !isIn) {
            from = n;
            isIn = true;
        }
        voiced = hasPitch ? n + 1 : voiced;
        if (isIn && (n == curve.size() || n >= voiced + kGap)) {
            addNotes(notes, curve, from, voiced, rate);
            isIn = false;
        }
    }
    joinScoops(notes, rate);
    beginWithSound(notes, curve, rate);
    return notes;
}

}  // namespace orthochron
