#pragma once

#include "core/edits/ClipChoice.h"
#include "core/edits/FitEdits.h"
#include "core/stretch/Strain.h"

// Stretching by hand: single hits, and whole clips.
namespace orthochron {

// Puts a main hit of a set at a place in the song by stretching what lies around it. All other hits are
// pinned where they are, so that nothing already right moves. What was fitted by cutting, or not at all,
// is stretched from then on: as its recipe says, or left as recorded; the hit keeps its place when the
// set is fitted again. Without a target it goes back to where the fit has it. Errors: BadArgument for a hit that is not there or attached to another, a time
// before the one it would pass, or what a fit refuses.
[[nodiscard]] Result<Song> moveHitByStretching(
    const Song& song,
    SetId set,
    const FitPreview& preview,
    std::size_t hit,
    std::optional<Frames> target,
    Material material,
    const Sources& sources
);

// How clips are to sound otherwise; what is not named stays.
struct ClipStretch {
    std::optional<double> semitones;  // against the take; cents are its fraction
    std::optional<bool> movesFormants;
    std::optional<Material> material;
    std::optional<double> ratio;  // of length, new to present; the start stays
};
// Changes the chosen clips and those of the other microphones of their sets alike; all of a clip is
// stretched evenly, pins between keep their part of it. A clip meets its neighbours as
// one that was moved by hand. Errors: BadArgument for values that cannot be, tape with a pitch,
// locked or reversed clips, or when nothing is asked for.
[[nodiscard]] Result<Song>
stretchClips(const Song& song, const ClipChoice& choice, const ClipStretch& change);

// Makes a loop run at the song's tempo: stretches a clip of `bpm` from its start on, on all microphones of
// its set, and lays it so that its first beat (take time) falls on the nearest beat of the song.
// Errors: stretchClips's; BadArgument for a tempo outside 20 to 400.
[[nodiscard]] Result<Song>
fitLoop(const Song& song, ClipId id, double bpm, Frames firstBeat, Material material);

// The treatment a clip has; one that changes nothing where it has none.
[[nodiscard]] Treatment treatmentOf(const Clip& clip);
// How many times as long a clip is as what it plays was recorded.
[[nodiscard]] double stretchedBy(const Clip& clip);

}  // namespace orthochron
