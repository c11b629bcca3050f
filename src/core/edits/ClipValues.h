#pragma once

#include "core/edits/ClipChoice.h"

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

}  // namespace orthochron
