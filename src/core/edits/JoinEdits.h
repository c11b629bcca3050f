#pragma once

#include "core/edits/ClipValues.h"
#include "core/edits/FitEdits.h"

#include <optional>
#include <vector>

namespace orthochron {

// A join of a mic set as it stands in the song: where one part gives way to the next on all its
// tracks. It is known by the part that begins there, whatever else is edited.
struct SetJoin {
    PartId id;      // of the later part
    PartId before;  // the earlier part
    Frames at;      // song time the crossfade begins
    Frames length;
    FadeShape shape = FadeShape::Matched;
    Frames moveBefore;  // of the two sides, from where they were recorded
    Frames moveAfter;
    float fadeMiddle = 0.5F;  // where the crossfade is half done, 0.1..0.9 of its length
    bool isLocked = false;    // either side or a track of the set is

    [[nodiscard]] Frames middle() const { return at + Frames(length.count() / 2); }
};

// The joins of a set in order of time; touching parts of different moves count, with length 0. What
// a microphone does not have, its take being shorter, is taken from the others.
[[nodiscard]] std::vector<SetJoin> joinsOf(const Song& song, const MicSet& set);

struct JoinChange {
    std::optional<Frames> length = {};
    std::optional<FadeShape> shape = {};
    std::optional<Frames> at = {};         // song time the crossfade begins
    std::optional<float> middle = {};      // 0.1..0.9
    std::optional<Frames> lengthBy = {};   // longer by this
    std::optional<Frames> atBy = {};       // later by this
    std::optional<Frames> beforeHit = {};  // ends so long before the next attack
};

// How far a join can be pulled on all microphones of its set: between its neighbours' crossfades,
// and as far as the spare of the clip before (to the right) and after (to the left) reaches.
struct JoinRoom {
    Frames from;  // song time
    Frames to;
    bool spareEndsLeft = false;   // it is the later clip's spare that ends there, not a neighbour
    bool spareEndsRight = false;  // likewise the earlier clip's
};
[[nodiscard]] Result<JoinRoom> roomOf(const Song& song, SetId set, PartId join);

// The start of the first attack heard after a join begins; none after the last hit.
[[nodiscard]] std::optional<Frames> nextAttack(const SetHits& hits, const SetJoin& join);

// Changes one join on all tracks of the set. The place and length are kept within what the
// neighbouring joins and the spare allow. Errors: BadArgument for a locked join or one that is not
// there.
[[nodiscard]] Result<Song>
changeJoin(const Song& song, SetId set, PartId join, const JoinChange& change);

// Changes the unlocked ones of these joins, or of the whole set when none are named. Errors:
// BadArgument when all of them are locked.
[[nodiscard]] Result<Song> changeJoins(
    const Song& song, SetId set, const std::vector<PartId>& joins, const JoinChange& change
);

// What is asked of fades, asked of the crossfades at the starts (`in`) and ends (`out`) of clips instead.
// Errors: BadArgument when there is none; changeJoins's.
[[nodiscard]] Result<Song>
fadeCrossfades(const Song& song, const ClipChoice& choice, const FadeChange& change);

// Locks or unlocks both sides of a join, or of all of them: what is locked is moved by nothing.
[[nodiscard]] Result<Song> lockJoin(const Song& song, SetId set, PartId join, bool isLocked);
[[nodiscard]] Result<Song> lockAll(const Song& song, SetId set, bool isLocked);

}  // namespace orthochron
