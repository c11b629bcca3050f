#pragma once

#include "core/edits/SetParts.h"
#include "core/fit/Moves.h"
#include "core/joins/JoinPlan.h"

#include <optional>
#include <vector>

// What a fit would do, before any audio yields to it.
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
    FitWay way = {};
};
// What a fit was made with, for making it anew over the whole song.
[[nodiscard]] FitRequest requestOf(const FitRecipe& recipe);

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

// A fit changes every track of its set. Errors: BadArgument when one is locked.
[[nodiscard]] Result<void> refuseLocked(const Song& song, const MicSet& set);

// The moves of a fit: those of hits outside its range, in locked clips or in clips changed by hand
// are the ones they have.
struct FitAnchors {
    std::vector<Anchor> anchors;  // ascending by start
    int kept = 0;                 // hits that stay where they are
};
[[nodiscard]] FitAnchors anchorsOf(
    const Song& song, const MicSet& set, const FitPreview& preview, const FitRequest& request
);

}  // namespace orthochron
