#include "core/edits/JoinEdits.h"

#include <fmt/format.h>

#include "core/render/Render.h"

#include <algorithm>

namespace orthochron {

namespace {

bool meet(const Clip& before, const Clip& after)
{
    return after.at <= before.end() &&
           (before.offset() != after.offset() || before.take != after.take);
}

}  // namespace

std::vector<SetJoin> joinsOf(const Song& song, const MicSet& set)
{
    std::vector<SetJoin> joins;
    if (set.tracks.empty()) {
        return joins;
    }
    std::vector<std::shared_ptr<const Track>> tracks;
    for (const TrackId id : set.tracks) {
        tracks.push_back(song.track(id));
    }
    const auto& clips = tracks.front()->clips;
    joins.reserve(clips.size());
    for (std::size_t i = 1; i < clips.size(); ++i) {
        const Clip& before = clips[i - 1];
        const Clip& after = clips[i];
        if (!meet(before, after)) {
            continue;
        }
        SetJoin join;
        join.index = i;
        join.at = after.at;
        join.length = before.end() - after.at;
        join.shape = after.in.shape;
        join.offsetBefore = before.offset();
        join.offsetAfter = after.offset();
        join.isLocked = before.isLocked || after.isLocked;
        for (const auto& track : tracks) {
            join.correlation.push_back(
                i < track->clips.size() ? track->clips[i].in.correlation : 0.0F
            );
        }
        joins.push_back(std::move(join));
    }
    return joins;
}

namespace {

// Where a join may lie: between its neighbours, and as far as the spare of both sides reaches.
struct Room {
    Frames from;
    Frames to;
};

Room roomOf(const Song& song, const std::vector<Clip>& clips, std::size_t index)
{
    const Clip& before = clips[index - 1];
    const Clip& after = clips[index];
    const Take* take = song.take(before.take);
    const Frames takeEnd = take != nullptr ? take->frames : before.takeStart + before.length;
    Room room;
    room.from = std::max(before.at + before.in.length, after.at - after.takeStart);
    room.to = std::min(after.end() - after.out.length, before.offset() + takeEnd);
    return room;
}

Result<void> applyJoin(
    const Song& song,
    std::vector<Track>& tracks,
    std::size_t index,
    const JoinChange& change,
    const Sources& sources
)
{
    const Clip& first = tracks.front().clips[index];
    const Frames oldLength = tracks.front().clips[index - 1].end() - first.at;
    Room room = roomOf(song, tracks.front().clips, index);
    for (const Track& track : tracks) {
        const Room other = roomOf(song, track.clips, index);
        room.from = std::max(room.from, other.from);
        room.to = std::min(room.to, other.to);
    }
    const Frames widest = std::max(room.to - room.from, Frames(0));
    const Frames length = std::clamp(change.length.value_or(oldLength), Frames(0), widest);
    // A join made longer or shorter keeps its end: the lead-in before the attack stays.
    const Frames wanted = change.at.value_or(first.at + oldLength - length);
    const Frames at = std::clamp(wanted, room.from, std::max(room.from, room.to - length));
    for (Track& track : tracks) {
        Clip& before = track.clips[index - 1];
        Clip& after = track.clips[index];
        const Frames pulled = at - after.at;
        after.at += pulled;
        after.takeStart += pulled;
        after.length -= pulled;
        before.length = at + length - before.at;
        after.in.length = length;
        before.out.length = length;
        const FadeShape shape = change.shape.value_or(after.in.shape);
        after.in.shape = shape;
        before.out.shape = shape;
        std::vector<float> a(static_cast<std::size_t>(length.count()));
        std::vector<float> b(a.size());
        const auto readA =
            sources.read(before.take, std::max(before.channel, 0), at - before.offset(), a);
        const auto readB =
            sources.read(after.take, std::max(after.channel, 0), at - after.offset(), b);
        if (!readA || !readB) {
            return tl::unexpected(readA ? readB.error() : readA.error());
        }
        after.in.correlation = static_cast<float>(correlationOf(a, b));
        before.out.correlation = after.in.correlation;
    }
    return {};
}

Result<std::vector<Track>> tracksOf(const Song& song, SetId id)
{
    const MicSet* set = song.set(id);
    if (set == nullptr || set->tracks.empty()) {
        return badArgument("the mic set is not in the song");
    }
    std::vector<Track> tracks;
    for (const TrackId track : set->tracks) {
        tracks.push_back(*song.track(track));
    }
    return tracks;
}

Song withTracks(const Song& song, std::vector<Track> tracks)
{
    Song next = song;
    for (Track& track : tracks) {
        putTrack(next, std::move(track));
    }
    return next;
}

}  // namespace

Result<Song> changeJoin(
    const Song& song, SetId set, std::size_t index, const JoinChange& change, const Sources& sources
)
{
    auto tracks = tracksOf(song, set);
    if (!tracks) {
        return tl::unexpected(tracks.error());
    }
    for (const Track& track : *tracks) {
        if (index == 0 || index >= track.clips.size()) {
            return badArgument("there is no such join");
        }
        if (track.clips[index].isLocked || track.clips[index - 1].isLocked) {
            return badArgument("this join is locked; unlock it first");
        }
    }
    if (auto applied = applyJoin(song, *tracks, index, change, sources); !applied) {
        return tl::unexpected(applied.error());
    }
    return withTracks(song, std::move(*tracks));
}

Result<Song>
changeAllJoins(const Song& song, SetId set, const JoinChange& change, const Sources& sources)
{
    auto tracks = tracksOf(song, set);
    if (!tracks) {
        return tl::unexpected(tracks.error());
    }
    int changed = 0;
    for (const SetJoin& join : joinsOf(song, *song.set(set))) {
        if (join.isLocked) {
            continue;
        }
        if (auto applied = applyJoin(song, *tracks, join.index, change, sources); !applied) {
            return tl::unexpected(applied.error());
        }
        ++changed;
    }
    if (changed == 0) {
        return badArgument("there is no unlocked join to change");
    }
    return withTracks(song, std::move(*tracks));
}

Result<Song> lockJoin(const Song& song, SetId set, std::size_t index, bool isLocked)
{
    auto tracks = tracksOf(song, set);
    if (!tracks) {
        return tl::unexpected(tracks.error());
    }
    for (Track& track : *tracks) {
        if (index == 0 || index >= track.clips.size()) {
            return badArgument("there is no such join");
        }
        track.clips[index - 1].isLocked = isLocked;
        track.clips[index].isLocked = isLocked;
    }
    return withTracks(song, std::move(*tracks));
}

Result<Song> lockAll(const Song& song, SetId set, bool isLocked)
{
    auto tracks = tracksOf(song, set);
    if (!tracks) {
        return tl::unexpected(tracks.error());
    }
    for (Track& track : *tracks) {
        for (Clip& clip : track.clips) {
            clip.isLocked = isLocked;
        }
    }
    return withTracks(song, std::move(*tracks));
}

}  // namespace orthochron
