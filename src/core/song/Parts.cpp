#include "core/song/Parts.h"

#include <algorithm>

namespace orthochron {

namespace {

struct Group {
    PartId part;
    Frames from;
    Frames to;
    std::size_t lastTrack;  // of those that have a clip in it: each has one at most
};

bool belongs(const Group& group, const Clip& clip)
{
    if (group.from == clip.at || group.to == clip.end()) {
        return true;
    }
    const Frames common = std::min(group.to, clip.end()) - std::max(group.from, clip.at);
    return common * 2 > std::max(group.to - group.from, clip.length);
}

}  // namespace

int joinParts(std::span<std::vector<Clip>* const> tracks)
{
    std::vector<Group> groups;
    std::map<std::pair<Frames, Frames>, std::size_t> exact;
    int guessed = 0;
    for (std::size_t t = 0; t < tracks.size(); ++t) {
        const std::size_t before = groups.size();
        for (Clip& clip : *tracks[t]) {
            // Ids of all kinds are given out together.
            clip.part = clip.part.isValid() ? clip.part : PartId{clip.id.value};
            auto found = groups.end();
            if (const auto same = exact.find({clip.at, clip.end()});
                same != exact.end() && groups[same->second].lastTrack != t) {
                found = groups.begin() + static_cast<std::ptrdiff_t>(same->second);
            } else {
                found = std::find_if(
                    groups.begin(),
                    groups.begin() + static_cast<std::ptrdiff_t>(before),
                    [&](const Group& group) { return group.lastTrack != t && belongs(group, clip); }
                );
                found = found == groups.begin() + static_cast<std::ptrdiff_t>(before) ? groups.end()
                                                                                      : found;
                guessed += before > 0 ? 1 : 0;
            }
            if (found != groups.end()) {
                clip.part = found->part;
                found->lastTrack = t;
                continue;
            }
            exact[{clip.at, clip.end()}] = groups.size();
            groups.push_back({clip.part, clip.at, clip.end(), t});
        }
    }
    return guessed;
}

}  // namespace orthochron
