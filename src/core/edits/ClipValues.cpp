#include "core/edits/ClipValues.h"

#include "core/edits/FitEdits.h"
#include "core/edits/Pieces.h"

#include <algorithm>

namespace orthochron {

namespace {

// Changes each chosen clip in place; edges and joins stay.
template<class Change>
Song changeEach(const Song& song, const Chosen& chosen, const Change& change)
{
    Song next = song;
    for (const auto& [id, clips] : chosen) {
        Track track = *song.track(id);
        for (Clip& clip : track.clips) {
            if (clips.contains(clip.id)) {
                change(clip);
            }
        }
        putTrack(next, std::move(track));
    }
    return next;
}

}  // namespace

Result<Song> muteClips(const Song& song, const ClipChoice& choice, bool isMuted)
{
    const auto chosen = freeOf(song, withTheirSet(song, choice));
    if (!chosen) {
        return tl::unexpected(chosen.error());
    }
    return changeEach(song, *chosen, [&](Clip& clip) {
        clip.isMuted = isMuted;
        clip.byHand = true;
    });
}

Result<Song> gainClips(const Song& song, const ClipChoice& choice, double decibels, bool isRelative)
{
    const auto chosen = freeOf(song, choice);
    if (!chosen) {
        return tl::unexpected(chosen.error());
    }
    return changeEach(song, *chosen, [&](Clip& clip) {
        const double now = isRelative ? toDecibels(static_cast<double>(clip.gain)) : 0.0;
        clip.gain = static_cast<float>(fromDecibels(std::clamp(now + decibels, -60.0, 24.0)));
        clip.byHand = true;
    });
}

Result<Song> lockClips(const Song& song, const ClipChoice& choice, bool isLocked)
{
    const Chosen chosen = chosenOf(song, withTheirSet(song, choice));
    if (chosen.empty()) {
        return badArgument("no clip selected");
    }
    return changeEach(song, chosen, [&](Clip& clip) { clip.isLocked = isLocked; });
}

Result<Song> lockTracks(const Song& song, const std::vector<TrackId>& tracks, bool isLocked)
{
    Song next = song;
    for (const TrackId id : tracks) {
        const auto track = song.track(id);
        if (!track) {
            return badArgument("the track is not in the song");
        }
        Track changed = *track;
        changed.isLocked = isLocked;
        putTrack(next, std::move(changed));
    }
    return next;
}

namespace {

bool changeFade(
    Fade& fade,
    std::optional<Frames> length,
    std::optional<Frames> by,
    const FadeChange& change,
    Frames longest
)
{
    const bool concerns =
        length || by || (!change.in && !change.out && !change.inBy && !change.outBy);
    if (!concerns) {
        return false;
    }
    const Fade before = fade;
    fade.length =
        std::clamp(length.value_or(fade.length + by.value_or(Frames(0))), Frames(0), longest);
    fade.shape = change.shape.value_or(fade.shape);
    fade.middle = std::clamp(change.middle.value_or(fade.middle), kEarliestMiddle, kLatestMiddle);
    // A fade with silence has nothing to match.
    if (fade.shape == FadeShape::Matched) {
        fade.shape = FadeShape::EqualGain;
    }
    return fade != before;
}

// In proportion, when the two would be longer than their clip.
void shareFades(Clip& clip)
{
    const Frames sum = clip.in.length + clip.out.length;
    if (sum > clip.length) {
        clip.in.length = Frames(static_cast<std::int64_t>(
            static_cast<double>(clip.length.count()) * (clip.in.length / sum)
        ));
        clip.out.length = clip.length - clip.in.length;
    }
}

}  // namespace

bool meetsNeighbours(const Song& song, const ClipChoice& choice)
{
    for (const auto& [id, clips] : chosenOf(song, choice)) {
        const auto& all = song.track(id)->clips;
        for (std::size_t i = 1; i < all.size(); ++i) {
            const bool isChosen = clips.contains(all[i].id) || clips.contains(all[i - 1].id);
            if (isChosen && all[i - 1].end() > all[i].at) {
                return true;
            }
        }
    }
    return false;
}

float middleThrough(const Fade& fade, double part, double gain, bool isIn)
{
    // It is monotone in the middle, and at a later one what comes in is quieter everywhere.
    double low = static_cast<double>(kEarliestMiddle);
    double high = static_cast<double>(kLatestMiddle);
    for (int i = 0; i < 30; ++i) {
        const double middleNow = 0.5 * (low + high);
        Fade bent = fade;
        bent.middle = static_cast<float>(middleNow);
        const FadeGains gains = bent.gainsAt(part, 0.0);
        const bool isTooLate = isIn ? gains.in < gain : gains.out > gain;
        (isTooLate ? high : low) = middleNow;
    }
    return static_cast<float>(0.5 * (low + high));
}

Result<Song> fadeClips(const Song& song, const ClipChoice& choice, const FadeChange& change)
{
    const auto chosen = freeOf(song, withTheirSet(song, choice));
    if (!chosen) {
        return tl::unexpected(chosen.error());
    }
    const bool wantsIn = change.in || change.inBy || (!change.out && !change.outBy);
    const bool wantsOut = change.out || change.outBy || (!change.in && !change.inBy);
    Song next = song;
    bool isAny = false;
    for (const auto& [id, clips] : *chosen) {
        Track track = *song.track(id);
        for (std::size_t i = 0; i < track.clips.size(); ++i) {
            Clip& clip = track.clips[i];
            if (!clips.contains(clip.id)) {
                continue;
            }
            const Fade in = clip.in;
            const Fade out = clip.out;
            Clip* before = i > 0 ? &track.clips[i - 1] : nullptr;
            Clip* after = i + 1 < track.clips.size() ? &track.clips[i + 1] : nullptr;
            bool meets = before != nullptr && before->end() > clip.at;
            bool isMet = after != nullptr && after->at < clip.end();
            // A locked neighbour keeps its crossfade.
            // A neighbour that all lies within the crossfade keeps it: it would have nothing left.
            const bool fadesIn =
                wantsIn &&
                (!meets || (change.evenTouching && !before->isLocked && before->at < clip.at));
            const bool fadesOut =
                wantsOut &&
                (!isMet || (change.evenTouching && !after->isLocked && after->end() > clip.end()));
            if (fadesIn) {
                if (meets) {
                    pullEnd(*before, clip.at - before->end());
                    before->out = Fade{};
                    clip.in = Fade{};
                    meets = false;
                }
            }
            if (fadesOut) {
                if (isMet) {
                    pullStart(*after, after->at - clip.end());
                    after->in = Fade{};
                    clip.out = Fade{};
                    isMet = false;
                }
            }
            // A crossfade is as long as its overlap: a free end has what is left.
            if (fadesIn) {
                const Frames room = isMet ? clip.length - clip.out.length : clip.length;
                changeFade(clip.in, change.in, change.inBy, change, room);
            }
            if (fadesOut) {
                const Frames room = meets ? clip.length - clip.in.length : clip.length;
                changeFade(clip.out, change.out, change.outBy, change, room);
            }
            if (!meets && !isMet) {
                shareFades(clip);
            }
            if (clip.in != in || clip.out != out) {
                clip.byHand = true;
                isAny = true;
            }
        }
        putTrack(next, std::move(track));
    }
    if (!isAny) {
        return badArgument("nothing changed: these ends are crossfaded");
    }
    return next;
}

}  // namespace orthochron
