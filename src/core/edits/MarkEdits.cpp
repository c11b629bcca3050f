#include "core/edits/MarkEdits.h"

#include <fmt/format.h>

#include "core/onset/LeadHits.h"
#include "core/render/Sources.h"

#include <algorithm>
#include <cstdlib>
#include <map>
#include <set>

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

Result<Song> setDetection(const Song& song, TrackId id, const OnsetSettings& settings)
{
    const auto track = song.track(id);
    if (!track) {
        return badArgument("the track is not in the song");
    }
    if (settings.band && !(settings.band->low.count() < settings.band->high.count())) {
        return badArgument("a band must go from a lower to a higher frequency");
    }
    Song next = song;
    Track changed = *track;
    changed.detection = settings;
    putTrack(next, std::move(changed));
    return next;
}

Result<SetAnalysis> analyseSet(const Song& song, SetId id, const Sources& sources, const Work& work)
{
    const MicSet* set = song.set(id);
    if (set == nullptr) {
        return badArgument("the mic set is not in the song");
    }
    std::vector<TrackId> tracks;
    std::vector<HeardMicrophone> microphones;
    for (const TrackId track : set->tracks) {
        if (const auto take = recordedTake(song, track)) {
            const auto whole = song.track(track);
            tracks.push_back(track);
            microphones.push_back(
                {sources.channel(take->take, take->channel),
                 take->offset,
                 song.isLead(*whole) ? std::optional(whole->detection) : std::nullopt}
            );
        }
    }
    if (std::ranges::none_of(microphones, [](const HeardMicrophone& m) {
            return m.lead.has_value();
        })) {
        return badArgument("select at least one lead first: the microphone closest to a drum");
    }
    auto found = analyseMicrophones(microphones, song.rate, work);
    if (!found) {
        return tl::unexpected(found.error());
    }
    SetAnalysis analyses;
    for (std::size_t i = 0; i < tracks.size(); ++i) {
        if (microphones[i].lead) {
            analyses.emplace(tracks[i], std::move((*found)[i]));
        }
    }
    return analyses;
}

std::size_t countMarks(const LeadAnalysis& analysis, Hertz rate, const OnsetSettings& settings)
{
    const auto picked = pickOnsets(analysis.candidates, rate, settings);
    return picked ? picked->size() : 0;
}

