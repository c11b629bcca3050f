#pragma once

#include "core/edits/ClipChoice.h"

#include <optional>

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

// Decides what sounds in a stretch of the track's take: one note, or none. Nothing is heard otherwise.
// Errors: BadArgument for a track that is not there, checkNoteByHand's.
[[nodiscard]] Result<Song> layNoteByHand(const Song& song, TrackId track, const NoteByHand& note);
// Takes back what was decided about it; the notes there are those that are found. Errors: BadArgument
// for a track that is not there or when nothing was decided.
[[nodiscard]] Result<Song>
forgetNotesByHand(const Song& song, TrackId track, Frames from, Frames to);

// How long the pitch takes from note to note in what is tuned from now on; none: as sung. Errors:
// BadArgument for a track that is not there or a glide outside 0 to 2 s.
[[nodiscard]] Result<Song> setGlide(const Song& song, TrackId track, std::optional<Seconds> glide);

// The key its rungs are drawn for.
[[nodiscard]] Song setKey(const Song& song, const Scale& key);
// A section's own; none: the song's. Errors: BadArgument for a section that is not in the song.
[[nodiscard]] Result<Song>
setSectionKey(const Song& song, SectionId section, std::optional<Scale> key);
// Errors: checkTemperament's.
[[nodiscard]] Result<Song> setTemperament(const Song& song, const Temperament& temperament);
// What notes hang off in a bar.
[[nodiscard]] Rungs rungsAt(const Song& song, int bar);

}  // namespace orthochron
