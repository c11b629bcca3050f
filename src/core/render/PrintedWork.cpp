#include "core/render/PrintedWork.h"

#include <algorithm>

namespace orthochron {

namespace {

bool isCut(const Track& track)
{
    return track.clips.size() > 1 || std::ranges::any_of(track.clips, [](const Clip& clip) {
               return clip.in.length > Frames(0) || clip.out.length > Frames(0) || clip.isMuted ||
                      clip.isReversed;
           });
}

bool isStretched(const Clip& clip)
{
    const auto& treatment = clip.sound.treatment;
    return treatment && (!treatment->time.pins().empty() || treatment->semitones != 0.0 ||
                         !treatment->pitch.empty());
}

bool hasSpeed(const Clip& clip)
{
    return clip.sound.treatment && !clip.sound.treatment->speed.isEmpty();
}

bool hasLevel(const Clip& clip)
{
    return clip.gain != 1.0F;
}

bool hasWork(const Track& track, PrintedWork work)
{
    switch (work) {
    case PrintedWork::Cuts: return isCut(track);
    case PrintedWork::Stretch: return std::ranges::any_of(track.clips, isStretched);
    case PrintedWork::Speed: return std::ranges::any_of(track.clips, hasSpeed);
    case PrintedWork::ClipLevel: return std::ranges::any_of(track.clips, hasLevel);
    case PrintedWork::Lines: return !track.level.isEmpty() || !track.hushes.empty();
    case PrintedWork::TrackLevel: return track.gainDecibels != 0.0 || track.pan != 0.0;
    case PrintedWork::SongLine: break;
    }
    return false;
}

}  // namespace

bool becomesFixed(PrintedWork work, PrintExtent extent)
{
    switch (work) {
    case PrintedWork::Lines: return extent != PrintExtent::Clips;
    case PrintedWork::TrackLevel:
        return extent == PrintExtent::Track || extent == PrintExtent::Song;
    case PrintedWork::SongLine: return extent == PrintExtent::Song;
    default: return true;
    }
}

bool hasWork(const Song& song, std::span<const TrackId> tracks, PrintedWork work)
{
    if (work == PrintedWork::SongLine) {
        return !song.level.isEmpty();
    }
    return std::ranges::any_of(tracks, [&](TrackId id) {
        const auto track = song.track(id);
        return track && hasWork(*track, work);
    });
}

}  // namespace orthochron
