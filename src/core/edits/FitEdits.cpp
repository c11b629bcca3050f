#include "core/edits/FitEdits.h"

#include <fmt/format.h>

#include "core/edits/JoinEdits.h"
#include "core/edits/Pieces.h"
#include "core/edits/StretchFit.h"
#include "core/render/Render.h"

#include <algorithm>
#include <cstdlib>
#include <set>

namespace orthochron {

namespace {

// A run of the song in which all that was recorded is moved alike, with the joins at its ends.
struct Run {
    Frames from;
    Frames to;
    Frames move;
    const PlannedJoin* before = nullptr;  // null at the start and end of the set
    const PlannedJoin* after = nullptr;
};

std::vector<Run> runsBetween(std::span<const PlannedJoin> joins, Frames begin, Frames end)
{
    std::vector<Run> runs;
    for (std::size_t k = 0; k <= joins.size(); ++k) {
        Run run;
        run.before = k > 0 ? &joins[k - 1] : nullptr;
        run.after = k < joins.size() ? &joins[k] : nullptr;
        run.from = run.before != nullptr ? run.before->at : begin;
        run.to = run.after != nullptr ? run.after->at + run.after->length : end;
        if (run.before != nullptr) {
            run.move = run.before->moveAfter;
        } else if (run.after != nullptr) {
            run.move = run.after->moveBefore;
        }
        runs.push_back(run);
    }
    return runs;
}

// What a run shows of one recorded clip, which may be heard for `spare` beyond its end; none
// when they do not meet.
std::optional<Clip> clipOf(const Run& run, const Clip& recorded, Frames spare, FadeShape shape)
{
    Clip clip = recorded;
    clip.at += run.move;
    const Frames begin = std::max(run.from, clip.at);
    const Frames end = std::min(run.to, clip.end() + spare);
    if (end <= begin) {
        return std::nullopt;
    }
    clip.in = begin == clip.at ? recorded.in : Fade{};
    clip.out = end == clip.end() ? recorded.out : Fade{};
    pullEnd(clip, end - clip.end());
    pullStart(clip, clip.at - begin);
    if (run.before != nullptr && begin == run.from) {
        clip.in = {run.before->length, shape};
    }
    if (run.after != nullptr && end == run.to) {
        clip.out = {run.after->length, shape};
    }
    clip.in.length = std::min(clip.in.length, clip.length);
    clip.out.length = std::min(clip.out.length, clip.length - clip.in.length);
    return clip;
}

// The clips of one track after the joins: each run shows what was recorded there.
std::vector<Clip> fittedClips(
    const Song& song,
    const std::vector<Clip>& recorded,
    std::span<const PlannedJoin> joins,
    FadeShape shape,
    NewIds& ids
)
{
    std::vector<Clip> clips;
    if (recorded.empty()) {
        return clips;
    }
    // The last clip's end stays: it is filled from the spare when its audio moved away.
    const Clip& last = recorded.back();
    const Frames spare = std::max(spareAfter(song, last), Frames(0));
    const auto runs = runsBetween(joins, recorded.front().at, last.end());
    for (std::size_t s = 0; s < runs.size(); ++s) {
        const Run& run = runs[s];
        // Recorded clips overlap their neighbours only, so their ends ascend.
        auto base = std::ranges::lower_bound(recorded, run.from - run.move, {}, &Clip::end);
        base = base == recorded.end() ? std::prev(base) : base;
        for (; base != recorded.end() && base->at + run.move < run.to; ++base) {
            const Frames beyond = &*base == &last ? spare : Frames(0);
            if (auto clip = clipOf(run, *base, beyond, shape)) {
                clip->id = ids.clip();
                clip->part = ids.part(clip->part, static_cast<std::int64_t>(s));
                clip->byHand = false;
                clips.push_back(*clip);
            }
        }
    }
    return clips;
}

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

// Puts the pieces of a set's tracks in place of their clips.
void putBack(
    Song& next,
    const MicSet& set,
    const std::vector<std::vector<Piece>>& tracks,
    const JoinSettings& joins
)
{
    auto clips = putTogether(next, tracks, {toFrames(joins.crossfade, next.rate), joins.shape});
    for (std::size_t t = 0; t < set.tracks.size(); ++t) {
        Track track = *next.track(set.tracks[t]);
        track.clips = std::move(clips[t]);
        putTrack(next, std::move(track));
    }
}

// What was recorded may have joins of its own, made by hand before the first fit; where a cut falls
// into one of them its halves are joined anew.
void mendCutJoins(Song& next, const MicSet& set, const JoinSettings& joins)
{
    std::vector<std::vector<Piece>> tracks;
    bool isWhole = true;
    for (const TrackId id : set.tracks) {
        const auto track = next.track(id);
        isWhole = isWhole && isWellJoined(track->clips);
        tracks.push_back(takenApart(track->clips));
    }
    if (!isWhole) {
        putBack(next, set, tracks, joins);
    }
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
    putBack(next, set, tracks, joins);
    return static_cast<int>(kept.size());
}

}  // namespace

namespace {

Result<void> refuseLocked(const Song& song, const MicSet& set)
{
    for (const TrackId track : set.tracks) {
        if (song.track(track)->isLocked) {
            return badArgument(
                fmt::format("the track {} is locked; unlock it first", song.track(track)->name)
            );
        }
    }
    return {};
}

// Reads what a set's tracks play with these clips, which must outlive it.
RecordedReader readerOf(const std::vector<std::vector<Clip>>& recorded, const Sources& sources)
{
    return
        [&recorded, &sources](int microphone, Frames from, std::span<float> into) -> Result<void> {
            const auto& clips = recorded[static_cast<std::size_t>(microphone)];
            if (clips.size() == 1 && !clips.front().isReversed) {
                return sources.read(clips.front().sound, from - clips.front().offset(), into);
            }
            AudioBuffer sound(1, Frames(static_cast<std::int64_t>(into.size())));
            auto rendered = renderClips(clips, sources, from, sound);
            std::ranges::copy(sound.channel(0), into.begin());
            return rendered;
        };
}

// The hits of a set, each moved with its bar; a bar that begins with none is held by its line.
std::vector<Anchor> barAnchors(const Song& song, const MicSet& set, const TempoMap& steady)
{
    constexpr double kAhead = 0.2;    // of a beat: what is this little before a line belongs to it
    constexpr Seconds kGuard(0.025);  // before a line: players and drafts are not to the sample
    const TempoMap& map = song.tempo;
    const auto moveOf = [&](int bar) {
        return toFrames(steady.timeAt(steady.startOfBar(bar)), song.rate) -
               toFrames(map.timeAt(map.startOfBar(bar)), song.rate);
    };
    std::vector<Anchor> anchors;
    std::set<int> held;
    for (const PlayedHit& hit : hitsOf(song, set).hits) {
        const Beats place = map.beatsAt(toSeconds(hit.beatPoint, song.rate));
        const Beats ahead = map.meterOfBar(map.barAt(place)).beatLength() * kAhead;
        const int bar = map.barAt(place + ahead);
        anchors.push_back({hit.start, moveOf(bar)});
        if ((place - map.startOfBar(bar)) < ahead) {
            held.insert(bar);
        }
    }
    const int first = map.barAt(map.beatsAt(Seconds(0.0)));
    const int last = map.barAt(map.beatsAt(toSeconds(song.length(), song.rate)));
    for (int bar = first; bar <= last; ++bar) {
        const Frames line = toFrames(map.timeAt(map.startOfBar(bar)) - kGuard, song.rate);
        if (!held.contains(bar) && line > Frames(0)) {
            anchors.push_back({line, moveOf(bar)});
        }
    }
    std::ranges::stable_sort(anchors, {}, &Anchor::start);
    return anchors;
}

// The hits and bar lines of a set, each moved to where the steady tempo has its place in the song.
std::vector<Anchor> evenAnchors(const Song& song, const MicSet& set, const TempoMap& steady)
{
    const TempoMap& map = song.tempo;
    const auto moveOf = [&](Frames at) {
        return toFrames(steady.timeAt(map.beatsAt(toSeconds(at, song.rate))), song.rate) - at;
    };
    std::vector<Anchor> anchors;
    for (const PlayedHit& hit : hitsOf(song, set).hits) {
        anchors.push_back({hit.start, moveOf(hit.start)});
    }
    const int first = map.barAt(map.beatsAt(Seconds(0.0)));
    const int last = map.barAt(map.beatsAt(toSeconds(song.length(), song.rate)));
    constexpr Seconds kOwn(0.03);  // a hit so near a line stands for it
    for (int bar = first; bar <= last; ++bar) {
        const Frames line = toFrames(map.timeAt(map.startOfBar(bar)), song.rate);
        const bool isHit = std::ranges::any_of(anchors, [&](const Anchor& anchor) {
            return std::abs((anchor.start - line).count()) < toFrames(kOwn, song.rate).count();
        });
        if (line > Frames(0) && !isHit) {
            anchors.push_back({line, moveOf(line)});
        }
    }
    std::ranges::stable_sort(anchors, {}, &Anchor::start);
    return anchors;
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
    auto joins = planJoins(
        anchors,
        next.rate,
        request.joins,
        static_cast<int>(set.tracks.size()),
        readerOf(recorded, sources),
        work
    );
    if (!joins) {
        return tl::unexpected(joins.error());
    }
    if (set.recipe && set.recipe->way.method == FitMethod::Cut) {
        keepJoins(next, set, *joins);
    }
    for (std::size_t t = 0; t < set.tracks.size(); ++t) {
        Track track = *next.track(set.tracks[t]);
        track.clips = fittedClips(next, recorded[t], *joins, request.joins.shape, ids);
        putTrack(next, std::move(track));
    }
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
    for (std::size_t t = 0; t < set.tracks.size(); ++t) {
        Track track = *next.track(set.tracks[t]);
        track.clips = std::move((*clips)[t]);
        putTrack(next, std::move(track));
    }
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
        return badArgument("there are no hits to fit; choose leads and find their hits first");
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

Result<Song> makeSteady(
    const Song& song,
    double bpm,
    const JoinSettings& joins,
    const Sources& sources,
    const Work& work,
    FitWay way
)
{
    if (auto valid = validate(joins); !valid) {
        return tl::unexpected(valid.error());
    }
    auto steady =
        TempoMap::create(song.tempo.firstDownbeat(), {{Beats(0.0), bpm}}, song.tempo.meters());
    if (!steady) {
        return tl::unexpected(steady.error());
    }
    if (song.tempo.tempi().size() == 1 && song.tempo.bpmAt(Beats(0.0)) == bpm) {
        return badArgument(fmt::format("the song is at a steady {:g} bpm already", bpm));
    }
    Song next = song;
    NewIds ids(next.lastId);
    for (std::size_t s = 0; s < song.sets.size(); ++s) {
        const MicSet& set = song.sets[s];
        if (auto free = refuseLocked(song, set); !free) {
            return tl::unexpected(free.error());
        }
        const auto recorded = recordedClips(song, set);
        if (way.method == FitMethod::Stretch) {
            FitRequest request;
            request.way = way;
            if (auto made = stretchTracks(
                    next, set, recorded, evenAnchors(song, set, *steady), request, ids
                );
                !made) {
                return tl::unexpected(made.error());
            }
            next.sets[s].recipe = nullptr;
            next.sets[s].variants.clear();
            continue;
        }
        const auto count = static_cast<double>(song.sets.size());
        const auto planned = planJoins(
            barAnchors(song, set, *steady),
            song.rate,
            joins,
            static_cast<int>(set.tracks.size()),
            readerOf(recorded, sources),
            work.part(static_cast<double>(s) / count, static_cast<double>(s + 1) / count)
        );
        if (!planned) {
            return tl::unexpected(planned.error());
        }
        for (std::size_t t = 0; t < set.tracks.size(); ++t) {
            Track track = *song.track(set.tracks[t]);
            track.clips = fittedClips(song, recorded[t], *planned, joins.shape, ids);
            putTrack(next, std::move(track));
        }
        mendCutJoins(next, set, joins);
        next.sets[s].recipe = nullptr;
        next.sets[s].variants.clear();
    }
    next.tempo = std::move(*steady);
    return next;
}

Result<Song> undoFit(const Song& song, SetId id)
{
    const MicSet* set = song.set(id);
    if (set == nullptr || !set->recipe) {
        return badArgument("this mic set has not been fitted");
    }
    Song next = song;
    auto recorded = set->recipe->recorded;
    renewRepeatedIds(next, set->tracks, recorded);
    for (std::size_t t = 0; t < set->tracks.size(); ++t) {
        Track track = *song.track(set->tracks[t]);
        track.clips = std::move(recorded[t]);
        putTrack(next, std::move(track));
    }
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
        sentence += fmt::format(", {} hits passed over", outcome.kept);
    }
    if (outcome.byHand > 0) {
        sentence += fmt::format(", {} clips kept as changed by hand", outcome.byHand);
    }
    return sentence;
}

}  // namespace orthochron
