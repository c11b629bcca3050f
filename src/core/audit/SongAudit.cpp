#include "core/audit/SongAudit.h"

#include "core/edits/FitEdits.h"
#include "core/edits/Pieces.h"
#include "core/render/Render.h"

#include <algorithm>
#include <cmath>
#include <iterator>
#include <map>
#include <set>
#include <string>

namespace orthochron {

namespace {

// What the moves of an edit are counted from: the clips before the first fit, or, where none was made,
// each track's take as it was first laid.
std::vector<std::vector<Clip>> wholeTakes(const Song& song, const MicSet& set)
{
    if (set.recipe) {
        return recordedClips(song, set);
    }
    std::vector<std::vector<Clip>> takes;
    for (const TrackId id : set.tracks) {
        auto& clips = takes.emplace_back();
        const auto track = song.track(id);
        const auto first = std::ranges::find(track->clips, false, &Clip::isReversed);
        if (first != track->clips.end()) {
            Clip whole = *first;
            pullStart(whole, spareBefore(song, whole));
            pullEnd(whole, spareAfter(song, whole));
            whole.gain = 1.0F;
            clips.push_back(whole);
        }
    }
    return takes;
}

}  // namespace

EditMap editMapOf(const Song& song, const MicSet& set)
{
    EditMap map;
    map.rate = song.rate;
    const auto takes = wholeTakes(song, set);
    const auto joins = joinsOf(song, set);
    auto join = joins.begin();
    for (const SetPart& part : partsOf(song, set, takes)) {
        if (join != joins.end() && join->id == part.id && !map.pieces.empty()) {
            map.joins.push_back({join->at, join->length, map.pieces.size() - 1});
            ++join;
        } else if (!map.pieces.empty() && map.pieces.back().to >= part.from) {
            map.pieces.back().to = std::max(map.pieces.back().to, part.to);  // goes on as before
            continue;
        }
        map.pieces.push_back(
            {part.from,
             part.to,
             part.move.value_or(Frames(0)),
             part.gain,
             !part.isMuted && !part.isReversed && part.move.has_value() && !part.stretched,
             !part.isMuted}
        );
    }
    map.length = map.pieces.empty() ? Frames(0) : map.pieces.back().to;
    for (const PlayedHit& hit : hitsOf(song, set, takes).hits) {
        if (const auto heard = map.heardAt(hit.start)) {
            map.hits.push_back({hit.start, *heard - hit.start});
        }
    }
    return map;
}

namespace {

// A set as it sounds, and the sides of its joins by themselves.
class SetSound {
public:
    SetSound(const Song& song, const MicSet& set, const Sources& sources)
        : joins_(joinsOf(song, set)), sources_(sources)
    {
        for (const TrackId id : set.tracks) {
            tracks_.push_back(song.track(id));
        }
    }

    [[nodiscard]] AuditInput input(const EditMap& map) const
    {
        return {
            map,
            static_cast<int>(tracks_.size()),
            [this](int m, Frames from, std::span<float> into) { return edited(m, from, into); },
            {},
            [this](int m, std::size_t join, bool isLater, Frames from, std::span<float> into) {
                return side(m, joins_[join], isLater, from, into);
            }};
    }

private:
    Result<void> edited(int microphone, Frames from, std::span<float> into) const
    {
        AudioBuffer sound(1, Frames(static_cast<std::int64_t>(into.size())));
        const auto& clips = tracks_[static_cast<std::size_t>(microphone)]->clips;
        auto rendered = renderClips(clips, sources_, from, sound);
        std::ranges::copy(sound.channel(0), into.begin());
        return rendered;
    }

    Result<void> side(
        int microphone, const SetJoin& join, bool isLater, Frames from, std::span<float> into
    ) const
    {
        const auto& clips = tracks_[static_cast<std::size_t>(microphone)]->clips;
        const auto clip =
            std::ranges::find(clips, isLater ? join.id : join.before, [](const Clip& each) {
                return each.part.isValid() ? each.part : PartId{each.id.value};
            });
        if (clip == clips.end()) {
            // Its take is not there: it is silent, and nothing is amiss with that.
            return edited(microphone, from, into);
        }
        const Frames to = from + Frames(static_cast<std::int64_t>(into.size()));
        auto read = sources_.read(clip->sound, clip->soundTimeOf(from, to), into);
        if (clip->isReversed) {
            std::ranges::reverse(into);
        }
        for (float& sample : into) {
            sample *= clip->gain;
        }
        return read;
    }

