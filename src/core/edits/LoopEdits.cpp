#include "core/edits/LoopEdits.h"

#include "core/song/Parts.h"

#include <algorithm>
#include <map>
#include <utility>

namespace orthochron {

namespace {

constexpr Seconds kShortestLoop = milliseconds(10.0);
constexpr int kMostTimes = 1000;

// The pieces of the span as often as asked, one after the other.
std::vector<Piece> goingRound(const std::vector<Piece>& once, const LoopCut& cut, NewIds& ids)
{
    const Frames length = cut.span.to - cut.span.from;
    std::vector<Piece> all;
    for (int n = 0; n < cut.times; ++n) {
        std::map<ClipId, ClipId> renamed;
        for (Piece piece : once) {
            const ClipId was = piece.clip.id;
            piece.clip.id = ids.clip();
            piece.clip.part = ids.part(piece.clip.part, n);
            piece.clip.at += length * n;
            piece.clip.isLocked = false;
            renamed[was] = piece.clip.id;
            if (piece.meeting) {
                piece.meeting->with = renamed[piece.meeting->with];
            }
            all.push_back(piece);
        }
    }
    return all;
}

Track emptyCopy(const Track& of, std::uint32_t& lastId)
{
    Track copy = of;
    copy.id = TrackId{++lastId};
    copy.name += " loop";
    copy.clips.clear();
    for (Mark& mark : copy.marks) {
        mark.id = MarkId{++lastId};
    }
    copy.level = {};
    copy.hushes.clear();
    copy.isHidden = false;
    copy.isLocked = false;
    copy.isSoloed = false;
    return copy;
}

}  // namespace

Result<LoopTaken> takeLoop(const Song& song, TrackId track, const LoopCut& cut)
{
    const MicSet* set = song.setOf(track);
    if (set == nullptr) {
        return badArgument("the track is not in the song");
    }
    if (cut.span.from < Frames(0) ||
        cut.span.to - cut.span.from < toFrames(kShortestLoop, song.rate)) {
        return badArgument("a loop must be at least 10 ms; select more");
    }
    if (cut.times < 1 || cut.times > kMostTimes) {
        return badArgument("enter 1 to 1000 repeats");
    }
    LoopTaken taken{song, {}};
    Song& next = taken.song;
    NewIds ids(next.lastId);
    MicSet loop;
    std::vector<Track> tracks;
    std::vector<std::vector<Piece>> pieces;
    bool isHeard = false;
    for (const TrackId id : set->tracks) {
        const auto from = song.track(id);
        const auto once = cropped(takenApart(from->clips), cut.span.from, cut.span.to, false, ids);
        isHeard = isHeard || !once.empty();
        pieces.push_back(goingRound(once, cut, ids));
        tracks.push_back(emptyCopy(*from, next.lastId));
        loop.tracks.push_back(tracks.back().id);
        if (id == track) {
            taken.track = tracks.back().id;
        }
    }
    if (!isHeard) {
        return badArgument("nothing plays there; select another range");
    }
    const auto clips = putTogether(song, std::move(pieces), cut.join);
    const auto last = std::ranges::find(next.tracks, set->tracks.back(), [](const auto& each) {
        return each->id;
    });
    auto place = std::next(last);
    for (std::size_t t = 0; t < tracks.size(); ++t) {
        tracks[t].clips = clips[t];
        place =
            std::next(next.tracks.insert(place, std::make_shared<const Track>(std::move(tracks[t])))
            );
    }
    if (!set->isLone()) {
        loop.id = SetId{++next.lastId};
        loop.name = set->name + " loop";
        loop.isFolded = set->isFolded;
        next.sets.push_back(std::move(loop));
    }
    completeSets(next);
    return taken;
}

}  // namespace orthochron
