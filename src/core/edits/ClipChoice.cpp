#include "core/edits/ClipChoice.h"

#include <fmt/format.h>

#include "core/edits/MarkEdits.h"
#include "core/edits/Pieces.h"
#include "core/time/Grid.h"

#include <algorithm>
#include <unordered_set>

namespace orthochron {

Chosen chosenOf(const Song& song, const ClipChoice& choice)
{
    const std::set<ClipId> wanted(choice.begin(), choice.end());
    Chosen chosen;
    for (const auto& track : song.tracks) {
        for (const Clip& clip : track->clips) {
            if (wanted.contains(clip.id)) {
                chosen[track->id].insert(clip.id);
            }
        }
    }
    return chosen;
}

Result<Chosen> freeOf(const Song& song, const ClipChoice& choice)
{
    Chosen chosen = chosenOf(song, choice);
    std::size_t locked = 0;
    std::size_t all = 0;
    for (const auto& [id, clips] : chosen) {
        const auto track = song.track(id);
        for (const Clip& clip : track->clips) {
            if (clips.contains(clip.id)) {
                ++all;
                locked += clip.isLocked || track->isLocked ? 1U : 0U;
            }
        }
    }
    if (all == 0) {
        return badArgument("no clip selected");
    }
    if (locked > 0) {
        return badArgument(
            fmt::format("{} of the {} clips are locked; unlock them first", locked, all)
        );
    }
    return chosen;
}

ClipChoice withTheirSet(const Song& song, const ClipChoice& choice)
{
    Chosen chosen = chosenOf(song, choice);
    std::map<SetId, std::unordered_set<PartId>> parts;
    for (const auto& [id, clips] : chosen) {
        if (const MicSet* set = song.setOf(id); set != nullptr && !set->isLone()) {
            for (const Clip& clip : song.track(id)->clips) {
                if (clips.contains(clip.id) && clip.part.isValid()) {
                    parts[set->id].insert(clip.part);
                }
            }
        }
    }
    ClipChoice all;
    for (const auto& track : song.tracks) {
        const MicSet* set = song.setOf(track->id);
        const auto own = chosen.find(track->id);
        const auto wanted = set != nullptr ? parts.find(set->id) : parts.end();
        for (const Clip& clip : track->clips) {
            const bool isOwn = own != chosen.end() && own->second.contains(clip.id);
            const bool isTheirs = wanted != parts.end() && wanted->second.contains(clip.part);
            if (isOwn || isTheirs) {
                all.push_back(clip.id);
            }
        }
    }
    return all;
}

ClipChoice clipsWithin(const Song& song, std::span<const TrackId> tracks, Frames from, Frames to)
{
    ClipChoice choice;
    for (const TrackId id : tracks) {
        if (const auto track = song.track(id)) {
            for (const Clip& clip : track->clips) {
                if (clip.at < to && clip.end() > from) {
                    choice.push_back(clip.id);
                }
            }
        }
    }
    return choice;
}

std::optional<PlacedClip> clipOf(const Song& song, ClipId id)
{
    for (const auto& track : song.tracks) {
        const auto found = std::ranges::find(track->clips, id, &Clip::id);
        if (found != track->clips.end()) {
            return PlacedClip{track->id, *found};
        }
    }
    return std::nullopt;
}

std::vector<PlacedClip> clipsOf(const Song& song, const ClipChoice& choice)
{
    std::vector<PlacedClip> placed;
    for (const auto& [id, clips] : chosenOf(song, choice)) {
        for (const Clip& clip : song.track(id)->clips) {
            if (clips.contains(clip.id)) {
                placed.push_back({id, clip});
            }
        }
    }
    return placed;
}

std::optional<Span> spanOf(const Song& song, const ClipChoice& choice)
{
    std::optional<Span> span;
    for (const auto& [id, clips] : chosenOf(song, choice)) {
        for (const Piece& piece : takenApart(song.track(id)->clips)) {
            if (!clips.contains(piece.clip.id)) {
                continue;
            }
            if (!span) {
                span = Span{piece.clip.at, piece.clip.end()};
            }
            span->from = std::min(span->from, piece.clip.at);
            span->to = std::max(span->to, piece.clip.end());
        }
    }
    return span;
}

std::vector<Frames> markTimes(const Song& song, const MicSet& set, Span within, Frames leadIn)
{
    std::vector<Frames> times;
    for (const TrackId id : set.tracks) {
        const auto track = song.track(id);
        if (!track || !song.isLead(*track)) {
            continue;
        }
        for (const HeardMark& heard : marksHeard(*track, track->clips)) {
            const Frames at = heard.at - leadIn;
            if (at > within.from && at < within.to) {
                times.push_back(at);
            }
        }
    }
    std::ranges::sort(times);
    const auto close = [&](Frames a, Frames b) {
        return b - a < toFrames(milliseconds(20.0), song.rate);
    };
    times.erase(std::unique(times.begin(), times.end(), close), times.end());
    return times;
}

std::vector<Frames> gridTimes(const Song& song, Span within)
{
    std::vector<Frames> times;
    const Grid grid(song.tempo, song.grid);
    for (auto index = grid.nearest(toSeconds(within.from, song.rate)).index;; ++index) {
        const Frames at = toFrames(grid.line(index).time, song.rate);
        if (at >= within.to) {
            return times;
        }
        if (at > within.from) {
            times.push_back(at);
        }
    }
}

}  // namespace orthochron
