#include "core/edits/SetParts.h"

#include "core/edits/Pieces.h"

#include <algorithm>
#include <cstdlib>
#include <tuple>
#include <unordered_map>

namespace orthochron {

std::vector<std::vector<Clip>> recordedClips(const Song& song, const MicSet& set)
{
    if (set.recipe && set.recipe->recorded.size() == set.tracks.size()) {
        return set.recipe->recorded;
    }
    std::vector<std::vector<Clip>> clips;
    for (const TrackId id : set.tracks) {
        clips.push_back(song.track(id)->clips);
    }
    return clips;
}

std::optional<TrackTake> recordedTake(const Song& song, TrackId id)
{
    const auto track = song.track(id);
    if (!track || !track->markedTake.isValid()) {
        return std::nullopt;
    }
    std::span<const Clip> clips = track->clips;
    if (const MicSet* set = song.setOf(id); set != nullptr && set->recipe) {
        const auto place = std::ranges::find(set->tracks, id) - set->tracks.begin();
        if (static_cast<std::size_t>(place) < set->recipe->recorded.size()) {
            clips = set->recipe->recorded[static_cast<std::size_t>(place)];
        }
    }
    TrackTake take{track->markedTake, track->markedChannel, Frames(0)};
    for (const Clip& clip : clips) {
        if (track->isMarked(clip) && !clip.isReversed) {
            take.offset = clip.at - clip.sound.takeTimeOf(clip.soundStart);
            break;
        }
    }
    return take;
}

namespace {

bool isBefore(const Clip& a, const Clip& b)
{
    return std::tie(a.sound.take, a.sound.channel, a.soundStart) <
           std::tie(b.sound.take, b.sound.channel, b.soundStart);
}

// What does not change when a clip is cut: its offset, counted backwards where it is reversed.
Frames standing(const Clip& clip)
{
    return clip.isReversed ? clip.end() + clip.soundStart : clip.offset();
}

}  // namespace

RecordedTimes::RecordedTimes(std::span<const Clip> recorded)
    : clips_(recorded.begin(), recorded.end())
{
    std::ranges::stable_sort(clips_, isBefore);
    ends_.reserve(clips_.size());
    for (std::size_t i = 0; i < clips_.size(); ++i) {
        const Frames end = clips_[i].soundStart + clips_[i].length;
        const bool goesOn =
            i > 0 && clips_[i].sound.isOf(clips_[i - 1].sound.take, clips_[i - 1].sound.channel);
        ends_.push_back(goesOn ? std::max(end, ends_.back()) : end);
    }
}

std::optional<RecordedTimes::Place> RecordedTimes::placeOf(const Clip& clip) const
{
    const auto isSame = [&](const Clip& recorded) { return recorded.sound == clip.sound; };
    if (!clip.sound.treatment || std::ranges::any_of(clips_, isSame)) {
        return placeOfSame(clip);
    }
    // Stretched since: what it plays of the take was recorded.
    Clip taken = clip;
    taken.sound.treatment = nullptr;
    taken.soundStart = clip.sound.takeTimeOf(clip.soundStart);
    taken.length = clip.sound.takeTimeOf(clip.soundStart + clip.length) - taken.soundStart;
    auto place = placeOfSame(taken);
    if (place) {
        place->takeOffset = standing(taken) - place->move;
    }
    return place;
}

std::optional<RecordedTimes::Place> RecordedTimes::placeOfSame(const Clip& clip) const
{
    const Clip* best = nullptr;
    Frames most{0};
    const auto closer = [&](const Clip& a, const Clip& b) {
        return std::abs((standing(clip) - standing(a)).count()) <
               std::abs((standing(clip) - standing(b)).count());
    };
    const auto see = [&](const Clip& recorded) {
        if (recorded.sound != clip.sound || recorded.isReversed != clip.isReversed) {
            return;
        }
        // Negative where they have nothing in common: how far apart they are.
        const Frames common =
            std::min(recorded.soundStart + recorded.length, clip.soundStart + clip.length) -
            std::max(recorded.soundStart, clip.soundStart);
        if (best == nullptr || common > most || (common == most && closer(recorded, *best))) {
            best = &recorded;
            most = common;
        }
    };
    Clip end = clip;
    end.soundStart += clip.length;
    const auto after = std::ranges::lower_bound(clips_, end, isBefore);
    for (auto i = after - clips_.begin(); i-- > 0;) {
        const auto place = static_cast<std::size_t>(i);
        if (!clips_[place].sound.isOf(clip.sound.take, clip.sound.channel)) {
            break;
        }
        see(clips_[place]);
        if (best != nullptr && ends_[place] <= clip.soundStart) {
            break;
        }
    }
    if (after != clips_.end() && (best == nullptr || most <= Frames(0))) {
        see(*after);  // of what was recorded later, the first
    }
    if (best == nullptr) {
        return std::nullopt;
    }
    return Place{standing(clip) - standing(*best), best->gain};
}

std::vector<HeardMark>
marksHeard(const Track& track, const std::vector<Clip>& clips, WhichMarks which)
{
    const bool isAll = which == WhichMarks::EvenOff;
    std::vector<HeardMark> heard;
    for (const Piece& piece : takenApart(clips)) {
        const Clip& clip = piece.clip;
        if (!track.isMarked(clip) || clip.isReversed || (clip.isMuted && !isAll)) {
            continue;
        }
        // A frame early, as crossing from sound to take time rounds; what it does not play is asked.
        const Frames first = clip.sound.takeTimeOf(clip.soundStart) - Frames(1);
        auto mark = std::ranges::lower_bound(track.marks, first, {}, &Mark::at);
        for (; mark != track.marks.end(); ++mark) {
            const Frames within = clip.sound.soundTimeOf(mark->at) - clip.soundStart;
            if (within >= clip.length) {
                break;
            }
            if (within >= Frames(0) && (mark->isOn || isAll)) {
                const Frames beat = clip.sound.soundTimeOf(mark->beatPoint) - clip.soundStart;
                heard.push_back({&*mark, clip.at + within, clip.at + beat, clip.part});
            }
        }
    }
    return heard;
}

Frames SetPart::heardAt(Frames recorded) const
{
    return stretched ? stretched->soundTimeOf(recorded - takeOffset) + soundOffset
                     : recorded + move.value_or(Frames(0));
}

Frames SetPart::recordedAt(Frames heard) const
{
    return stretched ? stretched->takeTimeOf(heard - soundOffset) + takeOffset
                     : heard - move.value_or(Frames(0));
}

std::vector<SetPart> partsOf(const Song& song, const MicSet& set)
{
    return partsOf(song, set, recordedClips(song, set));
}

std::vector<SetPart>
partsOf(const Song& song, const MicSet& set, const std::vector<std::vector<Clip>>& recorded)
{
    std::vector<SetPart> parts;
    std::unordered_map<PartId, std::size_t> places;
    bool isTrackLocked = false;
    for (std::size_t t = 0; t < set.tracks.size(); ++t) {
        const auto track = song.track(set.tracks[t]);
        isTrackLocked = isTrackLocked || track->isLocked;
        const RecordedTimes times(recorded[t]);
        for (const Clip& clip : track->clips) {
            const auto known = clip.part.isValid() ? places.find(clip.part) : places.end();
            if (known != places.end()) {
                SetPart& part = parts[known->second];
                part.from = std::min(part.from, clip.at);
                part.to = std::max(part.to, clip.end());
                part.isLocked = part.isLocked || clip.isLocked;
                part.byHand = part.byHand || clip.byHand;
                continue;
            }
            places[clip.part] = parts.size();
            const auto place = times.placeOf(clip);
            const double usual = place ? static_cast<double>(place->gain) : 1.0;
            parts.push_back(
                {clip.part,
                 clip.at,
                 clip.end(),
                 place ? std::optional(place->move) : std::nullopt,
                 static_cast<double>(clip.gain) / (usual == 0.0 ? 1.0 : usual),
                 clip.isLocked,
                 clip.isMuted,
                 clip.isReversed,
                 clip.byHand}
            );
            if (place && place->takeOffset && !clip.isReversed) {
                parts.back().stretched = clip.sound.treatment;
                parts.back().takeOffset = *place->takeOffset;
                parts.back().soundOffset = clip.offset();
            }
        }
    }
    for (SetPart& part : parts) {
        part.isLocked = part.isLocked || isTrackLocked;
    }
    std::ranges::stable_sort(parts, {}, &SetPart::from);
    return parts;
}

const SetPart* partHolding(const std::vector<SetPart>& parts, Frames recorded)
{
    const auto holds = [recorded](const SetPart& part) {
        return part.move && part.heardAt(recorded) >= part.from && part.heardAt(recorded) < part.to;
    };
    // A fit leaves the order of what was recorded, so that the search halves; a part or two further
    // on may play the moment too where they are crossfaded.
    auto part = std::ranges::upper_bound(parts, recorded, {}, [](const SetPart& p) {
        return p.from - p.move.value_or(Frames(0));
    });
    for (int tries = 0; tries < 4 && part != parts.begin(); ++tries) {
        if (holds(*--part)) {
            return &*part;
        }
    }
    // What was moved or copied by hand keeps no order.
    const auto any = std::ranges::find_if(parts.rbegin(), parts.rend(), holds);
    return any == parts.rend() ? nullptr : &*any;
}

}  // namespace orthochron
