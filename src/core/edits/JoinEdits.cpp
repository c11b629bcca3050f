#include "core/edits/JoinEdits.h"

#include <fmt/format.h>

#include "core/edits/FitEdits.h"
#include "core/edits/MarkEdits.h"
#include "core/edits/Pieces.h"

#include <algorithm>

namespace orthochron {

namespace {

bool meet(const Clip& before, const Clip& after)
{
    return after.at <= before.end() &&
           (before.offset() != after.offset() || before.take != after.take ||
            before.channel != after.channel || before.gain != after.gain ||
            before.isMuted != after.isMuted || before.isReversed || after.isReversed);
}

// Where the clip stands that begins at a song time and meets the one before it; 0 when none does.
std::size_t metAt(const std::vector<Clip>& clips, Frames at)
{
    const auto found = std::ranges::lower_bound(clips, at, {}, &Clip::at);
    if (found == clips.end() || found == clips.begin() || found->at != at ||
        std::prev(found)->end() < at) {
        return 0;
    }
    return static_cast<std::size_t>(found - clips.begin());
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
    const bool isTrackLocked =
        std::ranges::any_of(tracks, [](const auto& track) { return track->isLocked; });
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
        join.fadeMiddle = after.in.middle;
        join.isLocked = before.isLocked || after.isLocked || isTrackLocked;
        for (const auto& track : tracks) {
            const std::size_t own = metAt(track->clips, after.at);
            join.correlation.push_back(own > 0 ? track->clips[own].in.correlation : 0.0F);
        }
        joins.push_back(std::move(join));
    }
    return joins;
}

namespace {

JoinRoom roomOf(const Song& song, const std::vector<Clip>& clips, std::size_t index)
{
    const Clip& before = clips[index - 1];
    const Clip& after = clips[index];
    // Where the neighbours' crossfades end and begin: the clips beyond say it, as in a very short
    // clip two fades give way to each other.
    Frames neighbourLeft = before.at + before.in.length;
    Frames neighbourRight = after.end() - after.out.length;
    if (index >= 2) {
        neighbourLeft = std::max(neighbourLeft, clips[index - 2].end());
    }
    if (index + 1 < clips.size()) {
        neighbourRight = std::min(neighbourRight, clips[index + 1].at);
    }
    const Frames spareLeft = after.at - spareBefore(song, after);
    const Frames spareRight = before.end() + spareAfter(song, before);
    return {
        std::max(neighbourLeft, spareLeft),
        std::min(neighbourRight, spareRight),
        spareLeft > neighbourLeft,
        spareRight < neighbourRight};
}

JoinRoom roomOf(const Song& song, const std::vector<Track>& tracks, Frames at)
{
    std::optional<JoinRoom> room;
    for (const Track& track : tracks) {
        const std::size_t index = metAt(track.clips, at);
        if (index == 0) {
            continue;
        }
        const JoinRoom own = roomOf(song, track.clips, index);
        if (!room) {
            room = own;
            continue;
        }
        if (own.from > room->from) {
            room->from = own.from;
            room->spareEndsLeft = own.spareEndsLeft;
        }
        if (own.to < room->to) {
            room->to = own.to;
            room->spareEndsRight = own.spareEndsRight;
        }
    }
    return room.value_or(JoinRoom{at, at});
}

Result<float> correlationAt(const Clip& before, const Clip& after, const Sources& sources)
{
    const Frames length = before.end() - after.at;
    std::vector<float> a(static_cast<std::size_t>(length.count()));
    std::vector<float> b(a.size());
    const auto read = [&](const Clip& clip, std::vector<float>& into) {
        auto done = sources.read(
            clip.take, std::max(clip.channel, 0), clip.takeTimeOf(after.at, before.end()), into
        );
        if (clip.isReversed) {
            std::ranges::reverse(into);
        }
        return done;
    };
    const auto readA = read(before, a);
    const auto readB = read(after, b);
    if (!readA || !readB) {
        return tl::unexpected(readA ? readB.error() : readA.error());
    }
    return static_cast<float>(correlationOf(a, b));
}

Result<void> applyJoin(
    const Song& song,
    std::vector<Track>& tracks,
    const SetJoin& join,
    const JoinChange& change,
    const Sources& sources
)
{
    const JoinRoom room = roomOf(song, tracks, join.at);
    const Frames widest = std::max(room.to - room.from, Frames(0));
    const Frames length = std::clamp(
        change.length.value_or(join.length + change.lengthBy.value_or(Frames(0))), Frames(0), widest
    );
    // A join made longer or shorter keeps its end: the lead-in before the attack stays.
    const Frames wanted =
        change.at.value_or(join.at + join.length - length + change.atBy.value_or(Frames(0)));
    const Frames at = std::clamp(wanted, room.from, std::max(room.from, room.to - length));
    for (Track& track : tracks) {
        const std::size_t index = metAt(track.clips, join.at);
        if (index == 0) {
            continue;
        }
        Clip& before = track.clips[index - 1];
        Clip& after = track.clips[index];
        pullStart(after, after.at - at);
        pullEnd(before, at + length - before.end());
        after.in.length = length;
        after.in.shape = change.shape.value_or(after.in.shape);
        after.in.middle = std::clamp(change.middle.value_or(after.in.middle), 0.1F, 0.9F);
        const auto alike = correlationAt(before, after, sources);
        if (!alike) {
            return tl::unexpected(alike.error());
        }
        after.in.correlation = *alike;
        before.out = after.in;
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

Result<JoinRoom> roomOf(const Song& song, SetId set, std::size_t index)
{
    const auto tracks = tracksOf(song, set);
    if (!tracks) {
        return tl::unexpected(tracks.error());
    }
    const auto& clips = tracks->front().clips;
    if (index == 0 || index >= clips.size()) {
        return badArgument("there is no such join");
    }
    return roomOf(song, *tracks, clips[index].at);
}

std::optional<Frames> nextAttack(const Song& song, const MicSet& set, const SetJoin& join)
{
    const auto take = recordedTake(song, set.tracks.front());
    if (!take) {
        return std::nullopt;
    }
    const Frames move = join.offsetAfter - take->offset;
    const auto hits = hitsOf(song, set).hits;
    const auto found = std::ranges::lower_bound(hits, join.at - move, {}, &PlayedHit::start);
    return found == hits.end() ? std::nullopt : std::optional(found->start + move);
}

Result<Song> changeJoin(
    const Song& song, SetId set, std::size_t index, const JoinChange& change, const Sources& sources
)
{
    const MicSet* known = song.set(set);
    if (known == nullptr) {
        return badArgument("the mic set is not in the song");
    }
    const auto joins = joinsOf(song, *known);
    const auto join = std::ranges::find(joins, index, &SetJoin::index);
    if (join == joins.end()) {
        return badArgument("there is no such join");
    }
    if (join->isLocked) {
        return badArgument("this join is locked; unlock it first");
    }
    return changeJoins(song, set, {index}, change, sources);
}

Result<Song> changeJoins(
    const Song& song,
    SetId set,
    const std::vector<std::size_t>& indices,
    const JoinChange& change,
    const Sources& sources
)
{
    auto tracks = tracksOf(song, set);
    if (!tracks) {
        return tl::unexpected(tracks.error());
    }
    int changed = 0;
    for (const SetJoin& join : joinsOf(song, *song.set(set))) {
        const bool isMeant =
            indices.empty() || std::ranges::find(indices, join.index) != indices.end();
        if (join.isLocked || !isMeant) {
            continue;
        }
        JoinChange own = change;
        if (const auto attack = change.beforeHit ? nextAttack(song, *song.set(set), join)
                                                 : std::optional<Frames>()) {
            own.at = *attack - *change.beforeHit - change.length.value_or(join.length);
        }
        if (auto applied = applyJoin(song, *tracks, join, own, sources); !applied) {
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
    const auto& clips = tracks->front().clips;
    if (index == 0 || index >= clips.size()) {
        return badArgument("there is no such join");
    }
    const Frames at = clips[index].at;
    for (Track& track : *tracks) {
        if (const std::size_t own = metAt(track.clips, at); own > 0) {
            track.clips[own - 1].isLocked = isLocked;
            track.clips[own].isLocked = isLocked;
        }
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
