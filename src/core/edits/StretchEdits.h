#pragma once

#include "core/edits/ClipChoice.h"
#include "core/edits/FitEdits.h"
#include "core/stretch/Strain.h"

#include <optional>
#include <vector>

// Stretching by hand: single hits, and whole clips.
namespace orthochron {

// A main hit of a preview, and where it is to be heard; without a place where the fit has it.
struct HitMove {
    std::size_t hit = 0;
    std::optional<Frames> target;

    bool operator==(const HitMove&) const = default;
};

// Puts main hits of a set at places in the song by stretching what lies around them. All others are
// pinned where they are, so that nothing already right moves. What was fitted by cutting, or not at all,
// is stretched from then on: as its recipe says, or left as recorded; the hits keep their places when the
// set is fitted again. Errors: BadArgument for a hit that is not there or attached to another, places
// that would change the order of hits, or what a fit refuses.
[[nodiscard]] Result<Song> moveHitsByStretching(
    const Song& song,
    SetId set,
    const FitPreview& preview,
    const std::vector<HitMove>& moves,
    Material material,
    const Sources& sources
);

// What moving one hit asks of others, for moveHitsByStretching.
// Those heard in a span go along by as much.
[[nodiscard]] std::vector<HitMove>
movedAlong(const Song& song, SetId set, const FitPreview& preview, Span within, Frames by);
// Those heard in a span are drawn out about one of its ends, so that the other comes to lie elsewhere.
[[nodiscard]] std::vector<HitMove> drawnOutWithin(
    const Song& song, SetId set, const FitPreview& preview, Span within, Frames about, double ratio
);
// Its neighbours are left free: up to the next hit on either side that was put somewhere by hand, or the
// end of what was recorded, all yield in proportion.
[[nodiscard]] std::vector<HitMove>
movedFreely(const Song& song, SetId set, const FitPreview& preview, std::size_t hit, Frames target);

// How clips are to sound otherwise; what is not named stays.
struct ClipStretch {
    std::optional<double> semitones;  // against the take; cents are its fraction
    std::optional<bool> movesFormants;
    std::optional<Material> material;
    std::optional<double> ratio;  // of length, new to present
    // Song time that stays where it is when several clips are stretched as one, or one by its start;
    // without it each clip's start stays.
    std::optional<Frames> about;
};
// Changes the chosen clips and those of the other microphones of their sets alike; all of a clip is
// stretched evenly, pins between keep their part of it. A clip meets its neighbours as
// one that was moved by hand. Errors: BadArgument for values that cannot be, tape with a pitch,
// locked or reversed clips, one that would begin before the song, or when nothing is asked for.
[[nodiscard]] Result<Song>
stretchClips(const Song& song, const ClipChoice& choice, const ClipStretch& change);

// Makes a loop run at the song's tempo: stretches a clip of `bpm` from its start on, on all microphones of
// its set, and lays it so that its first beat (take time) falls on the nearest beat of the song.
// Errors: stretchClips's; BadArgument for a tempo outside 20 to 400.
[[nodiscard]] Result<Song>
fitLoop(const Song& song, ClipId id, double bpm, Frames firstBeat, Material material);

// The treatment a clip has; one that changes nothing where it has none.
[[nodiscard]] Treatment treatmentOf(const Clip& clip);
// The same, knowing what the clip's microphones hear: attacks to be kept whole, and who decides where it is
// spliced; who decided before goes on doing so.
[[nodiscard]] Treatment
listening(const Song& song, const MicSet& set, const Clip& clip, Treatment treatment);
// How many times as long a clip is as what it plays was recorded.
[[nodiscard]] double stretchedBy(const Clip& clip);

}  // namespace orthochron
