#include "core/edits/StepEdits.h"

#include <algorithm>
#include <limits>
#include <map>

namespace orthochron {

namespace {

// The least frames a pull over the spare can do where the tracks of a set stand alike.
class Pulls {
public:
    void limit(Frames at, Frames most)
    {
        const auto [found, isNew] = pulls_.try_emplace(at, most);
        found->second = std::min(found->second, most);
    }
    [[nodiscard]] Frames at(Frames place) const
    {
        const auto found = pulls_.find(place);
        return found == pulls_.end() ? Frames(0) : std::max(found->second, Frames(0));
    }
    [[nodiscard]] bool isEmpty() const
    {
        return std::ranges::all_of(pulls_, [](const auto& pull) {
            return pull.second <= Frames(0);
        });
    }

private:
    std::map<Frames, Frames> pulls_;
};

using SetPieces = std::vector<std::vector<Piece>>;

Result<const MicSet*> freeSet(const Song& song, SetId id)
{
    const MicSet* set = song.set(id);
    if (set == nullptr || set->tracks.empty()) {
        return badArgument("the mic set is not in the song");
    }
    for (const TrackId track : set->tracks) {
        if (song.track(track)->isLocked) {
            return badArgument("a track of the mic set is locked; unlock it first");
        }
    }
    return set;
}

SetPieces piecesOf(const Song& song, const MicSet& set)
{
    SetPieces all;
    for (const TrackId id : set.tracks) {
        all.push_back(takenApart(song.track(id)->clips));
    }
    return all;
}

Result<Song> withPieces(
    const Song& song,
    const MicSet& set,
    const SetPieces& pieces,
    const HandJoin& join,
    const Sources& sources
)
{
    Song next = song;
    auto clips = putTogether(next, pieces, join);
    for (std::size_t t = 0; t < set.tracks.size(); ++t) {
        Track track = *song.track(set.tracks[t]);
        const auto before = takenApart(track.clips);
        track.clips = std::move(clips[t]);
        if (auto measured = measureJoins(track.clips, before, sources); !measured) {
            return tl::unexpected(measured.error());
        }
        putTrack(next, std::move(track));
    }
    return next;
}

bool isWithin(const StepScope& scope, Frames at)
{
    return !scope.within || (at >= scope.within->from && at < scope.within->to);
}

// How far each clip after a gap can be pulled back on all tracks.
Pulls gapPulls(const Song& song, const SetPieces& tracks, Frames furthest)
{
    Pulls pulls;
    for (const auto& pieces : tracks) {
        for (std::size_t i = 1; i < pieces.size(); ++i) {
            const Clip& clip = pieces[i].clip;
            const Frames gap = clip.at - pieces[i - 1].clip.end();
            if (gap > Frames(0) && !clip.isLocked) {
                pulls.limit(clip.at, std::min({gap, furthest, spareBefore(song, clip)}));
            }
        }
    }
    return pulls;
}

}  // namespace

Result<Song> cutAtHits(
    const Song& song,
    const StepScope& scope,
    Frames leadIn,
    const HandJoin& join,
    const Sources& sources
)
{
    const auto set = freeSet(song, scope.set);
    if (!set) {
        return tl::unexpected(set.error());
    }
    const Span whole{Frames(0), song.length()};
    const auto times = markTimes(song, **set, scope.within.value_or(whole), leadIn);
    if (times.empty()) {
        return badArgument("no hit lies there; choose leads and find their hits first");
    }
    ClipChoice free;
    for (const TrackId id : (*set)->tracks) {
        for (const Clip& clip : song.track(id)->clips) {
            if (!clip.isLocked) {
                free.push_back(clip.id);
            }
        }
    }
    return splitClips(song, free, times, {join, false}, sources);
}

Result<Song> closeGaps(
    const Song& song,
    const StepScope& scope,
    Frames furthest,
    const HandJoin& join,
    const Sources& sources
)
{
    const auto set = freeSet(song, scope.set);
    if (!set) {
        return tl::unexpected(set.error());
    }
    SetPieces tracks = piecesOf(song, **set);
    const Pulls pulls = gapPulls(song, tracks, furthest);
    bool isAny = false;
    for (auto& pieces : tracks) {
        for (Piece& piece : pieces) {
            const Frames pull =
                isWithin(scope, piece.clip.at) ? pulls.at(piece.clip.at) : Frames(0);
            if (pull > Frames(0)) {
                pullStart(piece.clip, pull);
                piece.clip.in = Fade{};
                isAny = true;
            }
        }
    }
    if (!isAny) {
        return badArgument("there is no gap that could be closed from the spare behind it");
    }
    return withPieces(song, **set, tracks, join, sources);
}

Result<Song> shortenOverlaps(
    const Song& song,
    const StepScope& scope,
    Frames above,
    const HandJoin& join,
    const Sources& sources
)
{
    const auto set = freeSet(song, scope.set);
    if (!set) {
        return tl::unexpected(set.error());
    }
    std::vector<std::size_t> longOnes;
    for (const SetJoin& each : joinsOf(song, **set)) {
        if (each.length > above && isWithin(scope, each.at)) {
            longOnes.push_back(each.index);
        }
    }
    if (longOnes.empty()) {
        return badArgument("no overlap is longer than that");
    }
    return changeJoins(
        song, scope.set, longOnes, {.length = join.crossfade, .shape = join.shape}, sources
    );
}

Result<Song> changeJoinsWithin(
    const Song& song, const StepScope& scope, const JoinChange& change, const Sources& sources
)
{
    const auto set = freeSet(song, scope.set);
    if (!set) {
        return tl::unexpected(set.error());
    }
    std::vector<std::size_t> indices;
    for (const SetJoin& join : joinsOf(song, **set)) {
        if (isWithin(scope, join.at)) {
            indices.push_back(join.index);
        }
    }
    if (indices.empty()) {
        return badArgument("there is no join there");
    }
    return changeJoins(song, scope.set, indices, change, sources);
}

namespace {

struct ClipHits {
    SetHits hits;
    std::vector<std::size_t> pieces;  // which piece of the first track each hit moves
};

// The first mark of any lead heard in each piece of the set's first track.
ClipHits firstHits(const Song& song, const MicSet& set, const std::vector<Piece>& pieces)
{
    ClipHits found;
    for (const TrackId id : set.tracks) {
        if (song.track(id)->isLead) {
            found.hits.leads.push_back(id);
        }
    }
    for (std::size_t p = 0; p < pieces.size(); ++p) {
        const Clip& clip = pieces[p].clip;
        std::optional<PlayedHit> first;
        HitOrigin origin;
        for (std::size_t lead = 0; lead < found.hits.leads.size() && !clip.isReversed; ++lead) {
            const auto track = song.track(found.hits.leads[lead]);
            const auto mark = std::ranges::find_if(track->marks, [&](const Mark& m) {
                return m.isOn && m.at >= clip.takeStart && m.at < clip.takeStart + clip.length;
            });
            if (mark != track->marks.end() && (!first || mark->at + clip.offset() < first->start)) {
                first = PlayedHit{
                    static_cast<int>(lead),
                    mark->at + clip.offset(),
                    mark->beatPoint + clip.offset(),
                    mark->strength,
                    mark->line,
                    mark->wanted};
                origin = {track->id, mark->id};
            }
        }
        if (first) {
            found.hits.hits.push_back(*first);
            found.hits.origins.push_back(origin);
            found.pieces.push_back(p);
        }
    }
    return found;
}

}  // namespace

Result<FitOutcome> fitClips(
    const Song& song,
    SetId id,
    const ClipChoice& choice,
    const FitRequest& request,
    const Sources& sources
)
{
    const auto set = freeSet(song, id);
    if (!set) {
        return tl::unexpected(set.error());
    }
    if (auto valid = validate(request.fit); !valid) {
        return tl::unexpected(valid.error());
    }
    SetPieces tracks = piecesOf(song, **set);
    const ClipHits found = firstHits(song, **set, tracks.front());
    if (found.hits.hits.empty()) {
        return badArgument("no clip of this mic set holds a mark; find hits or add marks first");
    }
    const Performance performance = judgeSet(song, found.hits, request);
    const Moves moves = planMoves(performance, request.fit);
    const ClipChoice whole = withTheirSet(song, choice);
    const std::set<ClipId> chosen(whole.begin(), whole.end());
    FitOutcome outcome{song, moves.figures, 0, 0, 0};
    std::map<std::pair<Frames, Frames>, Frames> moved;  // by the edges of a piece
    for (std::size_t i = 0; i < performance.hits.size(); ++i) {
        // Hits were sorted by start when judged, as they were when found.
        const Clip& clip = tracks.front()[found.pieces[i]].clip;
        const bool isOutside = request.bars && !request.bars->holds(performance.hits[i].line.bar);
        const bool isUnchosen = !chosen.empty() && !chosen.contains(clip.id);
        if (clip.isLocked || isOutside || isUnchosen) {
            ++outcome.kept;
            continue;
        }
        moved[{clip.at, clip.end()}] = std::max(moves.hits[i].move, -clip.at);
    }
    std::vector<Frames> opened;
    for (auto& pieces : tracks) {
        const Frames end = pieces.empty() ? Frames(0) : pieces.back().clip.end();
        for (Piece& piece : pieces) {
            const auto by = moved.find({piece.clip.at, piece.clip.end()});
            if (by != moved.end() && !piece.clip.isLocked) {
                piece.clip.at += by->second;
            }
        }
        partPieces(pieces);
        if (!pieces.empty()) {
            Clip& last = pieces.back().clip;
            pullEnd(last, std::min(end - last.end(), std::max(Frames(0), spareAfter(song, last))));
        }
    }
    const Pulls pulls = gapPulls(song, tracks, toFrames(request.fit.furthest, song.rate) * 2);
    for (auto& pieces : tracks) {
        Frames taken{0};  // up to here a locked piece is heard
        for (Piece& piece : pieces) {
            if (!piece.clip.isLocked) {
                const Frames room = std::max(piece.clip.at - taken, Frames(0));
                pullStart(piece.clip, std::min(pulls.at(piece.clip.at), room));
            } else {
                taken = piece.clip.end();
            }
        }
    }
    auto next = withPieces(
        song,
        **set,
        tracks,
        {toFrames(request.joins.crossfade, song.rate), request.joins.shape},
        sources
    );
    if (!next) {
        return tl::unexpected(next.error());
    }
    outcome.song = std::move(*next);
    outcome.joins = static_cast<int>(joinsOf(outcome.song, **set).size());
    return outcome;
}

}  // namespace orthochron
