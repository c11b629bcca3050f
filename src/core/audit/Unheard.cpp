#include "core/audit/Unheard.h"

#include <oneapi/tbb/parallel_for.h>

#include "core/edits/SetParts.h"
#include "core/onset/Microphones.h"
#include "core/render/Sources.h"

#include <algorithm>

namespace orthochron {

namespace {

constexpr Seconds kOneBlow = milliseconds(30.0);
constexpr Seconds kAtOnce{1800.0};  // of each: several are listened to at a time
constexpr double kClear = 0.12;     // -18 dB against the loud blows of its microphone

std::vector<Frames> markedTimes(const Song& song, const MicSet& set)
{
    std::vector<Frames> times;
    const auto recorded = recordedClips(song, set);
    for (std::size_t t = 0; t < set.tracks.size(); ++t) {
        const auto track = song.track(set.tracks[t]);
        if (song.isLead(*track)) {
            // One that was switched off was heard, and judged.
            for (const HeardMark& heard : marksHeard(*track, recorded[t], WhichMarks::EvenOff)) {
                times.push_back(heard.at);
            }
        }
    }
    std::ranges::sort(times);
    return times;
}

// The attacks of a microphone that is no lead, where its recorded clips play them.
Result<std::vector<UnheardHit>> attacksOf(
    const Song& song,
    Track track,
    const std::vector<Clip>& recorded,
    const Sources& sources,
    const Work& work
)
{
    const HeardMicrophone alone{
        sources.channel(track.markedTake, track.markedChannel), Frames(0), OnsetSettings{}};
    const auto found =
        analyseMicrophones({&alone, 1}, song.rate, {work.stop, {}}, {.together = kAtOnce});
    if (!found) {
        return tl::unexpected(found.error());
    }
    track.marks.clear();
    for (const OnsetCandidate& candidate : found->front().candidates) {
        if (candidate.onset.strength >= kClear && candidate.riseDecibels >= 6.0) {
            Mark mark;
            mark.at = candidate.onset.at;
            mark.beatPoint = candidate.onset.at;
            mark.strength = candidate.onset.strength;
            track.marks.push_back(mark);
        }
    }
    std::ranges::sort(track.marks, {}, &Mark::at);
    std::vector<UnheardHit> attacks;
    for (const HeardMark& heard : marksHeard(track, recorded)) {
        attacks.push_back({track.id, heard.at, heard.mark->strength});
    }
    return attacks;
}

}  // namespace

Result<std::vector<UnheardHit>>
findUnheard(const Song& song, SetId id, const Sources& sources, const Work& work)
{
    const MicSet* set = song.set(id);
    if (set == nullptr) {
        return badArgument("the mic set is not in the song");
    }
    const auto marked = markedTimes(song, *set);
    const auto recorded = recordedClips(song, *set);
    const Frames apart = toFrames(kOneBlow, song.rate);
    std::vector<Result<std::vector<UnheardHit>>> heard(set->tracks.size());
    tbb::parallel_for(std::size_t{0}, heard.size(), [&](std::size_t t) {
        const auto track = song.track(set->tracks[t]);
        if (track->markedTake.isValid() && !song.isLead(*track) && !work.stopped()) {
            heard[t] = attacksOf(song, *track, recorded[t], sources, work);
        }
    });
    if (work.stopped()) {
        return cancelled();
    }
    std::vector<UnheardHit> all;
    for (const auto& each : heard) {
        if (!each) {
            return tl::unexpected(each.error());
        }
        for (const UnheardHit& hit : *each) {
            const auto next = std::ranges::lower_bound(marked, hit.at - apart);
            if (next == marked.end() || *next > hit.at + apart) {
                all.push_back(hit);
            }
        }
    }
    std::ranges::sort(all, {}, &UnheardHit::at);
    std::vector<UnheardHit> once;
    for (const UnheardHit& hit : all) {
        if (once.empty() || hit.at - once.back().at > apart) {
            once.push_back(hit);
        } else if (hit.strength > once.back().strength) {
            once.back().strength = hit.strength;
            once.back().track = hit.track;
        }
    }
    return once;
}

}  // namespace orthochron