namespace {

// Places in order, and what lies near them.
bool isNear(const std::vector<Frames>& places, Frames at, Frames within)
{
    const auto next = std::ranges::lower_bound(places, at);
    return (next != places.end() && *next - at < within) ||
           (next != places.begin() && at - *std::prev(next) < within);
}

void mergeMarks(Song& song, Track& track, const std::vector<Onset>& onsets, Frames gap)
{
    std::vector<Mark> marks;
    std::vector<Frames> byHand;
    std::vector<Frames> off;
    // Between a flam's grace stroke and its main stroke there is no other hit: how far what was marked by hand up to
    // each one reaches.
    std::vector<Frames> reaches;
    for (const Mark& mark : track.marks) {
        if (mark.byHand) {
            marks.push_back(mark);
            byHand.push_back(mark.at);
            const Frames reach = mark.beatPoint + gap;
            reaches.push_back(reaches.empty() ? reach : std::max(reaches.back(), reach));
        } else if (!mark.isOn) {
            off.push_back(mark.at);
        }
    }
    const auto isInside = [&](Frames at) {
        const auto before = std::ranges::lower_bound(byHand, at) - byHand.begin();
        return before > 0 && at < reaches[static_cast<std::size_t>(before - 1)];
    };
    std::vector<Frames> noHits = track.noHits;
    std::ranges::sort(noHits);
    for (const Onset& onset : onsets) {
        if (isNear(noHits, onset.at, std::max(gap, Frames(1))) || isNear(byHand, onset.at, gap) ||
            isInside(onset.at)) {
            continue;
        }
        Mark mark;
        mark.id = MarkId{++song.lastId};
        mark.at = onset.at;
        mark.beatPoint = onset.at;
        mark.strength = onset.strength;
        mark.confidence = onset.confidence;
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
        if (analysed == analysis.end() || !song.isLead(*song.track(track))) {
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

Result<Song> placeMarksAt(const Song& song, TrackId id, const std::vector<Frames>& takeTimes)
{
    const auto track = song.track(id);
    if (!track || takeTimes.empty()) {
        return badArgument(track ? "there is nothing to mark" : "the track is not in the song");
    }
    std::vector<Onset> onsets;
    for (const Frames at : takeTimes) {
        onsets.push_back({.at = at, .strength = 1.0, .confidence = 1.0});
    }
    Song next = song;
    Track changed = *track;
    changed.isLead = true;
    mergeMarks(next, changed, onsets, toFrames(changed.detection.minGap, song.rate));
    putTrack(next, std::move(changed));
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
        return badArgument(fmt::format("this is outside the take {}", take->name));
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
        return badArgument("there is already a mark at this sample");
    }
    Mark mark;
    mark.id = MarkId{++next.lastId};
    mark.at = takeTime;
    mark.beatPoint = takeTime;
    mark.byHand = true;
    changed.marks.push_back(mark);
    std::ranges::sort(changed.marks, {}, &Mark::at);
    std::erase(changed.noHits, takeTime);
    putTrack(next, std::move(changed));
    return next;
}

Result<Song> moveMark(const Song& song, TrackId id, MarkId mark, Frames takeTime)
{
    if (auto inside = checkWithinTake(song, id, takeTime); !inside) {
        return tl::unexpected(inside.error());
    }
    return changeMark(song, id, mark, [&](Mark& changed) {
        // The beat point moves along, as far as there is a take.
        changed.beatPoint = std::max(Frames(0), changed.beatPoint + (takeTime - changed.at));
        changed.at = takeTime;
        changed.byHand = true;
        changed.confidence = 1.0;
    });
}

Result<Song> deleteMarks(const Song& song, TrackId id, const std::vector<MarkId>& marks)
{
    const auto track = song.track(id);
    if (!track) {
        return badArgument("the track is not in the song");
    }
    Track changed = *track;
    const std::set<MarkId> named(marks.begin(), marks.end());
    const auto isGone = [&](const Mark& mark) { return named.contains(mark.id); };
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
    return changeMark(song, id, mark, [](Mark& changed) {
        changed.byHand = true;
        changed.confidence = 1.0;
    });
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

Result<Song> setMarksWanted(const Song& song, std::span<const WantedPlace> places)
{
    std::map<TrackId, std::map<MarkId, std::optional<Seconds>>> wanted;
    for (const WantedPlace& place : places) {
        if (place.deviation && !(std::abs(place.deviation->count()) <= 1.0)) {
            return badArgument("a hit can be at most one second from its line");
        }
        wanted[place.track][place.mark] = place.deviation;
    }
    Song next = song;
    for (const auto& [id, marks] : wanted) {
        const auto track = song.track(id);
        if (!track) {
            return badArgument("the track is not in the song");
        }
        Track changed = *track;
        std::size_t found = 0;
        for (Mark& mark : changed.marks) {
            if (const auto asked = marks.find(mark.id); asked != marks.end()) {
                mark.wanted = asked->second;
                ++found;
            }
        }
        if (found < marks.size()) {
            return badArgument("the mark is not on the track");
        }
        putTrack(next, std::move(changed));
    }
    return next;
}

namespace {

constexpr Seconds kShortestFlam = milliseconds(12.0);
constexpr Seconds kLongestFlam = milliseconds(50.0);
constexpr double kGraceLevel = 0.7;  // of the main stroke's strength: a grace stroke is softer
constexpr Seconds kSwell = milliseconds(150.0);

// Makes one hit of each grace stroke and the main stroke after it.
int joinFlams(Track& track, Hertz rate)
{
    std::vector<Mark> marks;
    int found = 0;
    for (const Mark& mark : track.marks) {
        if (!marks.empty() && mark.isOn && !mark.byHand) {
            Mark& grace = marks.back();
            const Seconds apart = toSeconds(mark.at - grace.at, rate);
            const bool isFlam = grace.isOn && !grace.byHand && grace.beatPoint == grace.at &&
                                apart >= kShortestFlam && apart <= kLongestFlam &&
                                grace.strength < kGraceLevel * mark.strength;
            if (isFlam) {
                grace.beatPoint = mark.at;
                grace.strength = mark.strength;
                grace.byHand = true;
                ++found;
                continue;
            }
        }
        marks.push_back(mark);
    }
    track.marks = std::move(marks);
    return found;
}

// Where the level grows fastest in the next moments.
Result<Frames> swellOf(const TrackTake& take, Frames start, Hertz rate, const Sources& sources)
{
    std::vector<float> sound(static_cast<std::size_t>(toFrames(kSwell, rate).count()));
    if (auto read = sources.read(take.take, take.channel, start, sound); !read) {
        return tl::unexpected(read.error());
    }
    const auto window = static_cast<std::size_t>(toFrames(milliseconds(10.0), rate).count());
    Frames best = start;
    double most = 0.0;
    double before = 0.0;
    for (std::size_t from = 0; from + window <= sound.size(); from += window / 2) {
        double squares = 0.0;
        for (std::size_t i = from; i < from + window; ++i) {
            squares += static_cast<double>(sound[i]) * static_cast<double>(sound[i]);
        }
        const double level = std::sqrt(squares / static_cast<double>(window));
        if (from > 0 && level - before > most) {
            most = level - before;
            best = start + Frames(static_cast<std::int64_t>(from + window / 4));
        }
        before = level;
    }
    return best;
}

}  // namespace

Result<Song> findBeatPoints(const Song& song, SetId id, const Sources& sources)
{
    const MicSet* set = song.set(id);
    if (set == nullptr) {
        return badArgument("the mic set is not in the song");
    }
    Song next = song;
    int found = 0;
    for (const TrackId trackId : set->tracks) {
        Track track = *song.track(trackId);
        const auto take = recordedTake(song, trackId);
        if (!song.isLead(track) || !take) {
            continue;
        }
        found += joinFlams(track, song.rate);
        for (Mark& mark : track.marks) {
            if (track.detection.way != OnsetWay::Weak || mark.byHand) {
                continue;
            }
            const auto swell = swellOf(*take, mark.at, song.rate, sources);
            if (!swell) {
                return tl::unexpected(swell.error());
            }
            found += *swell != mark.beatPoint ? 1 : 0;
            mark.beatPoint = *swell;
        }
        putTrack(next, std::move(track));
    }
    if (found == 0) {
        return badArgument("no flam or slow attack found; beat points are the starts of hits");
    }
    return next;
}

Result<std::vector<SetArrival>>
arrivalsOf(const Song& song, SetId id, const Sources& sources, const Work& work)
{
    const MicSet* set = song.set(id);
    if (set == nullptr) {
        return badArgument("the mic set is not in the song");
    }
    std::vector<TrackTake> takes;
    for (const TrackId track : set->tracks) {
        takes.push_back(recordedTake(song, track).value_or(TrackTake{}));
    }
    std::vector<SetArrival> all;
    for (std::size_t lead = 0; lead < set->tracks.size() && !work.stopped(); ++lead) {
        const auto track = song.track(set->tracks[lead]);
        if (!song.isLead(*track)) {
            continue;
        }
        std::vector<Frames> starts;
        for (const Mark& mark : track->marks) {
            if (mark.isOn && mark.strength > 0.3) {
                starts.push_back(mark.at + takes[lead].offset);
            }
        }
        const auto arrivals = measureArrivals(
            starts,
            static_cast<int>(lead),
            static_cast<int>(takes.size()),
            song.rate,
            [&](int microphone, Frames from, std::span<float> into) {
                const TrackTake& take = takes[static_cast<std::size_t>(microphone)];
                return sources.read(take.take, take.channel, from - take.offset, into);
            }
        );
        if (!arrivals) {
            return tl::unexpected(arrivals.error());
        }
        for (std::size_t m = 0; m < arrivals->size(); ++m) {
            all.push_back({track->id, set->tracks[m], (*arrivals)[m]});
        }
    }
    return all;
}

std::vector<TrackId> proposedLeads(const std::vector<SetArrival>& arrivals)
{
    constexpr double kSure = 0.35;
    constexpr Seconds kEarlier = milliseconds(-0.15);
    std::vector<TrackId> proposed;
    bool isOther = false;
    for (const SetArrival& own : arrivals) {
        if (own.lead != own.track) {
            continue;
        }
        TrackId best = own.lead;
        Seconds earliest = kEarlier;
        for (const SetArrival& each : arrivals) {
            if (each.lead == own.lead && each.arrival.likeness >= kSure &&
                each.arrival.after < earliest) {
                earliest = each.arrival.after;
                best = each.track;
            }
        }
        isOther = isOther || best != own.lead;
        if (std::ranges::find(proposed, best) == proposed.end()) {
            proposed.push_back(best);
        }
    }
    return isOther ? proposed : std::vector<TrackId>{};
}

}  // namespace orthochron
