#pragma once

#include "core/base/Result.h"
#include "core/pitch/Notes.h"
#include "core/tune/NoteByHand.h"

#include <span>
#include <vector>

namespace orthochron {

constexpr Seconds kShortestByHand = milliseconds(20.0);
constexpr int kMostOctaves = 4;

// Errors: BadArgument for one that is too short, begins before its take, or has a pitch that cannot be.
[[nodiscard]] Result<void> checkNoteByHand(const NoteByHand& note, Hertz rate);

// Ascending; what others have of the place of the one that is laid is taken from them, and what is left
// of one that is too short goes.
[[nodiscard]] std::vector<NoteByHand>
withNoteByHand(std::vector<NoteByHand> notes, const NoteByHand& laid, Hertz rate);
// Without what was decided about a stretch: those that reach into it go.
[[nodiscard]] std::vector<NoteByHand>
withoutNotesByHand(std::vector<NoteByHand> notes, Frames from, Frames to);

// A pitch curve as it was decided.
[[nodiscard]] std::vector<PitchFrame>
curveByHand(std::vector<PitchFrame> curve, std::span<const NoteByHand> decided, Hertz rate);
// Notes as they were decided; what is left of a found one beside them is a note when it is long enough.
[[nodiscard]] std::vector<Note>
notesByHand(std::span<const Note> found, std::span<const NoteByHand> decided, Hertz rate);

}  // namespace orthochron
