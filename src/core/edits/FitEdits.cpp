#include "core/edits/FitEdits.h"

#include <fmt/format.h>

#include "core/edits/JoinEdits.h"
#include "core/edits/MarkEdits.h"
#include "core/render/Render.h"

#include <algorithm>
#include <cstdlib>
#include <numeric>

namespace orthochron {

SetHits hitsOf(const Song& song, const MicSet& set)
{
    SetHits found;
    for (const TrackId id : set.tracks) {
        const auto track = song.track(id);
        const auto take = recordedTake(song, id);
        if (!track || !track->isLead || !take) {
            continue;
        }
        const int lead = static_cast<int>(found.leads.size());
        found.leads.push_back(id);
        for (const Mark& mark : track->marks) {
            if (mark.isOn) {
                found.hits.push_back(
                    {lead,
                     mark.at + take->offset,
                     mark.beatPoint + take->offset,
                     mark.strength,
                     mark.line}
                );
                found.origins.push_back({id, mark.id});
            }
        }
    }
    // Sorted here as judge() sorts, so that origins stay beside their hits.
    std::vector<std::size_t> order(found.hits.size());
    std::iota(order.begin(), order.end(), std::size_t{0});
    std::ranges::stable_sort(order, {}, [&](std::size_t i) { return found.hits[i].start; });
    SetHits sorted;
    sorted.leads = found.leads;
    for (const std::size_t i : order) {
        sorted.hits.push_back(found.hits[i]);
        sorted.origins.push_back(found.origins[i]);
    }
    return sorted;
}

std::vector<std::vector<Clip>> recordedClips(const Song& song, const MicSet& set)
{
    if (set.recipe && set.recipe->recorded.size() == set.tracks.size()) {
        return set.recipe->recorded;
    }
    std::vector<std::vector<Clip>> clips;
    for (const TrackId id : set.tracks) {
        clips.push_back(song.track(id)->clips);
    }
    return clips;
}

Performance
judgeSet(const Song& song, const MicSet& /*set*/, const SetHits& hits, GridSettings grid)
{
    return judge(hits.hits, Grid(song.tempo, grid), song.rate);
}

Result<FitPreview> previewFit(const Song& song, SetId id, const FitRequest& request)
{
    const MicSet* set = song.set(id);
    if (set == nullptr) {
        return badArgument("the mic set is not in the song");
    }
    if (auto valid = validate(request.fit); !valid) {
        return tl::unexpected(valid.error());
    }
    FitPreview preview;
    preview.origin = hitsOf(song, *set);
    preview.performance = judgeSet(song, *set, preview.origin, request.grid);
    preview.moves = planMoves(preview.performance, request.fit);
    return preview;
}

namespace {

// Where the recorded moment of a set lies now: how far its clip was moved from where it was recorded.
std::optional<Clip> clipHolding(const std::vector<Clip>& clips, Frames takeTime)
{
    for (const Clip& clip : clips) {
        if (takeTime >= clip.takeStart && takeTime < clip.takeStart + clip.length) {
            return clip;
        }
    }
    return std::nullopt;
}

// A stretch of the song in which all that was recorded is moved alike, with the joins at its ends.
struct Piece {
    Frames from;
    Frames to;
    Frames move;
    const PlannedJoin* before = nullptr;  // null at the start and end of the set
    const PlannedJoin* after = nullptr;
};

std::vector<Piece> piecesBetween(std::span<const PlannedJoin> joins, Frames begin, Frames end)
{
    std::vector<Piece> pieces;
    for (std::size_t k = 0; k <= joins.size(); ++k) {
        Piece piece;
        piece.before = k > 0 ? &joins[k - 1] : nullptr;
        piece.after = k < joins.size() ? &joins[k] : nullptr;
        piece.from = piece.before != nullptr ? piece.before->at : begin;
        piece.to = piece.after != nullptr ? piece.after->at + piece.after->length : end;
        if (piece.before != nullptr) {
            piece.move = piece.before->moveAfter;
        } else if (piece.after != nullptr) {
            piece.move = piece.after->moveBefore;
        }
        pieces.push_back(piece);
    }
    return pieces;
}

// What a piece shows of one recorded clip, which may be heard for `spare` beyond its end; none
// when they do not meet.
std::optional<Clip>
clipOf(const Piece& piece, const Clip& recorded, Frames spare, std::size_t track, FadeShape shape)
{
    const Frames begin = std::max(piece.from, recorded.at + piece.move);
    const Frames end = std::min(piece.to, recorded.end() + piece.move + spare);
    if (end <= begin) {
        return std::nullopt;
    }
    Clip clip = recorded;
    clip.at = begin;
    clip.length = end - begin;
    clip.takeStart = recorded.takeStart + (begin - piece.move - recorded.at);
    clip.in = begin == recorded.at + piece.move ? recorded.in : Fade{};
    clip.out = end == recorded.end() + piece.move ? recorded.out : Fade{};
    if (piece.before != nullptr && begin == piece.from) {
        clip.in = {piece.before->length, shape, piece.before->correlation[track]};
    }
    if (piece.after != nullptr && end == piece.to) {
        clip.out = {piece.after->length, shape, piece.after->correlation[track]};
    }
    clip.in.length = std::min(clip.in.length, clip.length);
    clip.out.length = std::min(clip.out.length, clip.length - clip.in.length);
    return clip;
}

// The clips of one track after the joins: each piece shows what was recorded there.
std::vector<Clip> fittedClips(
    Song& song,
    const std::vector<Clip>& recorded,
    std::span<const PlannedJoin> joins,
    std::size_t track,
    FadeShape shape
)
{
    std::vector<Clip> clips;
    if (recorded.empty()) {
        return clips;
    }
    // The last clip's end stays: it is filled from the spare when its audio moved away.
    const Clip& last = recorded.back();
    const Take* take = song.take(last.take);
    const Frames spare =
        take != nullptr ? take->frames - (last.takeStart + last.length) : Frames(0);
    for (const Piece& piece : piecesBetween(joins, recorded.front().at, last.end())) {
        for (const Clip& base : recorded) {
            const Frames beyond = &base == &last ? std::max(spare, Frames(0)) : Frames(0);
            if (auto clip = clipOf(piece, base, beyond, track, shape)) {
                clip->id = ClipId{++song.lastId};
                clips.push_back(*clip);
            }
        }
    }
    return clips;
}

// Joins the fit would make where there is one already between parts moved the same way keep the
// place and shape they were given.
void keepJoins(
    const Song& song, const MicSet& set, Frames recordedOffset, std::vector<PlannedJoin>& planned
)
{
    const std::vector<SetJoin> present = joinsOf(song, set);
    for (PlannedJoin& join : planned) {
        for (const SetJoin& old : present) {
            const Frames before = old.offsetBefore - recordedOffset;
            const Frames after = old.offsetAfter - recordedOffset;
            const bool isNear = std::abs(toSeconds(old.at - join.at, song.rate).count()) < 0.2;
            if (before == join.moveBefore && after == join.moveAfter && isNear) {
                join.at = old.at;
                join.length = old.length;
                join.correlation = old.correlation;
            }
        }
    }
}

struct Planned {
    std::vector<Anchor> anchors;
    int kept = 0;
};

Planned
anchorsOf(const Song& song, const MicSet& set, const FitPreview& preview, const FitRequest& request)
{
    Planned planned;
    const auto& hits = preview.performance.hits;
    const TrackId first = set.tracks.front();
    const auto clips = song.track(first)->clips;
    const auto take = recordedTake(song, first);
    for (std::size_t i = 0; i < hits.size(); ++i) {
        const Frames start = hits[i].played.start;
        Frames move = preview.moves.hits[i].move;
        const int bar = hits[hits[i].main].line.bar;
        const bool isOutside =
            request.bars && (bar < request.bars->first || bar > request.bars->last);
        const auto holding = take ? clipHolding(clips, start - take->offset) : std::nullopt;
        if (holding && (isOutside || holding->isLocked)) {
            move = holding->offset() - take->offset;
            ++planned.kept;
        }
        planned.anchors.push_back({start, move});
    }
    return planned;
}

}  // namespace

Result<FitOutcome> cutFit(
    const Song& song, SetId id, const FitRequest& request, const Sources& sources, const Work& work
)
{
    if (auto valid = validate(request.joins); !valid) {
        return tl::unexpected(valid.error());
    }
    auto preview = previewFit(song, id, request);
    if (!preview) {
        return tl::unexpected(preview.error());
    }
    if (preview->performance.hits.empty()) {
        return badArgument("there are no hits to fit; choose leads and find their hits first");
    }
    const MicSet& set = *song.set(id);
    const auto recorded = recordedClips(song, set);
    const Planned planned = anchorsOf(song, set, *preview, request);
    const RecordedReader reader = [&](int microphone, Frames from, std::span<float> into
                                  ) -> Result<void> {
        const auto& clips = recorded[static_cast<std::size_t>(microphone)];
        if (clips.size() == 1) {
            const Clip& clip = clips.front();
            return sources.read(clip.take, std::max(clip.channel, 0), from - clip.offset(), into);
        }
        AudioBuffer sound(1, Frames(static_cast<std::int64_t>(into.size())));
        auto rendered = renderClips(clips, sources, from, sound);
        std::ranges::copy(sound.channel(0), into.begin());
        return rendered;
    };
    auto joins = planJoins(
        planned.anchors, song.rate, request.joins, static_cast<int>(set.tracks.size()), reader, work
    );
    if (!joins) {
        return tl::unexpected(joins.error());
    }
    if (set.recipe) {
        keepJoins(song, set, recordedTake(song, set.tracks.front())->offset, *joins);
    }
    FitOutcome outcome{song, preview->moves.figures, static_cast<int>(joins->size()), planned.kept};
    Song& next = outcome.song;
    for (std::size_t t = 0; t < set.tracks.size(); ++t) {
        Track track = *song.track(set.tracks[t]);
        track.clips = fittedClips(next, recorded[t], *joins, t, request.joins.shape);
        putTrack(next, std::move(track));
    }
    next.grid = request.grid;
    const auto changed = std::ranges::find(next.sets, id, &MicSet::id);
    changed->recipe = std::make_shared<const FitRecipe>(FitRecipe{
        request.fit, request.joins, request.grid, recorded, fitFingerprint(next, *changed)});
    return outcome;
}

Result<Song> undoFit(const Song& song, SetId id)
{
    const MicSet* set = song.set(id);
    if (set == nullptr || !set->recipe) {
        return badArgument("this mic set has not been fitted");
    }
    Song next = song;
    for (std::size_t t = 0; t < set->tracks.size(); ++t) {
        Track track = *song.track(set->tracks[t]);
        track.clips = set->recipe->recorded[t];
        putTrack(next, std::move(track));
    }
    std::ranges::find(next.sets, id, &MicSet::id)->recipe = nullptr;
    return next;
}

std::string sentenceOf(const FitOutcome& outcome)
{
    std::string sentence = fmt::format(
        "Cut at {} hits, moved {:.1f} ms on average, {} joins",
        outcome.figures.hits,
        inMilliseconds(outcome.figures.meanMove),
        outcome.joins
    );
    if (outcome.kept > 0) {
        sentence += fmt::format(", {} hits passed over", outcome.kept);
    }
    return sentence;
}

}  // namespace orthochron
