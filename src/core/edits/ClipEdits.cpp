#include "core/edits/ClipEdits.h"

#include <fmt/format.h>

#include "core/edits/FitEdits.h"
#include "core/edits/MarkEdits.h"
#include "core/time/Grid.h"

#include <algorithm>
#include <limits>
#include <map>
#include <set>

namespace orthochron {

namespace {

constexpr Frames kShortest{16};  // no edit leaves a clip shorter than this

using Chosen = std::map<TrackId, std::set<ClipId>>;

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
        return badArgument("no clip is chosen");
    }
    if (locked > 0) {
        return badArgument(
            fmt::format("{} of the {} clips are locked; unlock them first", locked, all)
        );
    }
    return chosen;
}

// The tracks an edit opens, taken apart, and how they are put together again.
class HandEdit {
public:
    explicit HandEdit(const Song& song) : song_(song) {}

    [[nodiscard]] std::vector<Piece>& pieces(TrackId id)
    {
        const auto [found, isNew] = opened_.try_emplace(id);
        if (isNew) {
            found->second = takenApart(song_.track(id)->clips);
        }
        return found->second;
    }
    [[nodiscard]] std::uint32_t& lastId() { return song_.lastId; }
    [[nodiscard]] ClipId newId() { return ClipId{++song_.lastId}; }
    [[nodiscard]] const Song& song() const { return song_; }

    [[nodiscard]] Result<Song> finish(const HandJoin& join, const Sources& sources)
    {
        std::map<SetId, std::vector<TrackId>> sets;
        std::vector<std::vector<TrackId>> groups;
        for (const auto& [id, pieces] : opened_) {
            if (const MicSet* set = song_.setOf(id)) {
                sets[set->id].push_back(id);
            } else {
                groups.push_back({id});
            }
        }
        for (const auto& [set, tracks] : sets) {
            groups.push_back(tracks);
        }
        for (const auto& group : groups) {
            std::vector<std::vector<Piece>> pieces;
            for (const TrackId id : group) {
                pieces.push_back(std::move(opened_.at(id)));
            }
            auto clips = putTogether(song_, std::move(pieces), join);
            for (std::size_t t = 0; t < group.size(); ++t) {
                Track track = *song_.track(group[t]);
                const auto before = takenApart(track.clips);
                track.clips = std::move(clips[t]);
                if (auto measured = measureJoins(track.clips, before, sources); !measured) {
                    return tl::unexpected(measured.error());
                }
                putTrack(song_, std::move(track));
            }
        }
        return song_;
    }

private:
    Song song_;
    std::map<TrackId, std::vector<Piece>> opened_;
};

// Takes the chosen pieces out of a track.
std::vector<Piece> takenOut(std::vector<Piece>& pieces, const std::set<ClipId>& chosen)
{
    std::vector<Piece> taken;
    std::vector<Piece> left;
    for (Piece& piece : pieces) {
        (chosen.contains(piece.clip.id) ? taken : left).push_back(piece);
    }
    pieces = std::move(left);
    return taken;
}

// Moves what begins at or after `from`. Errors: BadArgument when something locked would move.
Result<void> shiftFrom(std::vector<Piece>& pieces, Frames from, Frames by)
{
    for (Piece& piece : pieces) {
        if (piece.clip.at < from || by == Frames(0)) {
            continue;
        }
        if (piece.clip.isLocked) {
            return badArgument("a locked clip lies in what would move along; unlock it first");
        }
        piece.clip.at += by;
        piece.clip.byHand = true;
    }
    return {};
}

// A move of many clips may go no further than the least of them can.
template<class Limit>
Frames limited(const Song& song, const Chosen& chosen, Frames by, const Limit& limit)
{
    Frames low{std::numeric_limits<std::int64_t>::min() / 4};
    Frames high{std::numeric_limits<std::int64_t>::max() / 4};
    for (const auto& [id, clips] : chosen) {
        for (const Piece& piece : takenApart(song.track(id)->clips)) {
            if (clips.contains(piece.clip.id)) {
                const auto [least, most] = limit(piece.clip);
                low = std::max(low, least);
                high = std::min(high, most);
            }
        }
    }
    return std::clamp(by, std::min(low, high), high);
}

}  // namespace

