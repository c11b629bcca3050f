#include "core/edits/HeardPlaces.h"

#include <algorithm>

namespace orthochron {

HeardPlaces::HeardPlaces(const Track& track)
{
    std::size_t place = 0;
    for (const Clip& clip : track.clips) {
        if (track.isMarked(clip)) {
            const Frames from = clip.sound.takeTimeOf(clip.soundStart);
            const Frames to = clip.sound.takeTimeOf(clip.soundStart + clip.length);
            // A frame more either way: the clip itself says exactly what it plays.
            played_.push_back({from - Frames(1), to + Frames(1), {}, place, clip});
        }
        ++place;
    }
    std::ranges::stable_sort(played_, {}, &Played::from);
    Frames furthest;
    for (Played& each : played_) {
        furthest = std::max(furthest, each.to);
        each.furthest = furthest;
    }
}

std::optional<Frames> HeardPlaces::at(Frames takeTime) const
{
    std::optional<Frames> heard;
    std::size_t first = 0;
    auto next = std::ranges::upper_bound(played_, takeTime, {}, &Played::from);
    while (next != played_.begin()) {
        --next;
        if (next->furthest < takeTime) {
            break;
        }
        const bool isEarlier = !heard || next->place < first;
        const auto at = isEarlier ? next->clip.songTimeOf(takeTime) : std::nullopt;
        if (at) {
            heard = at;
            first = next->place;
        }
    }
    return heard;
}

}  // namespace orthochron
