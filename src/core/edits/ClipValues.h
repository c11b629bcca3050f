#pragma once

#include "core/edits/ClipChoice.h"

#include <optional>
#include <vector>

// What a clip carries beside its place: muted, gain, locks and the fades of its free ends.
namespace orthochron {

[[nodiscard]] Result<Song> muteClips(const Song& song, const ClipChoice& choice, bool isMuted);
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

// Whether an end of one of the clips overlaps a neighbour.
[[nodiscard]] bool meetsNeighbours(const Song& song, const ClipChoice& choice);
// Where a fade may be half done, as parts of its length.
constexpr float kEarliestMiddle = 0.1F;
constexpr float kLatestMiddle = 0.9F;
// The middle with which a fade with silence has a gain at a part of its length, or comes nearest to it; of
// the side that comes in, or of the one that goes out.
[[nodiscard]] float middleThrough(const Fade& fade, double part, double gain, bool isIn);

}  // namespace orthochron
