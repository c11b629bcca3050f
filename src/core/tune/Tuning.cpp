#include "core/tune/Tuning.h"

#include <fmt/format.h>

#include "core/shape/Smooth.h"

#include <algorithm>
#include <cmath>

namespace orthochron {

namespace {

constexpr Seconds kNearNote = milliseconds(30.0);  // a time so near to a note means it
constexpr Seconds kLetGo = milliseconds(25.0);     // after a note the pitch is left alone again
constexpr Seconds kShortest = milliseconds(20.0);  // what a note moved in time is at least

constexpr double kGently = 0.1;  // semitones that are let be

// One note and what becomes of it.
struct Changed {
    const SungNote& note;
    const NoteTuning& asked;

    [[nodiscard]] double target() const { return note.centre + asked.shift; }
};

// What has moved in time pins its ends; the ends of all others stay.
Result<TimeMap> timeOf(const std::vector<Changed>& notes, Frames length, Hertz rate)
{
    const bool isAnyMoved = std::ranges::any_of(notes, [](const Changed& each) {
        return each.asked.start != each.note.start || each.asked.end != each.note.end;
    });
    if (!isAnyMoved) {
        return TimeMap();
    }
    const Frames shortest = toFrames(kShortest, rate);
    std::vector<Pin> pins{{Frames(0), Frames(0)}};
    const auto put = [&](Frames take, Frames sound) {
        if (take > pins.back().take) {
            pins.push_back({take, sound});
        }
    };
    for (std::size_t i = 0; i < notes.size(); ++i) {
        const Changed& each = notes[i];
        if (each.asked.end - each.asked.start < shortest) {
            return badArgument(fmt::format(
                "the note at {:.3f} s would be shorter than {:g} ms",
                toSeconds(each.note.start, rate).count(),
                inMilliseconds(kShortest)
            ));
        }
        // Where two touch, a moved end takes the other's along.
        const Changed* before = i > 0 && notes[i - 1].note.touchesNext ? &notes[i - 1] : nullptr;
        const Changed* after =
            i + 1 < notes.size() && each.note.touchesNext ? &notes[i + 1] : nullptr;
        Frames start = each.asked.start;
        if (before != nullptr && start == each.note.start) {
            start += before->asked.end - before->note.end;
        }
        Frames end = each.asked.end;
        if (after != nullptr && after->asked.start != after->note.start) {
            end = each.note.end + (after->asked.start - after->note.start);
        }
        put(each.note.start, start);
        put(each.note.end, end);
    }
    put(length, std::max(length, pins.back().sound + Frames(1)));
    for (std::size_t i = 1; i < pins.size(); ++i) {
        if (pins[i].sound <= pins[i - 1].sound) {
            return badArgument(fmt::format(
                "the note at {:.3f} s would be moved past its neighbour",
                toSeconds(pins[i].take, rate).count()
            ));
        }
    }
    return TimeMap::through(std::move(pins));
}

// The pitch line, point by point.
class PitchLine {
public:
    PitchLine(std::span<const PitchFrame> curve, std::optional<Seconds> glide, Hertz rate)
        : curve_(curve), glide_(glide), rate_(rate)
    {}

    void add(const Changed& here, const Changed* next)
    {
        const SungNote& note = here.note;
        put(note.start, steadyAt(here, 0), here.asked.movesFormants);
        const bool isEven = here.asked.wander == 0.0 && here.asked.vibrato == 1.0;
        const std::size_t frames = note.wander.size();
        for (std::size_t i = 0; i < frames;
             i += isEven ? std::max<std::size_t>(frames - 1, 1) : 1) {
            put(placeOfPitch(note.firstFrame + i, rate_),
                steadyAt(here, i),
                here.asked.movesFormants);
        }
        const double last = steadyAt(here, frames - 1);
        put(note.steadyTo, last, here.asked.movesFormants);
        if (next != nullptr && note.touchesNext) {
            if (glide_) {
                glide(here, *next);
            }
            return;  // evenly on to the next note's first point
        }
        put(note.end, last, here.asked.movesFormants);
        put(note.end + toFrames(kLetGo, rate_), 0.0, false);
    }

    // Those that are needed; none when nothing is moved at all.
    [[nodiscard]] std::vector<PitchPoint> taken()
    {
        const bool isStill = std::ranges::all_of(points_, [](const PitchPoint& point) {
            return point.semitones == 0.0;
        });
        return isStill ? std::vector<PitchPoint>() : std::move(points_);
    }
    void begin(Frames at) { put(at - toFrames(kLetGo, rate_), 0.0, false); }

private:
    // What is added to the pitch in a frame of the steady part.
    [[nodiscard]] double steadyAt(const Changed& here, std::size_t i) const
    {
        const SungNote& note = here.note;
        double by = here.asked.shift;
        if (here.asked.wander != 0.0) {
            by -= here.asked.wander * note.wander[i];
        }
        if (here.asked.vibrato != 1.0) {
            by -= (1.0 - here.asked.vibrato) * note.vibrato[i];
        }
        return std::clamp(by, -kMostSemitones, kMostSemitones);
    }

