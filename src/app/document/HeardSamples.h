#pragma once

#include "core/render/Render.h"

namespace orthochron::app {

// What is heard of a track from a song time on, for drawing. A take that cannot be read is silence: the song
// says so elsewhere.
[[nodiscard]] inline std::vector<float>
samplesHeard(const Song& song, const Sources& sources, TrackId track, Frames from, Frames length)
{
    AudioBuffer sound(1, length);
    std::ranges::fill(sound.channel(0), 0.0F);
    if (const auto heard = song.track(track)) {
        (void)renderClips(heard->clips, sources, from, sound);
    }
    const auto samples = sound.channel(0);
    return {samples.begin(), samples.end()};
}

}  // namespace orthochron::app
