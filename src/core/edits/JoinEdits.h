#pragma once

#include "core/render/Sources.h"
#include "core/song/Song.h"

namespace orthochron {

// A join of a mic set as it stands in the song: where the clips of all its tracks overlap.
struct SetJoin {
    std::size_t index = 0;  // its later clip's place on the first track, from 1
    Frames at;              // song time the crossfade begins
    Frames length;
    FadeShape shape = FadeShape::Matched;
    Frames offsetBefore;  // song time less take time of the two sides
    Frames offsetAfter;
    std::vector<float> correlation;  // by track
    float fadeMiddle = 0.5F;         // where the crossfade is half done, 0.1..0.9 of its length
    bool isLocked = false;           // either side or a track of the set is

    [[nodiscard]] Frames middle() const { return at + Frames(length.count() / 2); }
};

// The joins of a set in order of time, read from its first track; touching clips of different
// offset count, with length 0.
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
[[nodiscard]] Result<JoinRoom> roomOf(const Song& song, SetId set, std::size_t index);

// The start of the first attack heard after a join begins; none after the last hit.
[[nodiscard]] std::optional<Frames>
nextAttack(const Song& song, const MicSet& set, const SetJoin& join);

// Changes one join on all tracks of the set, measuring the correlation anew. The place and length
// are kept within what the neighbouring joins and the spare allow.
// Errors: BadArgument for a locked join or one that is not there; the sources'.
[[nodiscard]] Result<Song> changeJoin(
    const Song& song, SetId set, std::size_t index, const JoinChange& change, const Sources& sources
);

// Changes the unlocked joins among those with these indices, or of the whole set when there are
// none. Errors: BadArgument when all of them are locked; the sources'.
[[nodiscard]] Result<Song> changeJoins(
    const Song& song,
    SetId set,
    const std::vector<std::size_t>& indices,
    const JoinChange& change,
    const Sources& sources
);

// Locks or unlocks both sides of a join, or of all of them: what is locked is moved by nothing.
[[nodiscard]] Result<Song> lockJoin(const Song& song, SetId set, std::size_t index, bool isLocked);
[[nodiscard]] Result<Song> lockAll(const Song& song, SetId set, bool isLocked);

}  // namespace orthochron
