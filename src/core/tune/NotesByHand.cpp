#include "core/tune/NotesByHand.h"

#include <fmt/format.h>

#include <algorithm>
#include <cmath>

namespace orthochron {

namespace {

constexpr Seconds kShortestLeft =
    milliseconds(50.0);  // of a found note, as notesOf takes none shorter
constexpr double kLowest = 0.0;
constexpr double kHighest = 127.0;

Hertz hertzOf(double semitones)
{
    return Hertz(440.0 * std::exp2((semitones - 69.0) / 12.0));
}

// What of [from, to) lies outside those that were decided, in pieces no shorter than told.
template<typename Piece>
void addOutside(
    const Piece& piece,
    std::span<const NoteByHand> decided,
    Frames shortest,
    std::vector<Piece>& into
)
{
    Frames from = piece.start;
    const auto add = [&](Frames to) {
        if (to - from >= shortest) {
            Piece left = piece;
            left.start = from;
            left.end = to;
            into.push_back(left);
        }
    };
    for (const NoteByHand& each : decided) {
        if (each.end <= from || each.start >= piece.end) {
            continue;
        }
        add(each.start);
        from = each.end;
    }
    if (from == piece.start || from < piece.end) {
        add(piece.end);
    }
}

}  // namespace

Result<void> checkNoteByHand(const NoteByHand& note, Hertz rate)
{
    if (note.start < Frames(0) || note.end - note.start < toFrames(kShortestByHand, rate)) {
        return badArgument(
            fmt::format("a note must last at least {:g} ms", inMilliseconds(kShortestByHand))
        );
    }
    if (std::abs(note.octaves) > kMostOctaves ||
        !(note.pitch >= kLowest && note.pitch <= kHighest)) {
        return badArgument("a note's pitch must be C-1 to G9");
    }
    return {};
}

std::vector<NoteByHand>
withNoteByHand(std::vector<NoteByHand> notes, const NoteByHand& laid, Hertz rate)
{
    std::vector<NoteByHand> next;
    const Frames shortest = toFrames(kShortestByHand, rate);
    for (const NoteByHand& each : notes) {
        addOutside(each, {&laid, 1}, shortest, next);
    }
    next.push_back(laid);
    std::ranges::sort(next, {}, &NoteByHand::start);
    return next;
}

std::vector<NoteByHand> withoutNotesByHand(std::vector<NoteByHand> notes, Frames from, Frames to)
{
    std::erase_if(notes, [&](const NoteByHand& each) {
        return each.start < to && each.end > from;
    });
    return notes;
}

std::vector<PitchFrame>
curveByHand(std::vector<PitchFrame> curve, std::span<const NoteByHand> decided, Hertz rate)
{
    const auto frameAt = [&](Frames at) {
        const double n = toSeconds(at, rate) / kPitchHop;
        return std::min(static_cast<std::size_t>(std::max(std::llround(n), 0LL)), curve.size());
    };
    for (const NoteByHand& each : decided) {
        const std::size_t from = frameAt(each.start);
        const std::size_t to = frameAt(each.end);
        const auto voiced =
            std::ranges::count_if(std::span(curve).subspan(from, to - from), &PitchFrame::isVoiced);
        for (std::size_t n = from; n < to; ++n) {
            PitchFrame& frame = curve[n];
            if (!each.isNote) {
                frame.pitch = Hertz(0.0);
            } else if (frame.isVoiced()) {
                frame.pitch = Hertz(frame.pitch.count() * std::exp2(each.octaves));
            } else if (voiced == 0) {
                frame.pitch = hertzOf(each.pitch);
            }
        }
    }
    return curve;
}

std::vector<Note>
notesByHand(std::span<const Note> found, std::span<const NoteByHand> decided, Hertz rate)
{
    std::vector<Note> notes;
    const Frames shortest = toFrames(kShortestLeft, rate);
    for (const Note& each : found) {
        addOutside(each, decided, shortest, notes);
    }
    for (const NoteByHand& each : decided) {
        if (each.isNote) {
            notes.push_back({each.start, each.end, static_cast<int>(std::lround(each.pitch)), 0.0});
        }
    }
    std::ranges::sort(notes, {}, &Note::start);
    return notes;
}

}  // namespace orthochron
