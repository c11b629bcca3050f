#include "core/edits/TakeEdits.h"

#include <fmt/format.h>

#include "core/audio/SoundFile.h"
#include "core/base/Hash.h"
#include "core/edits/SetParts.h"
#include "core/song/Parts.h"

#include <algorithm>
#include <functional>
#include <map>

namespace orthochron {

namespace {

Result<Track> editableTrack(const Song& song, TrackId id)
{
    const auto track = song.track(id);
    if (!track) {
        return badArgument("the track is not in the song");
    }
    return Track(*track);
}

Frames atSongRate(Frames frames, Hertz from, Hertz to)
{
    const auto in = static_cast<std::int64_t>(from.count());
    const auto out = static_cast<std::int64_t>(to.count());
    // Split so that no product exceeds 64 bits, even for a time stamp near the end of a day.
    return Frames(frames.count() / in * out + (frames.count() % in * out + in - 1) / in);
}

void addTrack(Song& song, const Take& take, int channel, Frames at, std::string name)
{
    Track track;
    track.id = TrackId{++song.lastId};
    track.name = std::move(name);
    track.markedTake = take.id;
    track.markedChannel = std::max(channel, 0);
    Clip clip;
    clip.id = ClipId{++song.lastId};
    clip.part = PartId{++song.lastId};
    clip.sound.take = take.id;
    clip.sound.channel = channel;
    clip.at = at;
    clip.length = take.frames;
    track.clips.push_back(clip);
    song.tracks.push_back(std::make_shared<const Track>(std::move(track)));
}

}  // namespace

Result<Take>
takeFromFile(const std::filesystem::path& path, Hertz rate, const std::filesystem::path& folder)
{
    const auto reader = SoundFileReader::open(path);
    if (!reader) {
        return tl::unexpected(reader.error());
    }
    const SoundFacts& facts = (*reader)->facts();
    Take take;
    take.name = path.stem().string();
    std::error_code error;
    const auto absolute = std::filesystem::absolute(path, error);
    const auto relative =
        folder.empty() ? std::filesystem::path() : absolute.lexically_relative(folder);
    const bool isBelow = !relative.empty() && *relative.begin() != "..";
    take.path = isBelow ? relative.string() : absolute.string();
    take.bytes = std::filesystem::file_size(path, error);
    auto hash = hashOfFile(path);
    if (!hash) {
        return tl::unexpected(hash.error());
    }
    take.hash = std::move(*hash);
    take.rate = facts.rate;
    take.frames = atSongRate(facts.frames, facts.rate, rate);
    take.channels = facts.channels;
    take.format = facts.format;
    take.timeStamp = atSongRate(facts.timeStamp.value_or(Frames(0)), facts.rate, rate);
    return take;
}

Result<Song> addTakes(const Song& song, std::vector<ImportedTake> takes)
{
    if (takes.empty()) {
        return badArgument("no takes to add");
    }
    Song next = song;
    Frames earliest{0};
    for (const ImportedTake& imported : takes) {
        const Frames stamp = imported.take.timeStamp;
        if (stamp > Frames(0)) {
            earliest = earliest == Frames(0) ? stamp : std::min(earliest, stamp);
        }
    }
    for (ImportedTake& imported : takes) {
        Take& take = imported.take;
        take.id = TakeId{++next.lastId};
        const Frames at = take.timeStamp > Frames(0) ? take.timeStamp - earliest : Frames(0);
        if (imported.splitChannels && take.channels > 1) {
            for (int channel = 0; channel < take.channels; ++channel) {
                addTrack(next, take, channel, at, fmt::format("{} {}", take.name, channel + 1));
            }
        } else {
            const int channel = take.channels == 1 ? 0 : Sound::kAllChannels;
            addTrack(next, take, channel, at, take.name);
        }
        next.takes.push_back(std::move(take));
    }
    completeSets(next);
    return next;
}

Result<Song> makeSet(const Song& song, const std::vector<TrackId>& tracks, std::string name)
{
    if (tracks.empty()) {
        return badArgument("select the tracks that were recorded together first");
    }
    for (const TrackId id : tracks) {
        const auto track = song.track(id);
        if (!track) {
            return badArgument("a track of the set is not in the song");
        }
        const MicSet* lone = song.setOf(id);
        if (lone != nullptr && !lone->isLone()) {
            return badArgument(
                fmt::format("{} is already in a mic set; ungroup that one first", track->name)
            );
        }
        if (lone != nullptr && !lone->variants.empty()) {
            return badArgument(
                fmt::format("{} has stored versions of its own; delete them first", track->name)
            );
        }
    }
    Song next = song;
    const auto isOfThem = [&](const MicSet& set) {
        return set.isLone() && std::ranges::find(tracks, set.tracks.front()) != tracks.end();
    };
    const auto place = std::ranges::find_if(next.sets, isOfThem) - next.sets.begin();
    std::erase_if(next.sets, isOfThem);
    MicSet set;
    set.id = SetId{++next.lastId};
    set.name = name.empty() ? "Kit" : std::move(name);
    set.tracks = tracks;
    next.sets.insert(next.sets.begin() + place, std::move(set));
    std::vector<Track> changed;
    for (const TrackId id : tracks) {
        changed.push_back(*song.track(id));
    }
    std::vector<std::vector<Clip>*> clips;
    for (Track& track : changed) {
        clips.push_back(&track.clips);
    }
    joinParts(clips);
    for (Track& track : changed) {
        putTrack(next, std::move(track));
    }
    // What was fitted track by track, or as a set that was opened, can be taken back as one.
    std::optional<FitRecipe> recipe;
    std::vector<std::vector<Clip>> recorded;
    for (const TrackId id : tracks) {
        const MicSet* lone = song.setOf(id);
        if (lone != nullptr && lone->recipe && !recipe) {
            recipe = *lone->recipe;
        }
        recorded.push_back(
            lone != nullptr ? recordedClips(song, *lone).front() : song.track(id)->clips
        );
    }
    if (recipe) {
        clips.clear();
        for (auto& list : recorded) {
            clips.push_back(&list);
        }
        joinParts(clips);
        MicSet& made = next.sets[static_cast<std::size_t>(place)];
        recipe->recorded = std::move(recorded);
        recipe->madeFrom = fitFingerprint(next, made);
        made.recipe = std::make_shared<const FitRecipe>(std::move(*recipe));
    }
    return next;
}

Result<Song> openSet(const Song& song, SetId id)
{
    const MicSet* open = song.set(id);
    if (open == nullptr) {
        return badArgument("the mic set is not in the song");
    }
    if (open->isLone()) {
        return badArgument("this track is not in a mic set");
    }
    Song next = song;
    std::erase_if(next.sets, [id](const MicSet& set) { return set.id == id; });
    completeSets(next);
    if (open->recipe && open->recipe->recorded.size() == open->tracks.size()) {
        // Each track can still be taken back to what was recorded on it.
        for (std::size_t t = 0; t < open->tracks.size(); ++t) {
            FitRecipe own = *open->recipe;
            own.recorded = {open->recipe->recorded[t]};
            const auto lone = std::ranges::find_if(next.sets, [&](const MicSet& set) {
                return set.isLone() && set.tracks.front() == open->tracks[t];
            });
            own.madeFrom = isOutOfDate(song, *open) ? 0 : fitFingerprint(next, *lone);
            lone->recipe = std::make_shared<const FitRecipe>(std::move(own));
        }
    }
    return next;
}

Result<Song> foldSet(const Song& song, SetId id, bool folded)
{
    Song next = song;
    const auto set = std::ranges::find(next.sets, id, &MicSet::id);
    if (set == next.sets.end()) {
        return badArgument("the mic set is not in the song");
    }
    set->isFolded = folded;
    return next;
}

Result<Song> renameTrack(const Song& song, TrackId id, std::string name)
{
    auto track = editableTrack(song, id);
    if (!track) {
        return tl::unexpected(track.error());
    }
    if (name.empty()) {
        return badArgument("a track needs a name");
    }
    track->name = std::move(name);
    Song next = song;
    putTrack(next, std::move(*track));
    return next;
}

Result<Song> renameSong(const Song& song, std::string name)
{
    Song next = song;
    next.name = std::move(name);
    return next;
}

namespace {

// Changes every list of a set that has one entry for each of its tracks: what was recorded, and
// the other ways that are kept with what was recorded before them. What they share stays shared.
void changeLists(MicSet& set, const std::function<void(std::vector<std::vector<Clip>>&)>& change)
{
    std::map<std::shared_ptr<const FitRecipe>, std::shared_ptr<const FitRecipe>> changed;
    const auto renew = [&](std::shared_ptr<const FitRecipe>& recipe) {
        if (!recipe || recipe->recorded.size() != set.tracks.size()) {
            return;
        }
        auto& fresh = changed[recipe];
        if (!fresh) {
            FitRecipe copy = *recipe;
            change(copy.recorded);
            fresh = std::make_shared<const FitRecipe>(std::move(copy));
        }
        recipe = fresh;
    };
    renew(set.recipe);
    for (auto& variant : set.variants) {
        Variant copy = *variant;
        if (copy.clips.size() == set.tracks.size()) {
            change(copy.clips);
        }
        renew(copy.recipe);
        variant = std::make_shared<const Variant>(std::move(copy));
    }
}

}  // namespace

Result<Song> removeTrack(const Song& song, TrackId id)
{
    Song next = song;
    if (std::erase_if(next.tracks, [id](const auto& track) { return track->id == id; }) == 0) {
        return badArgument("the track is not in the song");
    }
    for (MicSet& set : next.sets) {
        const auto place = std::ranges::find(set.tracks, id);
        if (place == set.tracks.end()) {
            continue;
        }
        const auto index = place - set.tracks.begin();
        changeLists(set, [index](auto& lists) { lists.erase(lists.begin() + index); });
        set.tracks.erase(place);
    }
    std::erase_if(next.sets, [](const MicSet& set) { return set.tracks.empty(); });
    // Takes stay in the song: undo needs them, and so does who wants the track back.
    return next;
}

Result<Song> hideTrack(const Song& song, TrackId id, bool hidden)
{
    auto track = editableTrack(song, id);
    if (!track) {
        return tl::unexpected(track.error());
    }
    track->isHidden = hidden;
    Song next = song;
    putTrack(next, std::move(*track));
    return next;
}

Result<Song> moveTrack(const Song& song, TrackId id, int by)
{
    Song next = song;
    const auto isIt = [id](const auto& track) { return track->id == id; };
    const auto place = std::ranges::find_if(next.tracks, isIt) - next.tracks.begin();
    const auto target = place + by;
    const auto count = static_cast<std::ptrdiff_t>(next.tracks.size());
    if (place == count) {
        return badArgument("the track is not in the song");
    }
    if (target < 0 || target >= count) {
        return badArgument("the track is already at the end");
    }
    const TrackId other = next.tracks[static_cast<std::size_t>(target)]->id;
    const MicSet* own = song.setOf(id);
    const bool isLone = own == nullptr || own->isLone();
    const MicSet* others = song.setOf(other);
    const bool isOtherLone = others == nullptr || others->isLone();
    if (own != others && !(isLone && isOtherLone)) {
        return badArgument("tracks of a mic set stay together; ungroup the set to move one out");
    }
    std::swap(
        next.tracks[static_cast<std::size_t>(place)], next.tracks[static_cast<std::size_t>(target)]
    );
    for (MicSet& set : next.sets) {
        const auto a = std::ranges::find(set.tracks, id);
        const auto b = std::ranges::find(set.tracks, other);
        if (a == set.tracks.end() || b == set.tracks.end()) {
            continue;
        }
        const auto first = a - set.tracks.begin();
        const auto second = b - set.tracks.begin();
        changeLists(set, [first, second](auto& lists) {
            std::iter_swap(lists.begin() + first, lists.begin() + second);
        });
        std::iter_swap(a, b);
    }
    return next;
}

Result<Song> changeMix(const Song& song, TrackId id, const MixChange& change)
{
    auto track = editableTrack(song, id);
    if (!track) {
        return tl::unexpected(track.error());
    }
    track->isMuted = change.muted.value_or(track->isMuted);
    track->isSoloed = change.soloed.value_or(track->isSoloed);
    track->gainDecibels =
        std::clamp(change.gainDecibels.value_or(track->gainDecibels), -60.0, 12.0);
    track->pan = std::clamp(change.pan.value_or(track->pan), -1.0, 1.0);
    Song next = song;
    putTrack(next, std::move(*track));
    return next;
}

}  // namespace orthochron
