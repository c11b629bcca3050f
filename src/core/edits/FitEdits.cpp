#include "core/edits/FitEdits.h"

#include <fmt/format.h>

#include "core/edits/CutFit.h"
#include "core/edits/JoinEdits.h"
#include "core/edits/Pieces.h"
#include "core/edits/StretchFit.h"
#include "core/render/Sources.h"

#include <algorithm>
#include <cstdlib>
#include <set>

namespace orthochron {

namespace {

// Joins the fit would make where there is one already between parts moved the same way keep the
// place they were given.
void keepJoins(const Song& song, const MicSet& set, std::vector<PlannedJoin>& planned)
{
    const std::vector<SetJoin> present = joinsOf(song, set);
    const Frames near = toFrames(Seconds(0.2), song.rate);
    auto free = present.begin();  // each is kept once, in their order
    Frames ended{0};
    for (PlannedJoin& join : planned) {
        auto best = present.end();
        for (auto old = free; old != present.end() && old->at < join.at + near; ++old) {
            const auto away = [&](const SetJoin& one) {
                return std::abs((one.at - join.at).count());
            };
            const bool isSame =
                old->moveBefore == join.moveBefore && old->moveAfter == join.moveAfter;
            if (isSame && old->at >= ended && away(*old) < near.count() &&
                (best == present.end() || away(*old) < away(*best))) {
                best = old;
            }
        }
        if (best != present.end()) {
            join.at = best->at;
            join.length = best->length;
            free = std::next(best);
        }
        ended = join.at + join.length;
    }
}

Song withoutHandChanges(const Song& song, const MicSet& set)
{
    Song next = song;
    for (const TrackId id : set.tracks) {
        Track track = *song.track(id);
        for (Mark& mark : track.marks) {
            mark.wanted.reset();
        }
        for (Clip& clip : track.clips) {
            clip.byHand = false;
        }
        putTrack(next, std::move(track));
    }
    return next;
}

// Lays what was changed by hand since the last fit over the new one. Answers how many parts that
// were.
Result<int> keepHandChanges(
    const Song& before, const MicSet& set, Song& next, const JoinSettings& joins, NewIds& ids
)
{
    std::set<PartId> kept;
    std::vector<std::vector<Piece>> tracks;
    for (const TrackId id : set.tracks) {
        std::vector<Piece> byHand;
        for (Piece& piece : takenApart(before.track(id)->clips)) {
            if (piece.clip.byHand) {
                kept.insert(piece.clip.part);
                byHand.push_back(piece);
            }
        }
        std::vector<Piece> pieces = takenApart(next.track(id)->clips);
        if (auto laid = layOver(pieces, std::move(byHand), ids); !laid) {
            return tl::unexpected(laid.error());
        }
        tracks.push_back(std::move(pieces));
    }
    putClips(next, set.tracks, putTogether(next, std::move(tracks), handJoin(joins, next.rate)));
    return static_cast<int>(kept.size());
}

// Cuts the tracks of `next`; answers how many joins that made.
Result<int> cutTracks(
    Song& next,
    const MicSet& set,
    const std::vector<std::vector<Clip>>& recorded,
    const std::vector<Anchor>& anchors,
    const FitRequest& request,
    NewIds& ids,
    const Sources& sources,
    const Work& work
)
{
    auto joins = cutsBetween(recorded, anchors, request.joins, sources, next.rate, work);
    if (!joins) {
        return tl::unexpected(joins.error());
    }
    if (set.recipe && set.recipe->way.method == FitMethod::Cut) {
        keepJoins(next, set, *joins);
    }
    putClips(next, set.tracks, cutClips(next, recorded, *joins, request.joins.shape, ids));
    return static_cast<int>(joins->size());
}

// Gives the tracks of `next` their stretched clips; there are no joins.
Result<int> stretchTracks(
    Song& next,
    const MicSet& set,
    const std::vector<std::vector<Clip>>& recorded,
    const std::vector<Anchor>& anchors,
    const FitRequest& request,
    NewIds& ids
)
{
    auto clips = stretchedClips(next, set, recorded, anchors, request.way.material, ids);
    if (!clips) {
        return tl::unexpected(clips.error());
    }
    putClips(next, set.tracks, std::move(*clips));
    return 0;
}

}  // namespace

Result<FitOutcome> fitSet(
    const Song& song, SetId id, const FitRequest& request, const Sources& sources, const Work& work
)
{
    if (auto valid = validate(request.joins); !valid) {
        return tl::unexpected(valid.error());
    }
    if (request.replacesHand && song.set(id) != nullptr) {
        FitRequest plain = request;
        plain.replacesHand = false;
        return fitSet(withoutHandChanges(song, *song.set(id)), id, plain, sources, work);
    }
    auto preview = previewFit(song, id, request);
    if (!preview) {
        return tl::unexpected(preview.error());
    }
    if (preview->performance.hits.empty()) {
        return badArgument("no hits to fit; select leads and find hits first");
    }
    const MicSet& set = *song.set(id);
    if (auto free = refuseLocked(song, set); !free) {
        return tl::unexpected(free.error());
    }
    const auto recorded = recordedClips(song, set);
    const FitAnchors planned = anchorsOf(song, set, *preview, request);
    FitOutcome outcome{song, preview->moves.figures, request.way.method, 0, planned.kept};
    Song& next = outcome.song;
    NewIds ids(next.lastId);
    const auto joins =
        request.way.method == FitMethod::Stretch
            ? stretchTracks(next, set, recorded, planned.anchors, request, ids)
            : cutTracks(next, set, recorded, planned.anchors, request, ids, sources, work);
    if (!joins) {
        return tl::unexpected(joins.error());
    }
    outcome.joins = *joins;
    next.grid = request.grid;
    mendCutJoins(next, set, request.joins);
    if (!handChanges(song, set).clips.empty()) {
        const auto kept = keepHandChanges(song, set, next, request.joins, ids);
        if (!kept) {
            return tl::unexpected(kept.error());
        }
        outcome.byHand = *kept;
    }
    const auto changed = std::ranges::find(next.sets, id, &MicSet::id);
    changed->recipe = std::make_shared<const FitRecipe>(FitRecipe{
        request.fit,
        request.joins,
        request.grid,
        request.way,
        recorded,
        fitFingerprint(next, *changed)});
    return outcome;
}

Result<Song> undoFit(const Song& song, SetId id)
{
    const MicSet* set = song.set(id);
    if (set == nullptr || !set->recipe) {
        return badArgument("this mic set is not fitted");
    }
    Song next = song;
    auto recorded = set->recipe->recorded;
    renewRepeatedIds(next, set->tracks, recorded);
    putClips(next, set->tracks, std::move(recorded));
    std::ranges::find(next.sets, id, &MicSet::id)->recipe = nullptr;
    return next;
}

std::string sentenceOf(const FitOutcome& outcome)
{
    std::string sentence = fmt::format(
        "{} at {} hits, moved {:.1f} ms on average",
        outcome.method == FitMethod::Cut ? "Cut" : "Stretched",
        outcome.figures.hits,
        inMilliseconds(outcome.figures.meanMove)
    );
    if (outcome.method == FitMethod::Cut) {
        sentence += fmt::format(", {} joins", outcome.joins);
    }
    if (outcome.kept > 0) {
        sentence += fmt::format(", {} hits skipped", outcome.kept);
    }
    if (outcome.byHand > 0) {
        sentence += fmt::format(", {} edited clips kept", outcome.byHand);
    }
    return sentence;
}

}  // namespace orthochron
