#include "core/edits/FitPlan.h"

#include <fmt/format.h>

#include <algorithm>
#include <numeric>

namespace orthochron {

SetHits hitsOf(const Song& song, const MicSet& set)
{
    return hitsOf(song, set, recordedClips(song, set));
}

SetHits hitsOf(const Song& song, const MicSet& set, const std::vector<std::vector<Clip>>& clips)
{
    SetHits found;
    for (std::size_t t = 0; t < set.tracks.size(); ++t) {
        const auto track = song.track(set.tracks[t]);
        if (!track || !song.isLead(*track) || !track->markedTake.isValid()) {
            continue;
        }
        const int lead = static_cast<int>(found.leads.size());
        found.leads.push_back(track->id);
        for (const HeardMark& heard : marksHeard(*track, clips[t])) {
            const Mark& mark = *heard.mark;
            found.hits.push_back(
                {lead, heard.at, heard.beatPoint, mark.strength, mark.line, mark.wanted}
            );
            found.origins.push_back({track->id, mark.id});
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

Performance judgeSet(const Song& song, const SetHits& hits, const FitRequest& request)
{
    std::vector<BarRange> sections;
    std::vector<SectionId> ids;
    for (const Section& section : song.sections) {
        sections.push_back(section.bars);
        ids.push_back(section.id);
    }
    Performance performance = judge(hits.hits, Grid(song.tempo, request.grid), song.rate, sections);
    performance.leads = hits.leads;
    performance.sections = std::move(ids);
    redrawDrift(performance, request.fit.driftLine);
    return performance;
}

FitRequest requestOf(const FitRecipe& recipe)
{
    return {recipe.fit, recipe.joins, recipe.grid, std::nullopt, false, recipe.way};
}

HandChanges handChanges(const Song& song, const MicSet& set)
{
    HandChanges changes;
    if (set.tracks.empty()) {
        return changes;
    }
    if (set.recipe) {
        for (const SetPart& part : partsOf(song, set)) {
            if (part.byHand) {
                changes.clips.push_back(part.from);
            }
        }
    }
    for (const TrackId id : set.tracks) {
        const auto track = song.track(id);
        changes.hits += static_cast<int>(std::ranges::count_if(track->marks, [&](const Mark& mark) {
            return song.isLead(*track) && mark.isOn && mark.wanted.has_value();
        }));
    }
    return changes;
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
    preview.performance = judgeSet(song, preview.origin, request);
    preview.moves = planMoves(preview.performance, request.fit);
    return preview;
}

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

FitAnchors
anchorsOf(const Song& song, const MicSet& set, const FitPreview& preview, const FitRequest& request)
{
    FitAnchors planned;
    const auto& hits = preview.performance.hits;
    const auto parts = partsOf(song, set);
    for (std::size_t i = 0; i < hits.size(); ++i) {
        const Frames start = hits[i].played.start;
        Frames move = preview.moves.hits[i].move;
        const int bar = hits[hits[i].main].line.bar;
        const bool isOutside =
            request.bars && (bar < request.bars->first || bar > request.bars->last);
        const SetPart* holding = partHolding(parts, start);
        const bool isHeld =
            holding != nullptr && (holding->isLocked || (set.recipe && holding->byHand));
        if (holding != nullptr && (isOutside || isHeld)) {
            move = holding->heardAt(start) - start;
            ++planned.kept;
        }
        planned.anchors.push_back({start, move});
    }
    return planned;
}

}  // namespace orthochron
