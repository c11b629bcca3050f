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
    bool isLocked = false;           // either side is

    [[nodiscard]] Frames middle() const { return at + Frames(length.count() / 2); }
};

// The joins of a set in order of time, read from its first track; touching clips of different
// offset count, with length 0.
[[nodiscard]] std::vector<SetJoin> joinsOf(const Song& song, const MicSet& set);

struct JoinChange {
    std::optional<Frames> length;
    std::optional<FadeShape> shape;
    std::optional<Frames> at;  // song time the crossfade begins
};

// Changes one join on all tracks of the set, measuring the correlation anew. The place and length
// are kept within what the neighbouring joins and the spare allow.
// Errors: BadArgument for a locked join or one that is not there; the sources'.
[[nodiscard]] Result<Song> changeJoin(
    const Song& song, SetId set, std::size_t index, const JoinChange& change, const Sources& sources
);

// Changes the length and shape of all unlocked joins of a set.
[[nodiscard]] Result<Song>
changeAllJoins(const Song& song, SetId set, const JoinChange& change, const Sources& sources);

// Locks or unlocks both sides of a join, or of all of them: what is locked is moved by nothing.
[[nodiscard]] Result<Song> lockJoin(const Song& song, SetId set, std::size_t index, bool isLocked);
[[nodiscard]] Result<Song> lockAll(const Song& song, SetId set, bool isLocked);

}  // namespace orthochron
