#pragma once

#include "core/song/Song.h"

#include <optional>
#include <vector>

namespace orthochron {

// Where a track plays the moments of the take its marks are of; asked often, of many clips.
class HeardPlaces {
public:
    explicit HeardPlaces(const Track& track);

    // Song time of the first clip, in their order, that plays it; none when none does.
    [[nodiscard]] std::optional<Frames> at(Frames takeTime) const;

private:
    struct Played {
        Frames from;  // take time
        Frames to;
        Frames furthest;  // where the last of this and all before it ends
        std::size_t place = 0;
        Clip clip;
    };
    std::vector<Played> played_;  // ascending by `from`
};

}  // namespace orthochron
