#include "core/edits/CutFit.h"

#include "core/edits/Pieces.h"
#include "core/render/Render.h"

#include <algorithm>

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

}  // namespace

Result<std::vector<PlannedJoin>> cutsBetween(
    const std::vector<std::vector<Clip>>& recorded,
    std::span<const Anchor> anchors,
    const JoinSettings& joins,
    const Sources& sources,
    Hertz rate,
    const Work& work
)
{
    const int microphones = static_cast<int>(recorded.size());
    return planJoins(anchors, rate, joins, microphones, readerOf(recorded, sources), work);
}

std::vector<std::vector<Clip>> cutClips(
    const Song& song,
    const std::vector<std::vector<Clip>>& recorded,
    std::span<const PlannedJoin> cuts,
    FadeShape shape,
    NewIds& ids
)
{
    std::vector<std::vector<Clip>> clips;
    clips.reserve(recorded.size());
    for (const auto& track : recorded) {
        clips.push_back(fittedClips(song, track, cuts, shape, ids));
    }
    return clips;
}

void mendCutJoins(Song& song, const MicSet& set, const JoinSettings& joins)
{
    std::vector<std::vector<Piece>> tracks;
    bool isWhole = true;
    for (const TrackId id : set.tracks) {
        const auto track = song.track(id);
        isWhole = isWhole && isWellJoined(track->clips);
        tracks.push_back(takenApart(track->clips));
    }
    if (!isWhole) {
        putClips(
            song, set.tracks, putTogether(song, std::move(tracks), handJoin(joins, song.rate))
        );
    }
}

}  // namespace orthochron
