#include "core/render/Render.h"

#include <cmath>
#include <numbers>

namespace orthochron {

namespace {

// The gain of a clip at a frame counted from its start.
float envelope(const Clip& clip, std::int64_t frame)
{
    double gain = static_cast<double>(clip.gain);
    if (frame < clip.in.length.count()) {
        const double place =
            (static_cast<double>(frame) + 0.5) / static_cast<double>(clip.in.length.count());
        gain *= clip.in.gainsAt(place).in;
    }
    const std::int64_t out = frame - (clip.length - clip.out.length).count();
    if (out >= 0) {
        const double place =
            (static_cast<double>(out) + 0.5) / static_cast<double>(clip.out.length.count());
        gain *= clip.out.gainsAt(place).out;
    }
    return static_cast<float>(gain);
}

void shape(const Clip& clip, std::int64_t first, std::span<float> sound)
{
    const auto length = static_cast<std::int64_t>(sound.size());
    const auto scale = [&](std::int64_t from, std::int64_t to) {
        for (std::int64_t i = std::max<std::int64_t>(from - first, 0);
             i < std::min(to - first, length);
             ++i) {
            sound[static_cast<std::size_t>(i)] *= envelope(clip, first + i);
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

}  // namespace

int channelsOf(const Track& track, const Sources& sources)
{
    int most = 1;
    for (const Clip& clip : track.clips) {
        if (clip.channel == Clip::kAllChannels) {
            most = std::max(most, sources.channels(clip.take));
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
        const bool isWhole = clip->channel == Clip::kAllChannels;
        const int channels = isWhole ? std::max(1, sources.channels(clip->take)) : 1;
        AudioBuffer sound(channels, end - begin);
        const Frames takeTime = clip->takeTimeOf(begin, end);
        auto read =
            isWhole && sources.has(clip->take)
                ? sources.read(clip->take, takeTime, sound)
                : sources.read(clip->take, std::max(clip->channel, 0), takeTime, sound.channel(0));
        if (!read) {
            return read;
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
                shape(*clip, (begin - clip->at).count(), source);
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
        if (auto rendered = renderClips(track->clips, sources, from, sound); !rendered) {
            return rendered;
        }
        addToMix(mix, sound, mixGains(*track, channels));
    }
    return {};
}

}  // namespace orthochron
