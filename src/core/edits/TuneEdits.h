#pragma once

#include "core/edits/ClipChoice.h"

// Notes of a track in tune.
namespace orthochron {

// Gives the clips of a track that play what its marks are of the notes of a tuning: its pitch line and,
// where it moves notes in time, its time map. Of the chosen ones only; of all with none chosen, also as a
// fit keeps them as recorded, so that a fit made again is in tune. The other microphones of its set
// follow. What else is done to a clip stays; one that changes nothing is as recorded.
// Errors: BadArgument when there is no such clip, for locked or reversed clips, and for notes moved in
// time in a clip that was stretched.
[[nodiscard]] Result<Song>
tuneClips(const Song& song, TrackId track, const ClipChoice& chosen, const Treatment& tuning);

// The treatment that says what is asked of the notes of a track: that of the first chosen clip, or of the
// first. One that changes nothing where there is none.
[[nodiscard]] Treatment tuningOf(const Song& song, TrackId track, const ClipChoice& chosen);

// The key its rungs are drawn for.
[[nodiscard]] Song setKey(const Song& song, const Scale& key);

}  // namespace orthochron
