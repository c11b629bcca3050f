#pragma once

#include "core/edits/Pieces.h"

#include <span>

// Clips by hand. Every edit goes to the clips it is given and to those of the other microphones
// of their set that begin and end with them, so that a performance stays one; only moving to
// another track and gain, where asked, touch one microphone alone. Locked clips and tracks are
// never changed: the edit is refused and says so.
namespace orthochron {

using ClipChoice = std::vector<ClipId>;

struct HandSettings {
    HandJoin join;
    bool ripple = false;  // what comes later moves along
};

// The choice with the clips of the other microphones that belong to it; in the order of the lanes.
[[nodiscard]] ClipChoice withTheirSet(const Song& song, const ClipChoice& choice);
// The clips of some tracks that lie at least partly in [from, to).
[[nodiscard]] ClipChoice
clipsWithin(const Song& song, std::span<const TrackId> tracks, Frames from, Frames to);
// Null when it is not in the song.
struct PlacedClip {
    TrackId track;
    Clip clip;
};
[[nodiscard]] std::optional<PlacedClip> clipOf(const Song& song, ClipId id);
// Those of a choice that are there, in the order of the lanes.
[[nodiscard]] std::vector<PlacedClip> clipsOf(const Song& song, const ClipChoice& choice);
// From the first start to the last end of a choice, song time; none for an empty one.
struct Span {
    Frames from;
    Frames to;
};
[[nodiscard]] std::optional<Span> spanOf(const Song& song, const ClipChoice& choice);

// Splits clips at song times. Errors: BadArgument when no time lies inside any of the clips.
[[nodiscard]] Result<Song> splitClips(
    const Song& song,
    const ClipChoice& choice,
    const std::vector<Frames>& times,
    const HandSettings& settings,
    const Sources& sources
);

enum class Edge { Start, End };

// Moves an edge by `by` (positive is later) as far as the spare of every microphone reaches. Over
// a neighbour it covers it with a crossfade; the neighbour can be pulled back out.
[[nodiscard]] Result<Song> trimClips(
    const Song& song,
    const ClipChoice& choice,
    Edge edge,
    Frames by,
    const HandSettings& settings,
    const Sources& sources
);

// Moves the audio inside fixed edges, as far as the spare reaches.
[[nodiscard]] Result<Song> slipClips(
    const Song& song,
    const ClipChoice& choice,
    Frames by,
    const HandSettings& settings,
    const Sources& sources
);
// How far a slip by `by` would really go.
[[nodiscard]] Frames slipReach(const Song& song, const ClipChoice& choice, Frames by);

[[nodiscard]] Result<Song> moveClips(
    const Song& song,
    const ClipChoice& choice,
    Frames by,
    const HandSettings& settings,
    const Sources& sources
);
// To another track at the identical time; only the clips given.
[[nodiscard]] Result<Song> moveToTrack(
    const Song& song,
    const ClipChoice& choice,
    TrackId target,
    const HandSettings& settings,
    const Sources& sources
);
// Lays `times` copies one after the other, the first beginning at `at`.
[[nodiscard]] Result<Song> copyClips(
    const Song& song,
    const ClipChoice& choice,
    Frames at,
    int times,
    const HandSettings& settings,
    const Sources& sources
);
[[nodiscard]] Result<Song> deleteClips(
    const Song& song, const ClipChoice& choice, const HandSettings& settings, const Sources& sources
);
// Makes one clip of neighbours that are continuous in their take. Errors: BadArgument when none is.
[[nodiscard]] Result<Song> joinClips(
    const Song& song, const ClipChoice& choice, const HandSettings& settings, const Sources& sources
);

[[nodiscard]] Result<Song> muteClips(const Song& song, const ClipChoice& choice, bool isMuted);
[[nodiscard]] Result<Song> reverseClips(
    const Song& song, const ClipChoice& choice, const HandSettings& settings, const Sources& sources
);
// Sets the gain, or changes it by so much; -60 to 24 dB.
[[nodiscard]] Result<Song>
gainClips(const Song& song, const ClipChoice& choice, double decibels, bool isRelative);
[[nodiscard]] Result<Song> lockClips(const Song& song, const ClipChoice& choice, bool isLocked);
// Locks or unlocks whole tracks; a mic set is all of its tracks.
[[nodiscard]] Result<Song>
lockTracks(const Song& song, const std::vector<TrackId>& tracks, bool isLocked);

// What is asked of the free ends of clips: exact lengths, or the same change to all.
struct FadeChange {
    std::optional<Frames> in;
    std::optional<Frames> out;
    std::optional<Frames> inBy;
    std::optional<Frames> outBy;
    std::optional<FadeShape> shape;
    std::optional<float> middle;
    bool evenTouching = false;  // ends that meet a neighbour give up their crossfade for a fade
};
// Clips of which something was changed are in `changed`. Errors: BadArgument when none was.
[[nodiscard]] Result<Song>
fadeClips(const Song& song, const ClipChoice& choice, const FadeChange& change);

// Where clips could be split: the marks of the leads of their sets as heard (less a lead-in), or
// the lines of the grid, within a span of song time.
[[nodiscard]] std::vector<Frames>
markTimes(const Song& song, const MicSet& set, Span within, Frames leadIn);
[[nodiscard]] std::vector<Frames> gridTimes(const Song& song, Span within);

}  // namespace orthochron