    void put(Frames at, double semitones, bool movesFormants)
    {
        if (points_.empty() || at > points_.back().at) {
            points_.push_back({at, semitones, movesFormants});
        }
    }

    // Between two notes the pitch goes in the time that is asked for.
    void glide(const Changed& here, const Changed& next)
    {
        const std::size_t from = here.note.lastFrame();
        const std::size_t to = next.note.firstFrame;
        const double low = here.note.centre;
        const double high = next.note.centre;
        if (to <= from + 1 || std::abs(high - low) < 0.5) {
            return;
        }
        // Where it is half way.
        std::size_t middle = (from + to) / 2;
        for (std::size_t n = from; n < to; ++n) {
            const bool isPast =
                curve_[n].isVoiced() && (semitonesOf(curve_[n]) - low) / (high - low) >= 0.5;
            if (isPast) {
                middle = n;
                break;
            }
        }
        const double frames = std::max(*glide_ / kPitchHop, 1.0);
        for (std::size_t n = from; n < to; ++n) {
            if (!curve_[n].isVoiced()) {
                continue;
            }
            const double part =
                smooth(0.5 + (static_cast<double>(n) - static_cast<double>(middle)) / frames);
            const double wanted = here.target() + (next.target() - here.target()) * part;
            const double by = wanted - semitonesOf(curve_[n]);
            put(placeOfPitch(n, rate_),
                std::clamp(by, -kMostSemitones, kMostSemitones),
                here.asked.movesFormants);
        }
    }

