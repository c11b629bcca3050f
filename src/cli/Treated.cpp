#include "cli/Treated.h"

#include "core/edits/TakeEdits.h"
#include "core/render/Print.h"

#include <algorithm>

namespace orthochron::cli {

Result<Frames> writeTreated(
    const std::string& in,
    const std::string& out,
    const Treatment& treatment,
    PrintFormat format,
    const Work& work
)
{
    auto reader = SoundFileReader::open(in);
    if (!reader) {
        return tl::unexpected(reader.error());
    }
    const SoundFacts facts = (*reader)->facts();
    Take take;
    take.name = "sound";
    take.rate = facts.rate;
    take.frames = facts.frames;
    take.channels = facts.channels;
    Song empty;
    empty.rate = facts.rate;
    auto song = addTakes(empty, {{take, false}});
    if (!song) {
        return tl::unexpected(song.error());
    }
    const TrackId id = song->tracks.front()->id;
    Track track = *song->track(id);
    Clip& clip = track.clips.front();
    clip.sound.channel = Sound::kAllChannels;
    clip.sound.treatment = std::make_shared<const Treatment>(treatment);
    clip.soundStart = Frames(0);
    clip.length = std::max(clip.sound.end(facts.frames), Frames(1));
    const Frames length = clip.length;
    putTrack(*song, std::move(track));
    Sources sources;
    sources.put(song->takes.front().id, std::move(*reader), in);
    PrintSettings settings;
    settings.to = length;
    settings.format = format;
    auto printed = printTracks(*song, sources, {{id, out, facts.formatCode}}, settings, work);
    if (!printed) {
        return tl::unexpected(printed.error());
    }
    return length;
}

}  // namespace orthochron::cli
