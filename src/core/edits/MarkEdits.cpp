#include "core/edits/MarkEdits.h"

#include <fmt/format.h>
#include <oneapi/tbb/parallel_for.h>

#include "core/onset/LeadHits.h"

#include <algorithm>
#include <cstdlib>

namespace orthochron {

Result<Song> setLead(const Song& song, TrackId id, bool isLead)
{
    const auto track = song.track(id);
    if (!track) {
        return badArgument("the track is not in the song");
    }
    Song next = song;
    Track changed = *track;
    changed.isLead = isLead;
    putTrack(next, std::move(changed));
    return next;
}

std::optional<TrackTake> recordedTake(const Song& song, TrackId id)
{
    const auto track = song.track(id);
    if (!track) {
        return std::nullopt;
    }
    std::span<const Clip> clips = track->clips;
    if (const MicSet* set = song.setOf(id); set != nullptr && set->recipe) {
        const auto place = std::ranges::find(set->tracks, id) - set->tracks.begin();
        if (static_cast<std::size_t>(place) < set->recipe->recorded.size()) {
            clips = set->recipe->recorded[static_cast<std::size_t>(place)];
        }
    }
    if (clips.empty()) {
        return std::nullopt;
    }
    const Clip& first = clips.front();
    return TrackTake{first.take, std::max(first.channel, 0), first.offset()};
}

namespace {

struct HeardTrack {
    TrackId track;
    TrackTake take;
    bool isLead = false;
    BandEnvelope envelope;
    OnsetAnalysis analysis;
};

Result<std::vector<float>> readTake(const Sources& sources, const TrackTake& take)
{
    std::vector<float> samples(static_cast<std::size_t>(sources.frames(take.take).count()));
    if (auto read = sources.read(take.take, take.channel, Frames(0), samples); !read) {
        return tl::unexpected(read.error());
    }
    return samples;
}

Result<void>
analyseTrack(HeardTrack& heard, const Song& song, const Sources& sources, const Work& work)
{
    auto samples = readTake(sources, heard.take);
    if (!samples) {
        return tl::unexpected(samples.error());
    }
    if (!heard.isLead) {
        heard.envelope = bandEnvelopeOf(*samples, song.rate);
        return {};
    }
    auto analysis = analyseOnsets(*samples, song.rate, work);
    if (!analysis) {
        return tl::unexpected(analysis.error());
    }
    heard.analysis = std::move(*analysis);
    return {};
}

}  // namespace

Result<SetAnalysis> analyseSet(const Song& song, SetId id, const Sources& sources, const Work& work)
{
    const MicSet* set = song.set(id);
    if (set == nullptr) {
        return badArgument("the mic set is not in the song");
    }
    std::vector<HeardTrack> heard;
    for (const TrackId track : set->tracks) {
        if (const auto take = recordedTake(song, track)) {
            heard.push_back({track, *take, song.track(track)->isLead, {}, {}});
        }
    }
    if (std::ranges::none_of(heard, &HeardTrack::isLead)) {
        return badArgument(
            "choose at least one lead first: the microphone that hears a drum before the others"
        );
    }
    std::vector<Result<void>> outcomes(heard.size());
    tbb::parallel_for(std::size_t{0}, heard.size(), [&](std::size_t i) {
        if (!work.stopped()) {
            outcomes[i] = analyseTrack(heard[i], song, sources, {work.stop, {}});
        }
    });
    if (work.stopped()) {
        return cancelled();
    }
    for (const auto& outcome : outcomes) {
        if (!outcome) {
            return tl::unexpected(outcome.error());
        }
    }
    work.report(0.9);
    SetAnalysis analyses;
    // Each lead is judged by the levels as they were detected, so all are judged before any moves.
    std::vector<OnsetAnalysis> judged(heard.size());
    tbb::parallel_for(std::size_t{0}, heard.size(), [&](std::size_t i) {
        if (!heard[i].isLead) {
            return;
        }
        judged[i] = heard[i].analysis;
        std::vector<const BandEnvelope*> others;
        for (std::size_t k = 0; k < heard.size(); ++k) {
            if (k != i && heard[k].take.offset == heard[i].take.offset) {
                others.push_back(
                    heard[k].isLead ? &heard[k].analysis.envelope : &heard[k].envelope
                );
            }
        }
        attributeBleed(judged[i], others);
    });
    for (std::size_t i = 0; i < heard.size(); ++i) {
        if (heard[i].isLead) {
            analyses.emplace(heard[i].track, std::move(judged[i]));
        }
    }
    work.report(1.0);
    return analyses;
}

std::size_t countMarks(const OnsetAnalysis& analysis, Hertz rate, const OnsetSettings& settings)
{
    const auto picked = pickOnsets(analysis.candidates, rate, settings);
    return picked ? picked->size() : 0;
}

namespace {

void mergeMarks(Song& song, Track& track, const std::vector<Onset>& onsets, Frames gap)
{
    std::vector<Mark> marks;
    std::vector<Mark> off;
    for (const Mark& mark : track.marks) {
        if (mark.byHand) {
            marks.push_back(mark);
        } else if (!mark.isOn) {
            off.push_back(mark);
        }
    }
    const auto isNear = [](const std::vector<Mark>& all, Frames at, Frames within) {
        return std::ranges::any_of(all, [&](const Mark& mark) {
            return std::abs((mark.at - at).count()) < within.count();
        });
    };
    const std::vector<Mark> byHand = marks;
    for (const Onset& onset : onsets) {
        if (isNear(byHand, onset.at, gap)) {
            continue;
        }
        Mark mark;
        mark.id = MarkId{++song.lastId};
        mark.at = onset.at;
        mark.beatPoint = onset.at;
        mark.strength = onset.strength;
        mark.isOn = !isNear(off, onset.at, gap);
        marks.push_back(mark);
    }
    std::ranges::sort(marks, {}, &Mark::at);
    track.marks = std::move(marks);
}

}  // namespace

Result<Song> placeMarks(
    const Song& song,
    SetId id,
    const SetAnalysis& analysis,
    const std::map<TrackId, OnsetSettings>& settings
)
{
    const MicSet* set = song.set(id);
    if (set == nullptr) {
        return badArgument("the mic set is not in the song");
    }
    std::vector<TrackId> leads;
    std::vector<std::vector<Onset>> found;
    for (const TrackId track : set->tracks) {
        const auto analysed = analysis.find(track);
        if (analysed == analysis.end() || !song.track(track)->isLead) {
            continue;
        }
        const auto wanted = settings.find(track);
        auto onsets = pickOnsets(
            analysed->second.candidates,
            song.rate,
            wanted == settings.end() ? song.track(track)->detection : wanted->second
        );
        if (!onsets) {
            return tl::unexpected(onsets.error());
        }
        leads.push_back(track);
        found.push_back(std::move(*onsets));
    }
    std::vector<std::vector<Onset>> kept(leads.size());
    for (const LeadOnset& hit : mergeLeads(found, song.rate)) {
        kept[static_cast<std::size_t>(hit.lead)].push_back(hit.onset);
    }
    Song next = song;
    for (std::size_t i = 0; i < leads.size(); ++i) {
        Track track = *song.track(leads[i]);
        if (const auto wanted = settings.find(leads[i]); wanted != settings.end()) {
            track.detection = wanted->second;
        }
        mergeMarks(next, track, kept[i], toFrames(track.detection.minGap, song.rate));
        putTrack(next, std::move(track));
    }
    return next;
}

namespace {

// Changes one mark of a track and keeps the marks in order.
template<class Change>
Result<Song> changeMark(const Song& song, TrackId id, MarkId mark, const Change& change)
{
    const auto track = song.track(id);
    if (!track) {
        return badArgument("the track is not in the song");
    }
    Track changed = *track;
    const auto found = std::ranges::find(changed.marks, mark, &Mark::id);
    if (found == changed.marks.end()) {
        return badArgument("the mark is not on the track");
    }
    change(*found);
    std::ranges::stable_sort(changed.marks, {}, &Mark::at);
    Song next = song;
    putTrack(next, std::move(changed));
    return next;
}

Result<void> checkWithinTake(const Song& song, TrackId id, Frames takeTime)
{
    const auto recorded = recordedTake(song, id);
    const Take* take = recorded ? song.take(recorded->take) : nullptr;
    if (take == nullptr) {
        return badArgument("the track holds no take");
    }
    if (takeTime < Frames(0) || takeTime >= take->frames) {
        return badArgument(fmt::format("that lies outside the take {}", take->name));
    }
    return {};
}

}  // namespace

Result<Song> addMark(const Song& song, TrackId id, Frames takeTime)
{
    if (auto inside = checkWithinTake(song, id, takeTime); !inside) {
        return tl::unexpected(inside.error());
    }
    Song next = song;
    Track changed = *song.track(id);
    if (std::ranges::find(changed.marks, takeTime, &Mark::at) != changed.marks.end()) {
        return badArgument("there is a mark at this sample already");
    }
    Mark mark;
    mark.id = MarkId{++next.lastId};
    mark.at = takeTime;
    mark.beatPoint = takeTime;
    mark.byHand = true;
    changed.marks.push_back(mark);
    std::ranges::sort(changed.marks, {}, &Mark::at);
    putTrack(next, std::move(changed));
    return next;
}

Result<Song> moveMark(const Song& song, TrackId id, MarkId mark, Frames takeTime)
{
    if (auto inside = checkWithinTake(song, id, takeTime); !inside) {
        return tl::unexpected(inside.error());
    }
    return changeMark(song, id, mark, [&](Mark& changed) {
        changed.beatPoint += takeTime - changed.at;
        changed.at = takeTime;
        changed.byHand = true;
    });
}

Result<Song> deleteMarks(const Song& song, TrackId id, const std::vector<MarkId>& marks)
{
    const auto track = song.track(id);
    if (!track) {
        return badArgument("the track is not in the song");
    }
    Track changed = *track;
    const auto isGone = [&](const Mark& mark) {
        return std::ranges::find(marks, mark.id) != marks.end();
    };
    if (std::erase_if(changed.marks, isGone) == 0) {
        return badArgument("the mark is not on the track");
    }
    Song next = song;
    putTrack(next, std::move(changed));
    return next;
}

Result<Song> switchMark(const Song& song, TrackId id, MarkId mark, bool isOn)
{
    return changeMark(song, id, mark, [&](Mark& changed) { changed.isOn = isOn; });
}

Result<Song> confirmMark(const Song& song, TrackId id, MarkId mark)
{
    return changeMark(song, id, mark, [](Mark& changed) { changed.byHand = true; });
}

Result<Song> setBeatPoint(const Song& song, TrackId id, MarkId mark, Frames takeTime)
{
    if (auto inside = checkWithinTake(song, id, takeTime); !inside) {
        return tl::unexpected(inside.error());
    }
    return changeMark(song, id, mark, [&](Mark& changed) {
        changed.beatPoint = takeTime;
        changed.byHand = true;
    });
}

Result<Song>
setMarkLine(const Song& song, TrackId id, MarkId mark, std::optional<std::int64_t> line)
{
    return changeMark(song, id, mark, [&](Mark& changed) {
        changed.line = line;
        changed.byHand = changed.byHand || line.has_value();
    });
}

}  // namespace orthochron
