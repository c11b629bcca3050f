#pragma once

#include "core/stretch/Treatment.h"
#include "core/tune/SungNotes.h"

#include <optional>
#include <span>
#include <vector>

namespace orthochron {

// What is asked of a note. As delivered nothing is.
struct NoteTuning {
    double shift = 0.0;    // semitones its centre is moved by
    double wander = 0.0;   // 0..1: of its slow movement, taken out
    double vibrato = 1.0;  // 0..2: of its vibrato, left
    bool movesFormants = false;
    Frames start;  // where it begins and ends, in the time of the take with its notes moved
    Frames end;

    bool operator==(const NoteTuning&) const = default;
};

// What is asked of notes that stay as they were sung.
[[nodiscard]] std::vector<NoteTuning> untuned(std::span<const SungNote> notes);

// How much of each thing about notes is changed, all alike.
struct TuneAmounts {
    double offset = 0.0;   // 0..1: of the distance from the rung, taken out
    double wander = 0.0;   // 0..1
    double vibrato = 1.0;  // 0..2
};
// Errors: BadArgument for amounts that cannot be.
[[nodiscard]] Result<std::vector<NoteTuning>>
tunedBy(std::span<const SungNote> notes, const TuneAmounts& amounts);

// What is asked of those that hang off their rung by more than a tenth of a semitone: that much is left
// of it, wandering and vibrato stay.
[[nodiscard]] std::vector<NoteTuning> tunedGently(std::span<const SungNote> notes);

constexpr Seconds kLongestGlide{2.0};

// What is to become of one note.
struct NoteChange {
    Frames at;               // take time at which it sounds
    double semitones = 0.0;  // on top of what is asked of it
    bool movesFormants = false;
    std::optional<Frames> start;
    std::optional<Frames> end;
};
// Errors: BadArgument for a time at which no note sounds.
[[nodiscard]] Result<void> changeNote(
    std::span<const SungNote> notes,
    std::vector<NoteTuning>& asked,
    const NoteChange& change,
    Hertz rate
);

// How a take of so many frames is to be treated so that its notes become what is asked of them: as a line,
// with a pitch for each moment and, where notes are moved in time, pins at their ends. Between the
// steady parts of two notes that touch the change goes evenly from the one to the other, or, with a
// `glide`, so that the pitch takes that long; where two touch, a moved end of the one is that of the
// other too, and of both the later one decides. Where nothing is asked for nothing is changed.
// Errors: BadArgument for a note moved in pitch by more than two octaves, or in time past its neighbours,
// or a glide outside 0 to 2 s.
[[nodiscard]] Result<Treatment> tuningOf(
    std::span<const SungNote> notes,
    std::span<const PitchFrame> curve,
    std::span<const NoteTuning> asked,
    std::optional<Seconds> glide,
    Frames length,
    Hertz rate
);

// What a treatment asks of notes: the other way round, as near as it comes.
[[nodiscard]] std::vector<NoteTuning>
tuningIn(const Treatment& treatment, std::span<const SungNote> notes, Hertz rate);

}  // namespace orthochron
