#pragma once

#include "core/song/Song.h"

#include <algorithm>
#include <memory>
#include <vector>

namespace orthochron::app {

// The tracks of a set as they are; none for no set.
[[nodiscard]] inline std::vector<std::shared_ptr<const Track>>
tracksOf(const Song& song, const MicSet* set)
{
    std::vector<std::shared_ptr<const Track>> tracks;
    if (set != nullptr) {
        for (const TrackId id : set->tracks) {
            tracks.push_back(song.track(id));
        }
    }
    return tracks;
}

// Whether the same tracks play the same clips: whatever else of them may have changed.
[[nodiscard]] inline bool areCutAlike(
    const std::vector<std::shared_ptr<const Track>>& a,
    const std::vector<std::shared_ptr<const Track>>& b
)
{
    return std::ranges::equal(a, b, [](const auto& one, const auto& other) {
        return one == other || (one->id == other->id && one->clips == other->clips);
    });
}

}  // namespace orthochron::app