    std::span<const PitchFrame> curve_;
    std::optional<Seconds> glide_;
    Hertz rate_;
    std::vector<PitchPoint> points_;
};

}  // namespace

std::vector<NoteTuning> untuned(std::span<const SungNote> notes)
{
    std::vector<NoteTuning> asked;
    for (const SungNote& note : notes) {
        NoteTuning own;
        own.start = note.start;
        own.end = note.end;
        asked.push_back(own);
    }
    return asked;
}

Result<std::vector<NoteTuning>> tunedBy(std::span<const SungNote> notes, const TuneAmounts& amounts)
{
    if (!(amounts.offset >= 0.0 && amounts.offset <= 1.0) ||
        !(amounts.wander >= 0.0 && amounts.wander <= 1.0)) {
        return badArgument("offset and pitch drift must be 0 to 100 %");
    }
    if (!(amounts.vibrato >= 0.0 && amounts.vibrato <= 2.0)) {
        return badArgument("vibrato must be 0 to 200 %");
    }
    std::vector<NoteTuning> asked = untuned(notes);
    for (std::size_t i = 0; i < notes.size(); ++i) {
        asked[i].shift = amounts.offset == 0.0 ? 0.0 : -amounts.offset * notes[i].offset();
        asked[i].wander = amounts.wander;
        asked[i].vibrato = amounts.vibrato;
    }
    return asked;
}

std::vector<NoteTuning> tunedGently(std::span<const SungNote> notes)
{
    std::vector<NoteTuning> asked = untuned(notes);
    for (std::size_t i = 0; i < notes.size(); ++i) {
        const double off = notes[i].offset();
        if (std::abs(off) > kGently) {
            asked[i].shift = std::copysign(kGently, off) - off;
        }
    }
    return asked;
}

Result<void> changeNote(
    std::span<const SungNote> notes,
    std::vector<NoteTuning>& asked,
    const NoteChange& change,
    Hertz rate
)
{
    std::optional<std::size_t> meant;
    Frames least = toFrames(kNearNote, rate) + Frames(1);
    for (std::size_t i = 0; i < notes.size(); ++i) {
        const Frames off =
            std::max({notes[i].start - change.at, change.at - notes[i].end + Frames(1), Frames(0)});
        if (off < least) {
            least = off;
            meant = i;
        }
    }
    if (!meant) {
        return badArgument(
            fmt::format("no note sounds at {:.3f} s", toSeconds(change.at, rate).count())
        );
    }
    NoteTuning& own = asked[*meant];
    own.shift += change.semitones;
    own.movesFormants = change.movesFormants;
    own.start = change.start.value_or(own.start);
    own.end = change.end.value_or(own.end);
    return {};
}

Result<Treatment> tuningOf(
    std::span<const SungNote> notes,
    std::span<const PitchFrame> curve,
    std::span<const NoteTuning> asked,
    std::optional<Seconds> glide,
    Frames length,
    Hertz rate
)
{
    if (glide && !(*glide >= Seconds(0.0) && *glide <= kLongestGlide)) {
        return badArgument(
            fmt::format("a glide must be 0 to {:g} ms", inMilliseconds(kLongestGlide))
        );
    }
    std::vector<Changed> changed;
    for (std::size_t i = 0; i < notes.size(); ++i) {
        if (!(std::abs(asked[i].shift) <= kMostSemitones)) {
            return badArgument(
                fmt::format("a note can be moved at most {:g} semitones up or down", kMostSemitones)
            );
        }
        changed.push_back({notes[i], asked[i]});
    }
    Treatment treatment;
    treatment.material = Material::Line;
    auto time = timeOf(changed, length, rate);
    if (!time) {
        return tl::unexpected(time.error());
    }
    treatment.time = std::move(*time);
    PitchLine line(curve, glide, rate);
    for (std::size_t i = 0; i < changed.size(); ++i) {
        if (i == 0 || !changed[i - 1].note.touchesNext) {
            line.begin(changed[i].note.start);
        }
        line.add(changed[i], i + 1 < changed.size() ? &changed[i + 1] : nullptr);
    }
    treatment.pitch = line.taken();
    return treatment;
}

namespace {

// The line a treatment has at a moment of the take.
double lineAt(std::span<const PitchPoint> points, Frames at)
{
    const auto next = std::ranges::upper_bound(points, at, {}, &PitchPoint::at);
    if (next == points.begin() || points.empty()) {
        return 0.0;
    }
    const PitchPoint& before = *std::prev(next);
    if (next == points.end()) {
        return before.semitones;
    }
    return before.semitones +
           (next->semitones - before.semitones) * ((at - before.at) / (next->at - before.at));
}

}  // namespace

std::vector<NoteTuning>
tuningIn(const Treatment& treatment, std::span<const SungNote> notes, Hertz rate)
{
    std::vector<NoteTuning> asked = untuned(notes);
    for (std::size_t n = 0; n < notes.size(); ++n) {
        const SungNote& note = notes[n];
        NoteTuning& own = asked[n];
        own.start = treatment.time.soundTimeOf(note.start);
        own.end = treatment.time.soundTimeOf(note.end);
        const Frames middle = note.steadyFrom + (note.steadyTo - note.steadyFrom) / 2;
        const auto point = std::ranges::upper_bound(treatment.pitch, middle, {}, &PitchPoint::at);
        own.movesFormants = point != treatment.pitch.begin() && std::prev(point)->movesFormants;
        // The line is a shift less parts of the wandering and of the vibrato: the least squares say
        // how much of each (both are near to at right angles, and to an even shift).
        double shift = 0.0;
        double weight = 0.0;
        double byWander = 0.0;
        double ofWander = 0.0;
        double byVibrato = 0.0;
        double ofVibrato = 0.0;
        std::vector<double> line;
        for (std::size_t i = 0; i < note.wander.size(); ++i) {
            line.push_back(lineAt(treatment.pitch, placeOfPitch(note.firstFrame + i, rate)));
            shift += line.back();
            weight += 1.0;
        }
        shift = weight > 0.0 ? shift / weight : 0.0;
        for (int turn = 0; turn < 8; ++turn) {
            byWander = ofWander = byVibrato = ofVibrato = 0.0;
            double left = 0.0;
            for (std::size_t i = 0; i < line.size(); ++i) {
                const double rest = line[i] - shift;
                byWander -= (rest + (1.0 - own.vibrato) * note.vibrato[i]) * note.wander[i];
                ofWander += note.wander[i] * note.wander[i];
            }
            own.wander = ofWander > 1e-6 ? byWander / ofWander : 0.0;
            for (std::size_t i = 0; i < line.size(); ++i) {
                const double rest = line[i] - shift + own.wander * note.wander[i];
                byVibrato -= rest * note.vibrato[i];
                ofVibrato += note.vibrato[i] * note.vibrato[i];
            }
            own.vibrato = ofVibrato > 1e-6 ? 1.0 - byVibrato / ofVibrato : 1.0;
            for (std::size_t i = 0; i < line.size(); ++i) {
                left +=
                    line[i] + own.wander * note.wander[i] + (1.0 - own.vibrato) * note.vibrato[i];
            }
            shift = weight > 0.0 ? left / weight : 0.0;
        }
        const auto rounded = [](double value) { return std::round(value * 1e4) / 1e4; };
        own.shift = rounded(shift);
        own.wander = std::clamp(rounded(own.wander), 0.0, 1.0);
        own.vibrato = std::clamp(rounded(own.vibrato), 0.0, 2.0);
    }
    return asked;
}

}  // namespace orthochron