    std::vector<SetJoin> joins_;
    std::vector<std::shared_ptr<const Track>> tracks_;
    const Sources& sources_;
};

Frames middleOf(const StrainSpan& span)
{
    return span.from + (span.to - span.from) / 2;
}

// Where clips are stretched further than their material bears; of all microphones once.
std::vector<Finding> strainFindings(const Song& song, const MicSet& set)
{
    std::vector<Finding> findings;
    std::set<std::pair<const Treatment*, Frames>> seen;
    for (const TrackId id : set.tracks) {
        for (const Clip& clip : song.track(id)->clips) {
            const auto& treatment = clip.sound.treatment;
            if (!treatment || clip.isReversed || !seen.insert({treatment.get(), clip.at}).second) {
                continue;
            }
            const StrainLimits limits = strainLimits(treatment->material);
            for (const StrainSpan& span : strainOf(treatment->time, song.rate)) {
                const Frames middle = middleOf(span);
                if (limits.hold(span.ratio) || middle < clip.soundStart ||
                    middle >= clip.soundStart + clip.length) {
                    continue;
                }
                findings.push_back(
                    {.kind = FindingKind::Strain, .at = middle + clip.offset(), .value = span.ratio}
                );
            }
        }
    }
    return findings;
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
    const SetSound sound(song, **set, sources);
    auto findings = checkJoins(sound.input(map), work);
    if (findings) {
        const auto strained = strainFindings(song, **set);
        findings->insert(findings->end(), strained.begin(), strained.end());
        std::ranges::stable_sort(*findings, {}, &Finding::at);
    }
    return findings;
}

Result<std::vector<Finding>>
auditJoin(const Song& song, SetId id, PartId join, const Sources& sources)
{
    const auto set = known(song, id);
    if (!set) {
        return tl::unexpected(set.error());
    }
    const auto joins = joinsOf(song, **set);
    const auto place =
        static_cast<std::size_t>(std::ranges::find(joins, join, &SetJoin::id) - joins.begin());
    const EditMap map = editMapOf(song, **set);
    if (place >= map.joins.size()) {
        return badArgument("join not found");
    }
    const SetSound sound(song, **set, sources);
    return checkJoin(sound.input(map), place);
}

std::optional<StrainRelief> reliefAt(const Song& song, const MicSet& set, const Finding& finding)
{
    if (finding.kind != FindingKind::Strain) {
        return std::nullopt;
    }
    for (const TrackId id : set.tracks) {
        for (const Clip& clip : song.track(id)->clips) {
            const auto& treatment = clip.sound.treatment;
            if (!treatment || clip.isReversed || finding.at < clip.at || finding.at >= clip.end()) {
                continue;
            }
            const auto spans = strainOf(treatment->time, song.rate);
            const auto span = std::ranges::find(spans, finding.at - clip.offset(), middleOf);
            if (span != spans.end()) {
                return reliefOf(
                    spans, static_cast<std::size_t>(span - spans.begin()), treatment->material
                );
            }
        }
    }
    return std::nullopt;
}

namespace {

constexpr Seconds kSamePlace = milliseconds(5.0);

// What was accepted, by kind, in order of time.
class Accepted {
public:
    explicit Accepted(const Song& song) : within_(toFrames(kSamePlace, song.rate))
    {
        for (const AcceptedFinding& accepted : song.accepted) {
            places_[accepted.kind].push_back(accepted.at);
        }
        for (auto& [kind, places] : places_) {
            std::ranges::sort(places);
        }
    }
    [[nodiscard]] bool has(const Finding& finding) const
    {
        const auto found = places_.find(std::string(wordOf(finding.kind)));
        if (found == places_.end()) {
            return false;
        }
        const auto next = std::ranges::upper_bound(found->second, finding.at - within_);
        return next != found->second.end() && *next < finding.at + within_;
    }

private:
    Frames within_;
    std::map<std::string, std::vector<Frames>> places_;
};

}  // namespace

bool isAccepted(const Song& song, const Finding& finding)
{
    return Accepted(song).has(finding);
}

std::vector<Finding> notAccepted(const Song& song, std::span<const Finding> findings)
{
    const Accepted accepted(song);
    std::vector<Finding> left;
    std::ranges::copy_if(findings, std::back_inserter(left), [&](const Finding& finding) {
        return !accepted.has(finding);
    });
    return left;
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
double badness(const Song& song, SetId set, PartId join, const Sources& sources)
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
    const MicSet& microphones = *song.set(set);
    for (const TrackId id : microphones.tracks) {
        const auto& clips = song.track(id)->clips;
        const auto after = std::ranges::find(clips, join, &Clip::part);
        if (after == clips.end() || after == clips.begin()) {
            continue;
        }
        const auto likeness = sources.likeness(*std::prev(after), *after);
        bad +=
            0.5 * (1.0 - likeness.value_or(0.0)) / static_cast<double>(microphones.tracks.size());
    }
    return bad;
}

}  // namespace

Result<Song> mendJoin(const Song& song, SetId id, PartId which, const Sources& sources)
{
    const auto set = known(song, id);
    if (!set) {
        return tl::unexpected(set.error());
    }
    const auto joins = joinsOf(song, **set);
    const auto found = std::ranges::find(joins, which, &SetJoin::id);
    if (found == joins.end()) {
        return badArgument("join not found");
    }
    const SetJoin& join = *found;
    std::optional<Song> best;
    double least = badness(song, id, which, sources);
    const Frames usual = toFrames(milliseconds(5.0), song.rate);
    for (const double lengthMs : {0.0, 3.0, 5.0, 10.0, 20.0}) {
        const Frames length = lengthMs > 0.0 ? toFrames(milliseconds(lengthMs), song.rate)
                                             : std::max(join.length, usual);
        for (const double shiftMs : {0.0, -2.0, 2.0, -5.0, 5.0, -10.0, 10.0, -20.0, -35.0, -60.0}) {
            for (const FadeShape shape : {FadeShape::Matched, FadeShape::EqualPower}) {
                const Frames shift = toFrames(milliseconds(shiftMs), song.rate);
                const JoinChange change{length, shape, join.at + join.length - length + shift};
                auto tried = changeJoin(song, id, join.id, change);
                if (!tried) {
                    return tried;
                }
                if (const double bad = badness(*tried, id, which, sources); bad < least - 0.05) {
                    least = bad;
                    best = std::move(*tried);
                }
            }
        }
    }
    if (!best) {
        return badArgument(
            "no better place, length or shape was found; play the join and accept it, or leave it"
        );
    }
    return *best;
}

Result<std::vector<PlannedSplice>>
splicesOf(const Song& song, const MicSet& set, const Sources& sources)
{
    std::vector<PlannedSplice> joins;
    if (set.tracks.empty()) {
        return joins;
    }
    const auto recorded = recordedClips(song, set);
    const RecordedTimes times(recorded.front());
    for (const Clip& clip : song.track(set.tracks.front())->clips) {
        const auto place = times.placeOf(clip);
        if (!clip.sound.treatment || !place || !place->takeOffset) {
            continue;
        }
        const auto splices =
            sources.splices(clip.sound, clip.soundStart, clip.soundStart + clip.length);
        if (!splices) {
            return tl::unexpected(splices.error());
        }
        // Song time less recorded time of what a splice plays.
        const auto moveOf = [&](const Splice& splice) {
            return splice.shift + clip.offset() - *place->takeOffset;
        };
        for (std::size_t i = 1; i < splices->size(); ++i) {
            const Splice& before = (*splices)[i - 1];
            const Splice& after = (*splices)[i];
            if (after.shift != before.shift && after.begin() >= clip.soundStart) {
                const PlannedJoin join{
                    after.begin() + clip.offset(), after.fade, moveOf(before), moveOf(after)};
                joins.push_back({join, {}});
                if (after.rings) {
                    const Frames back = i + 1 < splices->size() ? (*splices)[i + 1].from
                                                                : clip.soundStart + clip.length;
                    joins.back().diesAwayUntil = back + clip.offset();
                }
            }
        }
    }
    return joins;
}

}  // namespace orthochron
