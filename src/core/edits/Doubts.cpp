#include "core/edits/Doubts.h"

#include <algorithm>
#include <cstdlib>
#include <map>

namespace orthochron {

namespace {

constexpr double kWorthAsking = 0.1;

// How likely what stands there now is wrong.
double wrongness(const DoubtfulHit& doubt)
{
    return doubt.isMissing() ? doubt.confidence : 1.0 - doubt.confidence;
}

bool isNear(Frames a, Frames b, Frames within)
{
    return std::abs((a - b).count()) < std::max(within, Frames(1)).count();
}

void explain(DoubtfulHit& doubt, const OnsetCandidate& candidate)
{
    doubt.why = doubtOf(candidate);
    doubt.rise = candidate.riseDecibels;
    doubt.since = candidate.sinceBlow;
    doubt.owed = candidate.owedDecibels;
    doubt.overBleed = candidate.overBleedDecibels;
    doubt.isKnown = true;
}

DoubtfulHit doubtAbout(const Mark& mark, TrackId track)
{
    return {
        .track = track,
        .mark = mark.id,
        .at = mark.at,
        .confidence = mark.confidence,
        .strength = mark.strength};
}

// The lead whose own surest attack falls together with it.
TrackId hitTogether(const SetAnalysis& analysis, TrackId track, Frames at, Hertz rate)
{
    const Frames within = toFrames(milliseconds(8.0), rate);
    TrackId lead;
    double surest = kSureOfHit;
    for (const auto& [other, heard] : analysis) {
        if (other == track) {
            continue;
        }
        const auto first = std::ranges::lower_bound(
            heard.candidates, at - within, {}, [](const OnsetCandidate& c) { return c.onset.at; }
        );
        for (auto it = first; it != heard.candidates.end() && it->onset.at <= at + within; ++it) {
            if (it->onset.confidence > surest) {
                surest = it->onset.confidence;
                lead = other;
            }
        }
    }
    return lead;
}

std::vector<DoubtfulHit> doubtsOf(const Song& song, const Track& track, const SetAnalysis* analysis)
{
    const Frames gap = toFrames(track.detection.minGap, song.rate);
    std::vector<DoubtfulHit> doubts;
    for (const Mark& mark : track.marks) {
        if (!mark.byHand && mark.isOn && mark.confidence < kSureOfHit) {
            doubts.push_back(doubtAbout(mark, track.id));
        }
    }
    const auto heard =
        analysis == nullptr ? SetAnalysis::const_iterator() : analysis->find(track.id);
    if (analysis == nullptr || heard == analysis->end()) {
        return doubts;
    }
    const auto& candidates = heard->second.candidates;
    for (DoubtfulHit& doubt : doubts) {
        const auto found =
            std::ranges::lower_bound(candidates, doubt.at, {}, [](const OnsetCandidate& c) {
                return c.onset.at;
            });
        if (found != candidates.end() && found->onset.at == doubt.at) {
            explain(doubt, *found);
        }
    }
    std::vector<Onset> marked;
    for (const Mark& mark : track.marks) {
        marked.push_back({mark.at, mark.strength});
    }
    for (const OnsetCandidate& candidate :
         leftOut(candidates, marked, song.rate, track.detection, kWorthAsking)) {
        const bool isDecided = std::ranges::any_of(track.noHits, [&](Frames at) {
            return isNear(at, candidate.onset.at, gap);
        });
        if (!isDecided) {
            DoubtfulHit doubt{
                .track = track.id,
                .mark = {},
                .at = candidate.onset.at,
                .confidence = candidate.onset.confidence,
                .strength = candidate.onset.strength};
            explain(doubt, candidate);
            doubts.push_back(doubt);
        }
    }
    for (DoubtfulHit& doubt : doubts) {
        if (doubt.why == Doubt::Bleed) {
            doubt.against = hitTogether(*analysis, track.id, doubt.at, song.rate);
        }
    }
    return doubts;
}

// Changes each of the tracks that doubts are on, once.
template<class Change>
Result<Song> decide(const Song& song, std::span<const DoubtfulHit> doubts, const Change& change)
{
    Song next = song;
    std::map<TrackId, Track> changed;
    for (const DoubtfulHit& doubt : doubts) {
        const auto track = song.track(doubt.track);
        if (!track) {
            return badArgument("the track is not in the song");
        }
        Track& whole = changed.try_emplace(doubt.track, *track).first->second;
        const auto mark = std::ranges::find(whole.marks, doubt.mark, &Mark::id);
        if (!doubt.isMissing() && mark == whole.marks.end()) {
            return badArgument("the mark is not on the track");
        }
        change(next, whole, doubt, mark);
    }
    for (auto& [id, track] : changed) {
        std::ranges::sort(track.marks, {}, &Mark::at);
        std::ranges::sort(track.noHits);
        putTrack(next, std::move(track));
    }
    return next;
}

}  // namespace

bool isOneKind(const DoubtfulHit& a, const DoubtfulHit& b)
{
    return a.track == b.track && a.isMissing() == b.isMissing() && a.isKnown == b.isKnown &&
           a.why == b.why && a.against == b.against;
}

std::vector<DoubtfulHit> doubtfulHits(const Song& song, SetId id, const SetAnalysis* analysis)
{
    std::vector<DoubtfulHit> all;
    const MicSet* set = song.set(id);
    if (set == nullptr) {
        return all;
    }
    for (const TrackId track : set->tracks) {
        if (song.isLead(*song.track(track))) {
            const auto doubts = doubtsOf(song, *song.track(track), analysis);
            all.insert(all.end(), doubts.begin(), doubts.end());
        }
    }
    std::ranges::stable_sort(all, std::greater{}, wrongness);
    return all;
}

Result<Song> keepHits(const Song& song, std::span<const DoubtfulHit> doubts)
{
    return decide(song, doubts, [](Song& next, Track& track, const DoubtfulHit& doubt, auto mark) {
        if (!doubt.isMissing()) {
            mark->byHand = true;
            mark->confidence = 1.0;
            return;
        }
        Mark added;
        added.id = MarkId{++next.lastId};
        added.at = doubt.at;
        added.beatPoint = doubt.at;
        added.strength = doubt.strength;
        added.byHand = true;
        track.marks.push_back(added);
    });
}

Result<Song> dismissHits(const Song& song, std::span<const DoubtfulHit> doubts)
{
    return decide(song, doubts, [](Song&, Track& track, const DoubtfulHit& doubt, auto mark) {
        track.noHits.push_back(doubt.at);
        if (!doubt.isMissing()) {
            track.marks.erase(mark);
        }
    });
}

}  // namespace orthochron
