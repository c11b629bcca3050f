#pragma once

#include "core/time/Units.h"

namespace orthochron {

// What was decided by hand about a stretch of a take: that one note sounds there, or none.
struct NoteByHand {
    Frames start;  // take time
    Frames end;
    bool isNote = true;
    int octaves = 0;      // that the pitch lies above the one that was found
    double pitch = 60.0;  // semitones, 69 is a' at 440 Hz: where no pitch was found

    bool operator==(const NoteByHand&) const = default;
};

}  // namespace orthochron
