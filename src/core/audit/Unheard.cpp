#include "core/audit/Unheard.h"

#include <oneapi/tbb/parallel_for.h>

#include "core/edits/MarkEdits.h"

#include <algorithm>

namespace orthochron {

namespace {

constexpr Seconds kOneBlow = milliseconds(30.0);
constexpr double kClear = 0.12;  // -18 dB against the loud blows of its microphone

std::vector<Frames> markedTimes(const Song& song, const MicSet& set)
{
    std::vector<Frames> times;
    for (const TrackId id : set.tracks) {
        const auto track = song.track(id);
        const auto take = recordedTake(song, id);
        if (track->isLead && take) {
            for (const Mark& mark : track->marks) {
                times.push_back(mark.at + take->offset);
            }
        }
    }
    std::ranges::sort(times);
    return times;
}

Result<std::vector<UnheardHit>> attacksOf(
    const Song& song, TrackId id, const TrackTake& take, const Sources& sources, const Work& work
)
{
    const auto analysis =
        analyseOnsets(sources.channel(take.take, take.channel), song.rate, {work.stop, {}});
    if (!analysis) {
        return tl::unexpected(analysis.error());
    }
    std::vector<UnheardHit> attacks;
    for (const OnsetCandidate& candidate : analysis->candidates) {
        if (candidate.onset.strength >= kClear && candidate.riseDecibels >= 6.0) {
            attacks.push_back({id, candidate.onset.at + take.offset, candidate.onset.strength});
        }
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
    const Frames apart = toFrames(kOneBlow, song.rate);
    std::vector<Result<std::vector<UnheardHit>>> heard(set->tracks.size());
    tbb::parallel_for(std::size_t{0}, heard.size(), [&](std::size_t t) {
        const auto take = recordedTake(song, set->tracks[t]);
        if (take && !song.track(set->tracks[t])->isLead && !work.stopped()) {
            heard[t] = attacksOf(song, set->tracks[t], *take, sources, work);
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
