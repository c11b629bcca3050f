#include "core/render/Render.h"

#include <cmath>
#include <numbers>

namespace orthochron {

namespace {

// A clip with what its fades need to know of its neighbours.
struct Shaped {
    const Clip& clip;
    double likenessIn = 0.0;  // to the clip it is faded from
    double likenessOut = 0.0;

    // Its gain at a frame counted from its start.
    [[nodiscard]] float gainAt(std::int64_t frame) const
    {
        const auto placeIn = [](std::int64_t at, Frames length) {
            return (static_cast<double>(at) + 0.5) / static_cast<double>(length.count());
        };
        double gain = static_cast<double>(clip.gain);
        if (frame < clip.in.length.count()) {
            gain *= clip.in.gainsAt(placeIn(frame, clip.in.length), likenessIn).in;
        }
        const std::int64_t out = frame - (clip.length - clip.out.length).count();
        if (out >= 0) {
            gain *= clip.out.gainsAt(placeIn(out, clip.out.length), likenessOut).out;
        }
        return static_cast<float>(gain);
    }

    // Applies it to what is heard of the clip from its frame `first` on.
    void shape(std::int64_t first, std::span<float> sound) const
    {
        const auto length = static_cast<std::int64_t>(sound.size());
        const auto scale = [&](std::int64_t from, std::int64_t to) {
            for (std::int64_t i = std::max<std::int64_t>(from - first, 0);
                 i < std::min(to - first, length);
                 ++i) {
                sound[static_cast<std::size_t>(i)] *= gainAt(first + i);
            }
        };
        // Only the fades need a curve; between them the gain is even, and mostly 1.
        const std::int64_t rise = clip.in.length.count();
        const std::int64_t fall = std::max(rise, (clip.length - clip.out.length).count());
        scale(0, rise);
        if (clip.gain != 1.0F) {
            scale(rise, fall);
        }
        scale(fall, clip.length.count());
    }
};

// The clip at a place of a track. Only fades that are heard in the frames [from, to) of it count.
Result<Shaped> shapedAt(
    std::span<const Clip> clips, std::size_t place, const Sources& sources, Frames from, Frames to
)
{
    Shaped shaped{clips[place]};
    const Clip& clip = clips[place];
    const auto measure = [&](std::size_t before, double& likeness) -> Result<void> {
        auto measured = sources.likeness(clips[before], clips[before + 1]);
        if (!measured) {
            return tl::unexpected(measured.error());
        }
        likeness = *measured;
        return {};
    };
    if (place > 0 && clip.in.shape == FadeShape::Matched && from < clip.in.length) {
        if (auto done = measure(place - 1, shaped.likenessIn); !done) {
            return tl::unexpected(done.error());
        }
    }
    if (place + 1 < clips.size() && clip.out.shape == FadeShape::Matched &&
        to > clip.length - clip.out.length) {
        if (auto done = measure(place, shaped.likenessOut); !done) {
            return tl::unexpected(done.error());
        }
    }
    return shaped;
}

}  // namespace

int channelsOf(const Track& track, const Sources& sources)
{
    int most = 1;
    for (const Clip& clip : track.clips) {
        if (clip.sound.channel == Sound::kAllChannels) {
            most = std::max(most, sources.channels(clip.sound.take));
        }
    }
    return most;
}

Result<void>
renderClips(std::span<const Clip> clips, const Sources& sources, Frames from, AudioBuffer& into)
{
    into.clear();
    const Frames to = from + into.frames();
    // Clips overlap their neighbours only, so the ends ascend as the starts do.
    auto clip = std::ranges::lower_bound(clips, from, {}, [](const Clip& c) {
        return c.end() - Frames(1);
    });
    for (; clip != clips.end() && clip->at < to; ++clip) {
        const Frames begin = std::max(from, clip->at);
        const Frames end = std::min(to, clip->end());
        if (end <= begin || clip->isMuted) {
            continue;
        }
        const bool isWhole =
            clip->sound.channel == Sound::kAllChannels && sources.has(clip->sound.take);
        const int channels = isWhole ? std::max(1, sources.channels(clip->sound.take)) : 1;
        AudioBuffer sound(channels, end - begin);
        const Frames soundTime = clip->soundTimeOf(begin, end);
        auto read = isWhole ? sources.read(clip->sound, soundTime, sound)
                            : sources.read(clip->sound, soundTime, sound.channel(0));
        if (!read) {
            return read;
        }
        const auto shaped = shapedAt(
            clips,
            static_cast<std::size_t>(clip - clips.begin()),
            sources,
            begin - clip->at,
            end - clip->at
        );
        if (!shaped) {
            return tl::unexpected(shaped.error());
        }
        for (int c = 0; c < into.channels(); ++c) {
            if (c >= channels && channels != 1) {
                break;
            }
            const auto source = sound.channel(std::min(c, channels - 1));
            if (c < channels) {
                if (clip->isReversed) {
                    std::ranges::reverse(source);
                }
                shaped->shape((begin - clip->at).count(), source);
            }
            const auto target =
                into.channel(c).subspan(static_cast<std::size_t>((begin - from).count()));
            for (std::size_t i = 0; i < source.size(); ++i) {
                target[i] += source[i];
            }
        }
    }
    return {};
}

Result<void> renderTrack(
    const Song& song, const Track& track, const Sources& sources, Frames from, AudioBuffer& into
)
{
    const HeardLine line(track.level, song.tempo, song.rate);
    const Frames to = from + into.frames();
    // What nobody hears is not made either.
    if (line.isSilent(from, to) || isSilent(track.hushes, song.tempo, song.rate, from, to)) {
        into.clear();
        return {};
    }
    if (auto rendered = renderClips(track.clips, sources, from, into); !rendered) {
        return rendered;
    }
    line.apply(from, into);
    for (int c = 0; c < into.channels(); ++c) {
        applyHushes(track.hushes, song.tempo, song.rate, from, into.channel(c));
    }
    return {};
}

std::vector<StretchedPart> stretchedParts(const Track& track, Frames from, Frames to)
{
    std::vector<StretchedPart> parts;
    auto clip = std::ranges::partition_point(track.clips, [&](const Clip& one) {
        return one.end() <= from;
    });
    for (; clip != track.clips.end() && clip->at < to; ++clip) {
        if (clip->sound.treatment && !clip->isMuted) {
            const Frames begin = std::max(from, clip->at);
            const Frames end = std::min(to, clip->end());
            const Frames first = clip->soundTimeOf(begin, end);
            parts.push_back({&*clip, begin, first, first + (end - begin)});
        }
    }
    return parts;
}

std::array<float, 2> mixGains(const Track& track, int channels)
{
    const double level = fromDecibels(track.gainDecibels);
    const double pan = std::clamp(track.pan, -1.0, 1.0);
    if (channels == 1) {
        const double angle = (pan + 1.0) * std::numbers::pi / 4.0;
        return {
            static_cast<float>(level * std::cos(angle)),
            static_cast<float>(level * std::sin(angle))};
    }
    return {
        static_cast<float>(level * std::min(1.0, 1.0 - pan)),
        static_cast<float>(level * std::min(1.0, 1.0 + pan))};
}

bool isHeard(const Song& song, const Track& track)
{
    const bool anySolo =
        std::ranges::any_of(song.tracks, [](const auto& t) { return t->isSoloed; });
    return !track.isMuted && (!anySolo || track.isSoloed);
}

void addToMix(AudioBuffer& mix, const AudioBuffer& track, std::array<float, 2> gains)
{
    for (int c = 0; c < std::max(2, track.channels()); ++c) {
        const int side = c % 2;
        const auto source = track.channel(std::min(c, track.channels() - 1));
        const auto target = mix.channel(side);
        const float gain = gains[static_cast<std::size_t>(side)];
        for (std::size_t i = 0; i < source.size(); ++i) {
            target[i] += gain * source[i];
        }
    }
}

Result<void> renderMix(const Song& song, const Sources& sources, Frames from, AudioBuffer& mix)
{
    mix.clear();
    for (const auto& track : song.tracks) {
        if (!isHeard(song, *track)) {
            continue;
        }
        const int channels = channelsOf(*track, sources);
        AudioBuffer sound(channels, mix.frames());
        if (auto rendered = renderTrack(song, *track, sources, from, sound); !rendered) {
            return rendered;
        }
        addToMix(mix, sound, mixGains(*track, channels));
    }
    HeardLine(song.level, song.tempo, song.rate).apply(from, mix);
    return {};
}

}  // namespace orthochron
