#include "core/audit/SongAudit.h"

#include "core/edits/FitEdits.h"
#include "core/edits/MarkEdits.h"
#include "core/render/Render.h"

#include <algorithm>
#include <cmath>

namespace orthochron {

EditMap editMapOf(const Song& song, const MicSet& set)
{
    EditMap map;
    map.rate = song.rate;
    const auto track = song.track(set.tracks.front());
    const auto take = recordedTake(song, set.tracks.front());
    if (!track || !take || track->clips.empty()) {
        return map;
    }
    const auto& clips = track->clips;
    const Frames recorded = take->offset;
    const auto joins = joinsOf(song, set);
    auto join = joins.begin();
    for (std::size_t i = 0; i < clips.size(); ++i) {
        const Clip& clip = clips[i];
        if (join != joins.end() && join->index == i) {
            map.joins.push_back({join->at, join->length, map.pieces.size() - 1});
            ++join;
        } else if (i > 0 && clips[i - 1].end() >= clip.at) {
            map.pieces.back().to = clip.end();  // goes on as before
            continue;
        }
        map.pieces.push_back(
            {clip.at,
             clip.end(),
             clip.offset() - recorded,
             static_cast<double>(clip.gain),
             !clip.isMuted && !clip.isReversed}
        );
    }
    map.length = clips.back().end();
    for (const PlayedHit& hit : hitsOf(song, set).hits) {
        if (const auto heard = map.heardAt(hit.start)) {
            map.hits.push_back({hit.start, *heard - hit.start});
        }
    }
    return map;
}

namespace {

struct SetSound {
    std::vector<std::shared_ptr<const Track>> tracks;
    std::vector<std::vector<Clip>> recorded;
};

SetSound soundOf(const Song& song, const MicSet& set)
{
    SetSound sound;
    for (const TrackId id : set.tracks) {
        sound.tracks.push_back(song.track(id));
    }
    sound.recorded = recordedClips(song, set);
    return sound;
}

MicrophoneReader
readerOf(std::function<std::span<const Clip>(std::size_t)> clips, const Sources& sources)
{
    return [clips = std::move(clips),
            &sources](int microphone, Frames from, std::span<float> into) -> Result<void> {
        AudioBuffer sound(1, Frames(static_cast<std::int64_t>(into.size())));
        auto rendered =
            renderClips(clips(static_cast<std::size_t>(microphone)), sources, from, sound);
        std::ranges::copy(sound.channel(0), into.begin());
        return rendered;
    };
}

AuditInput inputOf(const EditMap& map, const SetSound& sound, const Sources& sources)
{
    return {
        map,
        static_cast<int>(sound.tracks.size()),
        readerOf(
            [&sound](std::size_t m) -> std::span<const Clip> { return sound.tracks[m]->clips; },
            sources
        ),
        readerOf(
            [&sound](std::size_t m) -> std::span<const Clip> { return sound.recorded[m]; }, sources
        ),
    };
}

Result<const MicSet*> known(const Song& song, SetId id)
{
    const MicSet* set = song.set(id);
    if (set == nullptr || set->tracks.empty()) {
        return badArgument("the mic set is not in the song");
    }
    return set;
}

}  // namespace

Result<std::vector<Finding>>
auditSet(const Song& song, SetId id, const Sources& sources, const Work& work)
{
    const auto set = known(song, id);
    if (!set) {
        return tl::unexpected(set.error());
    }
    const EditMap map = editMapOf(song, **set);
    const SetSound sound = soundOf(song, **set);
    return checkJoins(inputOf(map, sound, sources), work);
}

Result<std::vector<Finding>>
auditJoin(const Song& song, SetId id, std::size_t join, const Sources& sources)
{
    const auto set = known(song, id);
    if (!set) {
        return tl::unexpected(set.error());
    }
    const EditMap map = editMapOf(song, **set);
    if (join >= map.joins.size()) {
        return badArgument("there is no such join");
    }
    const SetSound sound = soundOf(song, **set);
    return checkJoin(inputOf(map, sound, sources), join);
}

bool isAccepted(const Song& song, const Finding& finding)
{
    const std::string kind(wordOf(finding.kind));
    return std::ranges::any_of(song.accepted, [&](const AcceptedFinding& accepted) {
        const double apart = std::abs(toSeconds(accepted.at - finding.at, song.rate).count());
        return accepted.kind == kind && apart < 0.005;
    });
}

Song acceptFinding(const Song& song, const Finding& finding)
{
    Song next = song;
    if (!isAccepted(song, finding)) {
        next.accepted.push_back({std::string(wordOf(finding.kind)), finding.at});
    }
    return next;
}

namespace {

// How bad a join is: what is found counts most, then how unlike its sides are.
double badness(const Song& song, SetId set, std::size_t join, const Sources& sources)
{
    const auto findings = auditJoin(song, set, join, sources);
    if (!findings) {
        return 1e9;
    }
    double bad = 0.0;
    for (const Finding& finding : *findings) {
        switch (finding.kind) {
        case FindingKind::Click: bad += 40.0 + (finding.value + 60.0) / 2.0; break;
        case FindingKind::Dip: bad += 10.0 - finding.value; break;
        case FindingKind::CutInAttack: bad += 60.0 + finding.value; break;
        default: bad += 100.0; break;
        }
    }
    const auto joins = joinsOf(song, *song.set(set));
    for (const float alike : joins[join].correlation) {
        bad += 0.5 * (1.0 - static_cast<double>(alike)) /
               static_cast<double>(joins[join].correlation.size());
    }
    return bad;
}

}  // namespace

Result<Song> mendJoin(const Song& song, SetId id, std::size_t index, const Sources& sources)
{
    const auto set = known(song, id);
    if (!set) {
        return tl::unexpected(set.error());
    }
    const auto joins = joinsOf(song, **set);
    if (index >= joins.size()) {
        return badArgument("there is no such join");
    }
    const SetJoin& join = joins[index];
    std::optional<Song> best;
    double least = badness(song, id, index, sources);
    const Frames usual = toFrames(milliseconds(5.0), song.rate);
    for (const double lengthMs : {0.0, 3.0, 5.0, 10.0, 20.0}) {
        const Frames length = lengthMs > 0.0 ? toFrames(milliseconds(lengthMs), song.rate)
                                             : std::max(join.length, usual);
        for (const double shiftMs : {0.0, -2.0, 2.0, -5.0, 5.0, -10.0, 10.0, -20.0, -35.0, -60.0}) {
            for (const FadeShape shape : {FadeShape::Matched, FadeShape::EqualPower}) {
                const Frames shift = toFrames(milliseconds(shiftMs), song.rate);
                const JoinChange change{length, shape, join.at + join.length - length + shift};
                auto tried = changeJoin(song, id, join.index, change, sources);
                if (!tried) {
                    return tried;
                }
                if (const double bad = badness(*tried, id, index, sources); bad < least - 0.05) {
                    least = bad;
                    best = std::move(*tried);
                }
            }
        }
    }
    if (!best) {
        return badArgument("no other place, length or shape measures better; listen to it, then "
                           "accept it or leave it");
    }
    return *best;
}

}  // namespace orthochron
