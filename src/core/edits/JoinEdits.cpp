#include "core/edits/JoinEdits.h"

#include <fmt/format.h>

#include "core/edits/Pieces.h"

#include <algorithm>
#include <set>
#include <unordered_set>

namespace orthochron {

namespace {

// Whether two neighbours meet, and not as one recording that goes on.
bool meet(const Clip& before, const Clip& after)
{
    return after.at <= before.end() &&
           (before.offset() != after.offset() || before.sound != after.sound ||
            before.gain != after.gain || before.isMuted != after.isMuted || before.isReversed ||
            after.isReversed);
}

PartId partOf(const Clip& clip)
{
    return clip.part.isValid() ? clip.part : PartId{clip.id.value};
}

// Where a track's clips stand that a join is between; none where it has no such clip.
struct Sides {
    Clip* before = nullptr;
    Clip* after = nullptr;

    [[nodiscard]] bool meet() const
    {
        return before != nullptr && after != nullptr && after->at <= before->end();
    }
};

Sides sidesOf(std::vector<Clip>& clips, const SetJoin& join)
{
    const auto find = [&](PartId part) {
        // Most begin where the join does.
        const auto near = std::ranges::lower_bound(clips, join.at, {}, &Clip::at);
        if (near != clips.end() && partOf(*near) == part) {
            return near;
        }
        return std::ranges::find(clips, part, partOf);
    };
    Sides sides;
    if (const auto after = find(join.id); after != clips.end()) {
        sides.after = &*after;
        if (after != clips.begin() && partOf(*std::prev(after)) == join.before) {
            sides.before = &*std::prev(after);
        }
    } else if (const auto before = find(join.before); before != clips.end()) {
        sides.before = &*before;
    }
    return sides;
}

}  // namespace

std::vector<SetJoin> joinsOf(const Song& song, const MicSet& set)
{
    std::vector<SetJoin> joins;
    std::unordered_set<PartId> known;
    bool isTrackLocked = false;
    const auto recorded = recordedClips(song, set);
    for (std::size_t t = 0; t < set.tracks.size(); ++t) {
        const auto track = song.track(set.tracks[t]);
        isTrackLocked = isTrackLocked || track->isLocked;
        const auto& clips = track->clips;
        const RecordedTimes times(recorded[t]);
        const auto moveOf = [&](const Clip& clip) {
            const auto place = times.placeOf(clip);
            return place ? place->move : Frames(0);
        };
        for (std::size_t i = 1; i < clips.size(); ++i) {
            const Clip& before = clips[i - 1];
            const Clip& after = clips[i];
            if (!meet(before, after) || !known.insert(partOf(after)).second) {
                continue;
            }
            SetJoin join;
            join.id = partOf(after);
            join.before = partOf(before);
            join.at = after.at;
            join.length = before.end() - after.at;
            join.shape = after.in.shape;
            join.moveBefore = moveOf(before);
            join.moveAfter = moveOf(after);
            join.fadeMiddle = after.in.middle;
            join.isLocked = before.isLocked || after.isLocked;
            joins.push_back(join);
        }
    }
    for (SetJoin& join : joins) {
        join.isLocked = join.isLocked || isTrackLocked;
    }
    std::ranges::stable_sort(joins, {}, &SetJoin::at);
    return joins;
}

namespace {

JoinRoom roomOf(const Song& song, const std::vector<Clip>& clips, const Sides& sides)
{
    const Clip& before = *sides.before;
    const Clip& after = *sides.after;
    const auto index = static_cast<std::size_t>(sides.after - clips.data());
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

JoinRoom roomOf(const Song& song, std::vector<Track>& tracks, const SetJoin& join)
{
    std::optional<JoinRoom> room;
    for (Track& track : tracks) {
        const Sides sides = sidesOf(track.clips, join);
        if (!sides.meet()) {
            continue;
        }
        const JoinRoom own = roomOf(song, track.clips, sides);
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
    return room.value_or(JoinRoom{join.at, join.at});
}

// A microphone whose take does not reach the join keeps in step with those that do, as far as it
// has something to be heard and nothing else was laid between.
void followJoin(
    const Song& song, const std::vector<Clip>& clips, const Sides& sides, Frames at, Frames end
)
{
    const auto placeOf = [&](const Clip& clip) { return &clip - clips.data(); };
    if (sides.after != nullptr) {
        Clip& after = *sides.after;
        const Clip* other = placeOf(after) > 0 ? &after - 1 : nullptr;
        const bool isBetween = other != nullptr && other != sides.before;
        if (!isBetween || other->end() <= after.at) {
            const Frames first = isBetween ? std::max(at, other->end()) : at;
            const Frames out = std::min(after.at - first, spareBefore(song, after));
            pullStart(after, std::max(out, Frames(1) - after.length));
            after.in.length = std::min(after.in.length, after.length);
            after.out.length = std::min(after.out.length, after.length - after.in.length);
        }
    }
    if (sides.before != nullptr) {
        Clip& before = *sides.before;
        const Clip* other = placeOf(before) + 1 < std::ssize(clips) ? &before + 1 : nullptr;
        if (other == nullptr || other == sides.after || other->at >= before.end()) {
            const Frames last = other != nullptr ? std::min(end, other->at) : end;
            const Frames out = std::min(last - before.end(), spareAfter(song, before));
            pullEnd(before, std::max(out, Frames(1) - before.length));
            before.out.length = std::min(before.out.length, before.length);
            before.in.length = std::min(before.in.length, before.length - before.out.length);
        }
    }
}

void applyJoin(
    const Song& song, std::vector<Track>& tracks, const SetJoin& join, const JoinChange& change
)
{
    const JoinRoom room = roomOf(song, tracks, join);
    const Frames widest = std::max(room.to - room.from, Frames(0));
    const Frames length = std::clamp(
        change.length.value_or(join.length + change.lengthBy.value_or(Frames(0))), Frames(0), widest
    );
    // A join made longer or shorter keeps its end: the lead-in before the attack stays.
    const Frames wanted =
        change.at.value_or(join.at + join.length - length + change.atBy.value_or(Frames(0)));
    const Frames at = std::clamp(wanted, room.from, std::max(room.from, room.to - length));
    for (Track& track : tracks) {
        const Sides sides = sidesOf(track.clips, join);
        if (!sides.meet()) {
            followJoin(song, track.clips, sides, at, at + length);
            continue;
        }
        Clip& before = *sides.before;
        Clip& after = *sides.after;
        pullStart(after, after.at - at);
        pullEnd(before, at + length - before.end());
        after.in.length = length;
        after.in.shape = change.shape.value_or(after.in.shape);
        after.in.middle = std::clamp(change.middle.value_or(after.in.middle), 0.1F, 0.9F);
        before.out = after.in;
    }
}

Result<const MicSet*> setOf(const Song& song, SetId id)
{
    const MicSet* set = song.set(id);
    if (set == nullptr || set->tracks.empty()) {
        return badArgument("the mic set is not in the song");
    }
    return set;
}

std::vector<Track> tracksOf(const Song& song, const MicSet& set)
{
    std::vector<Track> tracks;
    for (const TrackId track : set.tracks) {
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

Result<SetJoin> joinIn(const Song& song, SetId id, PartId join)
{
    const auto set = setOf(song, id);
    if (!set) {
        return tl::unexpected(set.error());
    }
    const auto joins = joinsOf(song, **set);
    const auto found = std::ranges::find(joins, join, &SetJoin::id);
    if (found == joins.end()) {
        return badArgument("join not found");
    }
    return *found;
}

}  // namespace

Result<JoinRoom> roomOf(const Song& song, SetId set, PartId join)
{
    const auto found = joinIn(song, set, join);
    if (!found) {
        return tl::unexpected(found.error());
    }
    auto tracks = tracksOf(song, *song.set(set));
    return roomOf(song, tracks, *found);
}

std::optional<Frames> nextAttack(const SetHits& hits, const SetJoin& join)
{
    const auto found =
        std::ranges::lower_bound(hits.hits, join.at - join.moveAfter, {}, &PlayedHit::start);
    return found == hits.hits.end() ? std::nullopt : std::optional(found->start + join.moveAfter);
}

Result<Song> changeJoin(const Song& song, SetId set, PartId join, const JoinChange& change)
{
    const auto found = joinIn(song, set, join);
    if (!found) {
        return tl::unexpected(found.error());
    }
    if (found->isLocked) {
        return badArgument("this join is locked; unlock it first");
    }
    return changeJoins(song, set, {join}, change);
}

Result<Song>
changeJoins(const Song& song, SetId id, const std::vector<PartId>& joins, const JoinChange& change)
{
    const auto set = setOf(song, id);
    if (!set) {
        return tl::unexpected(set.error());
    }
    const std::unordered_set<PartId> meant(joins.begin(), joins.end());
    const SetHits hits = change.beforeHit ? hitsOf(song, **set) : SetHits();
    auto tracks = tracksOf(song, **set);
    int changed = 0;
    for (const SetJoin& join : joinsOf(song, **set)) {
        if (join.isLocked || (!meant.empty() && !meant.contains(join.id))) {
            continue;
        }
        JoinChange own = change;
        if (const auto attack =
                change.beforeHit ? nextAttack(hits, join) : std::optional<Frames>()) {
            own.at = *attack - *change.beforeHit - change.length.value_or(join.length);
        }
        applyJoin(song, tracks, join, own);
        ++changed;
    }
    if (changed == 0) {
        return badArgument("there is no unlocked join to change");
    }
    return withTracks(song, std::move(tracks));
}

Result<Song> fadeCrossfades(const Song& song, const ClipChoice& choice, const FadeChange& change)
{
    const Chosen chosen = chosenOf(song, choice);
    const bool hasLength = change.in || change.out || change.inBy || change.outBy;
    Song next = song;
    bool isAny = false;
    for (const MicSet& set : song.sets) {
        std::set<PartId> parts;
        for (const TrackId id : set.tracks) {
            const auto clips = chosen.find(id);
            for (const Clip& clip : song.track(id)->clips) {
                if (clips != chosen.end() && clips->second.contains(clip.id)) {
                    parts.insert(clip.part);
                }
            }
        }
        const auto apply = [&](bool atStarts) -> Result<void> {
            JoinChange asked{.shape = change.shape, .middle = change.middle};
            asked.length = atStarts ? change.in : change.out;
            asked.lengthBy = atStarts ? change.inBy : change.outBy;
            std::vector<PartId> joins;
            for (const SetJoin& join : joinsOf(next, set)) {
                if (join.length > Frames(0) && parts.contains(atStarts ? join.id : join.before)) {
                    joins.push_back(join.id);
                }
            }
            if (joins.empty() || (hasLength && !asked.length && !asked.lengthBy)) {
                return {};
            }
            auto changed = changeJoins(next, set.id, joins, asked);
            if (!changed) {
                return tl::unexpected(changed.error());
            }
            next = std::move(*changed);
            isAny = true;
            return {};
        };
        for (const bool atStarts : {true, false}) {
            if (auto done = apply(atStarts); !done) {
                return tl::unexpected(done.error());
            }
        }
    }
    if (!isAny) {
        return badArgument("there is no crossfade at these ends");
    }
    return next;
}

Result<Song> lockJoin(const Song& song, SetId id, PartId join, bool isLocked)
{
    const auto found = joinIn(song, id, join);
    if (!found) {
        return tl::unexpected(found.error());
    }
    auto tracks = tracksOf(song, *song.set(id));
    for (Track& track : tracks) {
        const Sides sides = sidesOf(track.clips, *found);
        for (Clip* clip : {sides.before, sides.after}) {
            if (clip != nullptr) {
                clip->isLocked = isLocked;
            }
        }
    }
    return withTracks(song, std::move(tracks));
}

Result<Song> lockAll(const Song& song, SetId id, bool isLocked)
{
    const auto set = setOf(song, id);
    if (!set) {
        return tl::unexpected(set.error());
    }
    auto tracks = tracksOf(song, **set);
    for (Track& track : tracks) {
        for (Clip& clip : track.clips) {
            clip.isLocked = isLocked;
        }
    }
    return withTracks(song, std::move(tracks));
}

}  // namespace orthochron
