#pragma once

#include "core/edits/SetParts.h"
#include "core/render/Sources.h"

namespace orthochron {

// Where a hit of a performance comes from.
struct HitOrigin {
    TrackId track;
    MarkId mark;
};

// The hits of a set's leads as they were played (recorded time), with their origin; both in order
// of start. A mark is a hit wherever a recorded clip plays it forwards: none, once or several times.
struct SetHits {
    std::vector<PlayedHit> hits;
    std::vector<HitOrigin> origins;
    std::vector<TrackId> leads;  // PlayedHit::lead is an index into them
};
[[nodiscard]] SetHits hitsOf(const Song& song, const MicSet& set);
// The same as some clips of each track play them.
[[nodiscard]] SetHits
hitsOf(const Song& song, const MicSet& set, const std::vector<std::vector<Clip>>& clips);

struct FitRequest {
    FitSettings fit;
    JoinSettings joins;
    GridSettings grid;
    std::optional<BarRange> bars;  // none for the whole song
    bool replacesHand = false;     // clips and hits changed by hand are fitted like all others
};

// What was changed by hand and would be kept, or lost, by a fit.
struct HandChanges {
    std::vector<Frames> clips;  // song time where they begin
    int hits = 0;               // given a place of their own

    [[nodiscard]] bool isEmpty() const { return clips.empty() && hits == 0; }
};
[[nodiscard]] HandChanges handChanges(const Song& song, const MicSet& set);

// A fit looked at before it is made: what the window draws, and what the fit will do.
struct FitPreview {
    SetHits origin;
    Performance performance;
    Moves moves;
};
[[nodiscard]] Performance
judgeSet(const Song& song, const SetHits& hits, const FitRequest& request);
[[nodiscard]] Result<FitPreview> previewFit(const Song& song, SetId id, const FitRequest& request);

struct FitOutcome {
    Song song;
    FitFigures figures;
    int joins = 0;
    int kept = 0;    // hits passed over: outside the range or in locked clips
    int byHand = 0;  // clips kept as they were changed by hand
};

// Fits a set by cutting: cuts every track at the same samples, moves the pieces, closes the gaps
// and crossfades. Starts from the recorded clips, whatever fits were made before; hits outside
// the range or in locked clips keep the place they have, and joins between hits that do not move
// keep their place and shape. Errors: BadArgument when there is nothing to fit; the sources'.
[[nodiscard]] Result<FitOutcome> cutFit(
    const Song& song,
    SetId id,
    const FitRequest& request,
    const Sources& sources,
    const Work& work = {}
);

// Turns a performance whose map follows the player into one at a constant tempo: every bar of every track is moved
// as a whole to where that tempo has it, cut ahead of its first attack on all microphones of a set alike, its gaps
// closed and crossfaded; its inside stays as it was played. What the song plays then is what it had recorded: fits
// start from there, those made before and the ways kept beside them are gone, and the map is steady.
// Errors: BadArgument for a tempo outside 20 to 400, a map that has it already, or a locked track; the sources'.
[[nodiscard]] Result<Song> makeSteady(
    const Song& song,
    double bpm,
    const JoinSettings& joins,
    const Sources& sources,
    const Work& work = {}
);

// Takes a set back to its recorded clips.
[[nodiscard]] Result<Song> undoFit(const Song& song, SetId id);

// "Cut at 412 hits, moved 9.8 ms on average, 411 joins"
[[nodiscard]] std::string sentenceOf(const FitOutcome& outcome);

}  // namespace orthochron
