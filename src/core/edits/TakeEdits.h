#pragma once

#include "core/song/Song.h"

#include <filesystem>
#include <optional>
#include <string>
#include <vector>

namespace orthochron {

// A take and the tracks it is laid on.
struct ImportedTake {
    Take take;                   // its id is given by addTakes
    bool splitChannels = false;  // each channel on a track of its own
};

// Reads what a song needs to know of a sound file: facts, size, content hash. The song's rate is
// `rate`; `folder` is the song's, so that takes below it are named relative to it.
// Errors: BadInput.
[[nodiscard]] Result<Take>
takeFromFile(const std::filesystem::path& path, Hertz rate, const std::filesystem::path& folder);

// Appends takes, each on a new track named after its file. Takes that carry time stamps are placed
// by them, the earliest at the song's start; others begin there.
// Errors: BadArgument when there is none.
[[nodiscard]] Result<Song> addTakes(const Song& song, std::vector<ImportedTake> takes);

// A mic set of tracks that are in none yet. Errors: BadArgument for fewer than one track, unknown
// tracks, or tracks of another set.
[[nodiscard]] Result<Song>
makeSet(const Song& song, const std::vector<TrackId>& tracks, std::string name);
// Dissolves a set; its tracks stay.
[[nodiscard]] Result<Song> openSet(const Song& song, SetId id);
[[nodiscard]] Result<Song> foldSet(const Song& song, SetId id, bool folded);

[[nodiscard]] Result<Song> renameTrack(const Song& song, TrackId id, std::string name);
[[nodiscard]] Result<Song> renameSong(const Song& song, std::string name);
[[nodiscard]] Result<Song> removeTrack(const Song& song, TrackId id);
[[nodiscard]] Result<Song> hideTrack(const Song& song, TrackId id, bool hidden);
// Moves a track up (-1) or down (+1) among the lanes; in a set, within the set.
[[nodiscard]] Result<Song> moveTrack(const Song& song, TrackId id, int by);

struct MixChange {
    std::optional<bool> muted;
    std::optional<bool> soloed;
    std::optional<double> gainDecibels;  // -60..12
    std::optional<double> pan;           // -1..1
};
[[nodiscard]] Result<Song> changeMix(const Song& song, TrackId id, const MixChange& change);

}  // namespace orthochron
