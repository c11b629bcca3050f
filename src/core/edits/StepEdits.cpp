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

Song withPieces(const Song& song, const MicSet& set, const SetPieces& pieces, const HandJoin& join)
{
    Song next = song;
    putClips(next, set.tracks, putTogether(next, pieces, join));
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

Result<Song>
cutAtHits(const Song& song, const StepScope& scope, Frames leadIn, const HandJoin& join)
{
    const auto set = freeSet(song, scope.set);
    if (!set) {
        return tl::unexpected(set.error());
    }
    const Span whole{Frames(0), song.length()};
    const auto times = markTimes(song, **set, scope.within.value_or(whole), leadIn);
    if (times.empty()) {
        return badArgument("no hits there; select leads and find hits first");
    }
    ClipChoice free;
    for (const TrackId id : (*set)->tracks) {
        for (const Clip& clip : song.track(id)->clips) {
            if (!clip.isLocked) {
                free.push_back(clip.id);
            }
        }
    }
    return splitClips(song, free, times, {join, false});
}

Result<Song>
closeGaps(const Song& song, const StepScope& scope, Frames furthest, const HandJoin& join)
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
        return badArgument("no gap can be closed: no audio beyond the clip edges");
    }
    return withPieces(song, **set, tracks, join);
}

Result<Song>
shortenOverlaps(const Song& song, const StepScope& scope, Frames above, const HandJoin& join)
{
    const auto set = freeSet(song, scope.set);
    if (!set) {
        return tl::unexpected(set.error());
    }
    std::vector<PartId> longOnes;
    for (const SetJoin& each : joinsOf(song, **set)) {
        if (each.length > above && isWithin(scope, each.at)) {
            longOnes.push_back(each.id);
        }
    }
    if (longOnes.empty()) {
        return badArgument("no overlap is longer than that");
    }
    return changeJoins(song, scope.set, longOnes, {.length = join.crossfade, .shape = join.shape});
}

Result<Song> changeJoinsWithin(const Song& song, const StepScope& scope, const JoinChange& change)
{
    const auto set = freeSet(song, scope.set);
    if (!set) {
        return tl::unexpected(set.error());
    }
    std::vector<PartId> joins;
    for (const SetJoin& join : joinsOf(song, **set)) {
        if (isWithin(scope, join.at)) {
            joins.push_back(join.id);
        }
    }
    if (joins.empty()) {
        return badArgument("no join there");
    }
    return changeJoins(song, scope.set, joins, change);
}

namespace {

struct PartHits {
    SetHits hits;
    std::vector<PartId> parts;  // what each hit moves
};

// The first mark of any lead heard in each part of a set; in order of start.
PartHits firstHits(const Song& song, const MicSet& set)
{
    struct First {
        PlayedHit hit;
        HitOrigin origin;
        PartId part;
    };
    std::map<PartId, First> firsts;
    PartHits found;
    for (const TrackId id : set.tracks) {
        const auto track = song.track(id);
        if (!song.isLead(*track)) {
            continue;
        }
        const int lead = static_cast<int>(found.hits.leads.size());
        found.hits.leads.push_back(id);
        for (const HeardMark& heard : marksHeard(*track, track->clips)) {
            const Mark& mark = *heard.mark;
            const First first{
                {lead, heard.at, heard.beatPoint, mark.strength, mark.line, mark.wanted},
                {id, mark.id},
                heard.part};
            const auto [known, isNew] = firsts.try_emplace(heard.part, first);
            if (!isNew && heard.at < known->second.hit.start) {
                known->second = first;
            }
        }
    }
    std::vector<First> sorted;
    for (const auto& [part, first] : firsts) {
        sorted.push_back(first);
    }
    std::ranges::stable_sort(sorted, {}, [](const First& first) { return first.hit.start; });
    for (const First& first : sorted) {
        found.hits.hits.push_back(first.hit);
        found.hits.origins.push_back(first.origin);
        found.parts.push_back(first.part);
    }
    return found;
}

}  // namespace

Result<FitOutcome>
fitClips(const Song& song, SetId id, const ClipChoice& choice, const FitRequest& request)
{
    const auto set = freeSet(song, id);
    if (!set) {
        return tl::unexpected(set.error());
    }
    if (auto valid = validate(request.fit); !valid) {
        return tl::unexpected(valid.error());
    }
    SetPieces tracks = piecesOf(song, **set);
    const PartHits found = firstHits(song, **set);
    if (found.hits.hits.empty()) {
        return badArgument("no clip of this mic set has a mark; find hits or add marks first");
    }
    const Performance performance = judgeSet(song, found.hits, request);
    const Moves moves = planMoves(performance, request.fit);
    const ClipChoice whole = withTheirSet(song, choice);
    const std::set<ClipId> chosen(whole.begin(), whole.end());
    std::map<PartId, const Piece*>
        asked;  // those chosen, or all; of the first microphone with them
    for (const auto& pieces : tracks) {
        for (const Piece& piece : pieces) {
            if (chosen.empty() || chosen.contains(piece.clip.id)) {
                asked.emplace(piece.clip.part, &piece);
            }
        }
    }
    FitOutcome outcome{.song = song, .figures = moves.figures};
    std::map<PartId, Frames> moved;
    for (std::size_t i = 0; i < performance.hits.size(); ++i) {
        // Hits were sorted by start when judged, as they were when found.
        const auto piece = asked.find(found.parts[i]);
        const bool isOutside = request.bars && !request.bars->holds(performance.hits[i].line.bar);
        if (piece == asked.end() || piece->second->clip.isLocked || isOutside) {
            ++outcome.kept;
            continue;
        }
        moved[found.parts[i]] = std::max(moves.hits[i].move, -piece->second->clip.at);
    }
    for (auto& pieces : tracks) {
        const Frames end = pieces.empty() ? Frames(0) : pieces.back().clip.end();
        for (Piece& piece : pieces) {
            const auto by = moved.find(piece.clip.part);
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
    outcome.song = withPieces(song, **set, tracks, handJoin(request.joins, song.rate));
    outcome.joins = static_cast<int>(joinsOf(outcome.song, **set).size());
    return outcome;
}

}  // namespace orthochron