ClipChoice withTheirSet(const Song& song, const ClipChoice& choice)
{
    Chosen chosen = chosenOf(song, choice);
    std::map<SetId, std::set<std::pair<Frames, Frames>>> spans;
    for (const auto& [id, clips] : chosen) {
        if (const MicSet* set = song.setOf(id)) {
            for (const Clip& clip : song.track(id)->clips) {
                if (clips.contains(clip.id)) {
                    spans[set->id].insert({clip.at, clip.end()});
                }
            }
        }
    }
    ClipChoice all;
    for (const auto& track : song.tracks) {
        const MicSet* set = song.setOf(track->id);
        const auto own = chosen.find(track->id);
        const auto wanted = set != nullptr ? spans.find(set->id) : spans.end();
        for (const Clip& clip : track->clips) {
            const bool isOwn = own != chosen.end() && own->second.contains(clip.id);
            const bool isTheirs =
                wanted != spans.end() && wanted->second.contains({clip.at, clip.end()});
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

Result<Song> splitClips(
    const Song& song,
    const ClipChoice& choice,
    const std::vector<Frames>& times,
    const HandSettings& settings,
    const Sources& sources
)
{
    const auto chosen = freeOf(song, withTheirSet(song, choice));
    if (!chosen) {
        return tl::unexpected(chosen.error());
    }
    std::vector<Frames> sorted = times;
    std::ranges::sort(sorted);
    HandEdit edit(song);
    bool isAny = false;
    for (const auto& [id, clips] : *chosen) {
        std::vector<Piece> next;
        for (Piece piece : edit.pieces(id)) {
            if (clips.contains(piece.clip.id)) {
                for (const Frames time : sorted) {
                    if (time < piece.clip.at + kShortest || time > piece.clip.end() - kShortest) {
                        continue;
                    }
                    Piece head = piece;
                    pullEnd(head.clip, time - head.clip.end());
                    head.clip.out = Fade{};
                    next.push_back(head);
                    pullStart(piece.clip, piece.clip.at - time);
                    piece.clip.in = Fade{};
                    piece.clip.id = edit.newId();
                    piece.meeting.reset();
                    isAny = true;
                }
            }
            next.push_back(piece);
        }
        edit.pieces(id) = std::move(next);
    }
    if (!isAny) {
        return badArgument("no place to split lies inside the chosen clips");
    }
    return edit.finish(settings.join, sources);
}

Result<Song> trimClips(
    const Song& song,
    const ClipChoice& choice,
    Edge edge,
    Frames by,
    const HandSettings& settings,
    const Sources& sources
)
{
    const auto chosen = freeOf(song, withTheirSet(song, choice));
    if (!chosen) {
        return tl::unexpected(chosen.error());
    }
    const bool isStart = edge == Edge::Start;
    const Frames moved = limited(song, *chosen, by, [&](const Clip& clip) {
        const Frames inside = clip.length - kShortest;
        return isStart ? std::pair{-std::min(spareBefore(song, clip), clip.at), inside}
                       : std::pair{-inside, spareAfter(song, clip)};
    });
    if (moved == Frames(0)) {
        return badArgument(
            by == Frames(0) ? "the edge was not moved" : "the take reaches no further"
        );
    }
    HandEdit edit(song);
    for (const auto& [id, clips] : *chosen) {
        auto& pieces = edit.pieces(id);
        for (const ClipId clip : clips) {
            auto taken = takenOut(pieces, {clip});
            Piece& piece = taken.front();
            const Frames end = piece.clip.end();
            if (isStart) {
                pullStart(piece.clip, -moved);
            } else {
                pullEnd(piece.clip, moved);
            }
            piece.clip.byHand = true;
            if (settings.ripple) {
                // The clip stays beside its neighbour; what comes later follows its end.
                if (isStart) {
                    piece.clip.at -= moved;
                }
                if (auto shifted = shiftFrom(pieces, end, piece.clip.end() - end); !shifted) {
                    return tl::unexpected(shifted.error());
                }
            }
            if (auto laid = layOver(pieces, std::move(taken), edit.lastId()); !laid) {
                return tl::unexpected(laid.error());
            }
        }
    }
    return edit.finish(settings.join, sources);
}

Frames slipReach(const Song& song, const ClipChoice& choice, Frames by)
{
    const Chosen chosen = chosenOf(song, withTheirSet(song, choice));
    return limited(song, chosen, by, [&](const Clip& clip) {
        return std::pair{-spareAfter(song, clip), spareBefore(song, clip)};
    });
}

Result<Song> slipClips(
    const Song& song,
    const ClipChoice& choice,
    Frames by,
    const HandSettings& settings,
    const Sources& sources
)
{
    const auto chosen = freeOf(song, withTheirSet(song, choice));
    if (!chosen) {
        return tl::unexpected(chosen.error());
    }
    const Frames moved = slipReach(song, choice, by);
    if (moved == Frames(0)) {
        return badArgument("the take reaches no further");
    }
    HandEdit edit(song);
    for (const auto& [id, clips] : *chosen) {
        for (Piece& piece : edit.pieces(id)) {
            if (clips.contains(piece.clip.id)) {
                piece.clip.takeStart += piece.clip.isReversed ? moved : -moved;
                piece.clip.byHand = true;
            }
        }
    }
    return edit.finish(settings.join, sources);
}

Result<Song> moveClips(
    const Song& song,
    const ClipChoice& choice,
    Frames by,
    const HandSettings& settings,
    const Sources& sources
)
{
    const auto chosen = freeOf(song, withTheirSet(song, choice));
    if (!chosen) {
        return tl::unexpected(chosen.error());
    }
    const Frames moved = limited(song, *chosen, by, [](const Clip& clip) {
        return std::pair{-clip.at, Frames(std::numeric_limits<std::int64_t>::max() / 4)};
    });
    if (moved == Frames(0)) {
        return badArgument("the clips are at the song's start already");
    }
    HandEdit edit(song);
    for (const auto& [id, clips] : *chosen) {
        auto& pieces = edit.pieces(id);
        auto taken = takenOut(pieces, clips);
        const Frames first = taken.front().clip.at;
        for (Piece& piece : taken) {
            piece.clip.at += moved;
            piece.clip.byHand = true;
        }
        if (settings.ripple) {
            if (auto shifted = shiftFrom(pieces, first, moved); !shifted) {
                return tl::unexpected(shifted.error());
            }
        }
        if (auto laid = layOver(pieces, std::move(taken), edit.lastId()); !laid) {
            return tl::unexpected(laid.error());
        }
    }
    return edit.finish(settings.join, sources);
}

Result<Song> moveToTrack(
    const Song& song,
    const ClipChoice& choice,
    TrackId target,
    const HandSettings& settings,
    const Sources& sources
)
{
    const auto chosen = freeOf(song, choice);
    if (!chosen) {
        return tl::unexpected(chosen.error());
    }
    const auto track = song.track(target);
    if (!track || track->isLocked) {
        return badArgument(
            track ? "the track is locked; unlock it first" : "there is no such track"
        );
    }
    HandEdit edit(song);
    std::vector<Piece> moved;
    for (const auto& [id, clips] : *chosen) {
        if (id == target) {
            continue;
        }
        for (Piece& piece : takenOut(edit.pieces(id), clips)) {
            piece.clip.byHand = true;
            moved.push_back(piece);
        }
    }
    if (moved.empty()) {
        return badArgument("the clips are on that track already");
    }
    if (auto laid = layOver(edit.pieces(target), std::move(moved), edit.lastId()); !laid) {
        return tl::unexpected(laid.error());
    }
    return edit.finish(settings.join, sources);
}

Result<Song> copyClips(
    const Song& song,
    const ClipChoice& choice,
    Frames at,
    int times,
    const HandSettings& settings,
    const Sources& sources
)
{
    const ClipChoice whole = withTheirSet(song, choice);
    const Chosen chosen = chosenOf(song, whole);
    const auto span = spanOf(song, whole);
    if (!span || times < 1 || times > 10'000 || at < Frames(0)) {
        return badArgument("choose the clips to copy, a place in the song and 1 to 10000 copies");
    }
    const Frames length = span->to - span->from;
    HandEdit edit(song);
    for (const auto& [id, clips] : chosen) {
        if (song.track(id)->isLocked) {
            return badArgument("the track is locked; unlock it first");
        }
        auto& pieces = edit.pieces(id);
        std::vector<Piece> originals = pieces;
        originals = takenOut(originals, clips);
        if (settings.ripple) {
            if (auto shifted = shiftFrom(pieces, at, length * times); !shifted) {
                return tl::unexpected(shifted.error());
            }
        }
        std::vector<Piece> copies;
        for (int n = 0; n < times; ++n) {
            std::map<ClipId, ClipId> renamed;
            for (Piece piece : originals) {
                const ClipId was = piece.clip.id;
                piece.clip.id = edit.newId();
                renamed[was] = piece.clip.id;
                piece.clip.at += at - span->from + length * n;
                piece.clip.isLocked = false;
                piece.clip.byHand = true;
                if (piece.meeting) {
                    piece.meeting->with = renamed[piece.meeting->with];
                }
                copies.push_back(piece);
            }
        }
        if (auto laid = layOver(pieces, std::move(copies), edit.lastId()); !laid) {
            return tl::unexpected(laid.error());
        }
    }
    return edit.finish(settings.join, sources);
}

Result<Song> deleteClips(
    const Song& song, const ClipChoice& choice, const HandSettings& settings, const Sources& sources
)
{
    const auto chosen = freeOf(song, withTheirSet(song, choice));
    if (!chosen) {
        return tl::unexpected(chosen.error());
    }
    HandEdit edit(song);
    for (const auto& [id, clips] : *chosen) {
        auto& pieces = edit.pieces(id);
        auto gone = takenOut(pieces, clips);
        if (settings.ripple) {
            for (auto piece = gone.rbegin(); piece != gone.rend(); ++piece) {
                auto shifted = shiftFrom(pieces, piece->clip.end(), -piece->clip.length);
                if (!shifted) {
                    return tl::unexpected(shifted.error());
                }
            }
        }
    }
    return edit.finish(settings.join, sources);
}

Result<Song> joinClips(
    const Song& song, const ClipChoice& choice, const HandSettings& settings, const Sources& sources
)
{
    const auto chosen = freeOf(song, withTheirSet(song, choice));
    if (!chosen) {
        return tl::unexpected(chosen.error());
    }
    HandEdit edit(song);
    bool isAny = false;
    for (const auto& [id, clips] : *chosen) {
        const bool joined = joinContinuous(edit.pieces(id), [&](const Clip& clip) {
            return clips.contains(clip.id);
        });
        isAny = isAny || joined;
    }
    if (!isAny) {
        return badArgument("none of the chosen clips goes on in its take where the next begins");
    }
    return edit.finish(settings.join, sources);
}

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

Result<Song> reverseClips(
    const Song& song, const ClipChoice& choice, const HandSettings& settings, const Sources& sources
)
{
    const auto chosen = freeOf(song, withTheirSet(song, choice));
    if (!chosen) {
        return tl::unexpected(chosen.error());
    }
    HandEdit edit(song);
    for (const auto& [id, clips] : *chosen) {
        for (Piece& piece : edit.pieces(id)) {
            if (clips.contains(piece.clip.id)) {
                piece.clip.isReversed = !piece.clip.isReversed;
                piece.clip.byHand = true;
                std::swap(piece.clip.in, piece.clip.out);
            }
        }
    }
    return edit.finish(settings.join, sources);
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
        return badArgument("no clip is chosen");
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
    fade.middle = std::clamp(change.middle.value_or(fade.middle), 0.1F, 0.9F);
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
            const bool meets = before != nullptr && before->end() > clip.at;
            const bool isMet = after != nullptr && after->at < clip.end();
            if (wantsIn && (!meets || change.evenTouching)) {
                if (meets) {
                    pullEnd(*before, clip.at - before->end());
                    before->out = Fade{};
                    clip.in = Fade{};
                }
                changeFade(clip.in, change.in, change.inBy, change, clip.length);
            }
            if (wantsOut && (!isMet || change.evenTouching)) {
                if (isMet) {
                    pullStart(*after, after->at - clip.end());
                    after->in = Fade{};
                    clip.out = Fade{};
                }
                changeFade(clip.out, change.out, change.outBy, change, clip.length);
            }
            shareFades(clip);
            if (clip.in != in || clip.out != out) {
                clip.byHand = true;
                isAny = true;
            }
        }
        putTrack(next, std::move(track));
    }
    if (!isAny) {
        return badArgument("no free end among the chosen clips was changed; ends that meet keep "
                           "their crossfade unless told to fade");
    }
    return next;
}

std::vector<Frames> markTimes(const Song& song, const MicSet& set, Span within, Frames leadIn)
{
    std::vector<Frames> times;
    for (const TrackId id : set.tracks) {
        const auto track = song.track(id);
        if (!track || !track->isLead) {
            continue;
        }
        for (const Clip& clip : track->clips) {
            if (clip.isReversed) {
                continue;
            }
            for (const Mark& mark : track->marks) {
                const Frames at = mark.at + clip.offset() - leadIn;
                if (mark.isOn && mark.at >= clip.takeStart &&
                    mark.at < clip.takeStart + clip.length && at > within.from && at < within.to) {
                    times.push_back(at);
                }
            }
        }
    }
    std::ranges::sort(times);
    const auto close = [&](Frames a, Frames b) {
        return b - a < toFrames(milliseconds(20.0), song.rate);
    };
    times.erase(std::ranges::unique(times, close).begin(), times.end());
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
