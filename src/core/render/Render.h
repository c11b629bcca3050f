#pragma once

#include "core/render/Sources.h"

#include <array>
#include <span>
#include <vector>

// The one path from clips to sound: playing, printing and the command line all go through here.
namespace orthochron {

// How many channels a track sounds in: those of its widest clip, 1 for an empty track.
[[nodiscard]] int channelsOf(const Track& track, const Sources& sources);

// Fills `into` (channelsOf the track) with what the clips of a track sound like from song time
// `from` on: gains, fades and crossfades, but neither level, pan nor mute of the track.
[[nodiscard]] Result<void>
renderClips(std::span<const Clip> clips, const Sources& sources, Frames from, AudioBuffer& into);

// Fills `into` with what a track of a song sounds like from song time `from` on: its clips, then its
// level line, then its hushes. Neither level, pan nor mute of the track.
[[nodiscard]] Result<void> renderTrack(
    const Song& song, const Track& track, const Sources& sources, Frames from, AudioBuffer& into
);

// What is stretched of a track in a stretch of song time, in order: a clip, and what of its sound is heard there.
struct StretchedPart {
    const Clip* clip;  // of the track
    Frames from;       // song time
    Frames soundFrom;
    Frames soundTo;
};
[[nodiscard]] std::vector<StretchedPart> stretchedParts(const Track& track, Frames from, Frames to);

// Left and right gain of a track: its level and pan. A mono track keeps its power across the pan
// and is 3 dB down in the middle; a stereo track is balanced and keeps its own middle.
[[nodiscard]] std::array<float, 2> mixGains(const Track& track, int channels);

// Whether a track is heard: not muted, and soloed when any track is.
[[nodiscard]] bool isHeard(const Song& song, const Track& track);

// Adds a track's sound to a stereo mix of the same length. Channels beyond two are folded: the
// odd ones left, the even ones right.
void addToMix(AudioBuffer& mix, const AudioBuffer& track, std::array<float, 2> gains);

// Fills `mix` (two channels) with the whole song from `from` on, along the song's own level line.
[[nodiscard]] Result<void>
renderMix(const Song& song, const Sources& sources, Frames from, AudioBuffer& mix);

}  // namespace orthochron
