#pragma once

#include "core/base/Work.h"
#include "core/song/Song.h"

#include <vector>

namespace orthochron {

class Sources;

// A blow that some microphone hears but no lead has a mark for: it moves with whatever lies
// around it.
struct UnheardHit {
    TrackId track;  // that hears it loudest against its own loud blows
    Frames at;      // song time as recorded
    double strength = 0.0;

    bool operator==(const UnheardHit&) const = default;
};

// Listens to the microphones of a set that are no leads for attacks further than 30 ms from every
// mark. In order of time; those within 30 ms of each other are one. Long work: run it as a job.
// Errors: the sources'; Cancelled.
[[nodiscard]] Result<std::vector<UnheardHit>>
findUnheard(const Song& song, SetId id, const Sources& sources, const Work& work = {});

}  // namespace orthochron
