#include "core/edits/ClipEdits.h"

#include "core/edits/FitEdits.h"
#include "core/edits/ShapeEdits.h"

#include <algorithm>
#include <limits>
#include <list>
#include <map>
#include <set>

namespace orthochron {

namespace {

constexpr Frames kShortest{16};  // no edit leaves a clip shorter than this

// A set an edit opens: all its tracks taken apart, so that what comes later can move on all alike.
struct OpenSet {
    std::vector<TrackId> tracks;
    std::vector<std::vector<Piece>> pieces;
    std::map<PartId, Span> parts;  // those chosen, of the microphone that has most of each
};

// The sets an edit opens, and how they are put together again.
class HandEdit {
public:
    HandEdit(const Song& song, Chosen chosen)
        : song_(song), chosen_(std::move(chosen)), ids_(song_.lastId)
    {
        for (const auto& [id, clips] : chosen_) {
            open(id);
        }
        for (OpenSet& set : sets_) {
            for (std::size_t t = 0; t < set.tracks.size(); ++t) {
                for (const Piece& piece : set.pieces[t]) {
                    if (isChosen(set.tracks[t], piece.clip)) {
                        const Span own{piece.clip.at, piece.clip.end()};
                        Span& span = set.parts.try_emplace(piece.clip.part, own).first->second;
                        span.from = std::min(span.from, own.from);
                        span.to = std::max(span.to, own.to);
                    }
                }
            }
        }
    }
    HandEdit(const HandEdit&) = delete;
    HandEdit& operator=(const HandEdit&) = delete;

    // The set of a track, with all its tracks.
    OpenSet& open(TrackId id)
    {
        for (OpenSet& set : sets_) {
            if (std::ranges::find(set.tracks, id) != set.tracks.end()) {
                return set;
            }
        }
        const MicSet* set = song_.setOf(id);
        OpenSet& opened = sets_.emplace_back();
        opened.tracks = set != nullptr ? set->tracks : std::vector{id};
        for (const TrackId track : opened.tracks) {
            opened.pieces.push_back(takenApart(song_.track(track)->clips));
        }
        return opened;
    }
    [[nodiscard]] std::vector<Piece>& pieces(TrackId id)
    {
        OpenSet& set = open(id);
        const auto place = std::ranges::find(set.tracks, id) - set.tracks.begin();
        return set.pieces[static_cast<std::size_t>(place)];
    }
    [[nodiscard]] std::list<OpenSet>& sets() { return sets_; }
    [[nodiscard]] bool isChosen(TrackId track, const Clip& clip) const
    {
        const auto own = chosen_.find(track);
        return own != chosen_.end() && own->second.contains(clip.id);
    }
    [[nodiscard]] NewIds& ids() { return ids_; }
    [[nodiscard]] const Song& song() const { return song_; }

    [[nodiscard]] Song finish(const HandJoin& join)
    {
        for (OpenSet& set : sets_) {
            auto clips = putTogether(song_, std::move(set.pieces), join);
            for (std::size_t t = 0; t < set.tracks.size(); ++t) {
                const auto before = song_.track(set.tracks[t]);
                if (clips[t] != before->clips) {
                    Track track = *before;
                    track.clips = std::move(clips[t]);
                    putTrack(song_, std::move(track));
                }
            }
        }
        return song_;
    }

private:
    Song song_;
    Chosen chosen_;
    NewIds ids_;
    std::list<OpenSet> sets_;
};

// Takes the chosen pieces out of a track.
template<class IsChosen>
std::vector<Piece> takenOut(std::vector<Piece>& pieces, const IsChosen& isChosen)
{
    std::vector<Piece> taken;
    std::vector<Piece> left;
    for (Piece& piece : pieces) {
        (isChosen(piece.clip) ? taken : left).push_back(piece);
    }
    pieces = std::move(left);
    return taken;
}

constexpr const char* kLockedAlong = "a locked clip would move along; unlock it first";

// From `from` on all moves by `by`.
struct Shift {
    Frames from;
    Frames by;
};

// Moves what lies after each of some shifts, ascending by `from`, by all those before it.
// Errors: BadArgument when something locked would move.
Result<void> shiftAlong(std::vector<Piece>& pieces, const std::vector<Shift>& shifts)
{
    auto next = shifts.begin();
    Frames by{0};
    for (Piece& piece : pieces) {
        for (; next != shifts.end() && next->from <= piece.clip.at; ++next) {
            by += next->by;
        }
        if (by == Frames(0)) {
            continue;
        }
        if (piece.clip.isLocked) {
            return badArgument(kLockedAlong);
        }
        piece.clip.at += by;
        piece.clip.byHand = true;
    }
    return {};
}

// The same on all microphones of a set, whatever each has of what was changed.
Result<void> shiftAlong(OpenSet& set, std::vector<Shift> shifts)
{
    std::ranges::sort(shifts, {}, &Shift::from);
    for (auto& pieces : set.pieces) {
        if (auto shifted = shiftAlong(pieces, shifts); !shifted) {
            return shifted;
        }
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
    return low > high ? Frames(0) : std::clamp(by, low, high);
}

}  // namespace

Result<Song> splitClips(
    const Song& song,
    const ClipChoice& choice,
    const std::vector<Frames>& times,
    const HandSettings& settings
)
{
    const auto chosen = freeOf(song, withTheirSet(song, choice));
    if (!chosen) {
        return tl::unexpected(chosen.error());
    }
    std::vector<Frames> sorted = times;
    std::ranges::sort(sorted);
    HandEdit edit(song, *chosen);
    bool isAny = false;
    for (const auto& [id, clips] : *chosen) {
        std::vector<Piece> next;
        for (Piece piece : edit.pieces(id)) {
            if (clips.contains(piece.clip.id)) {
                const PartId whole = piece.clip.part;
                auto time = std::ranges::lower_bound(sorted, piece.clip.at + kShortest);
                for (; time != sorted.end() && *time <= piece.clip.end() - kShortest; ++time) {
                    if (*time < piece.clip.at + kShortest) {
                        continue;
                    }
                    Piece head = piece;
                    pullEnd(head.clip, *time - head.clip.end());
                    head.clip.out = Fade{};
                    next.push_back(head);
                    pullStart(piece.clip, piece.clip.at - *time);
                    piece.clip.in = Fade{};
                    piece.clip.id = edit.ids().clip();
                    piece.clip.part = edit.ids().part(whole, time->count());
                    piece.meeting.reset();
                    isAny = true;
                }
            }
            next.push_back(piece);
        }
        edit.pieces(id) = std::move(next);
    }
    if (!isAny) {
        return badArgument("no place to split inside the selected clips");
    }
    return edit.finish(settings.join);
}

namespace {

// Moves an edge of one piece by what its part's edge is moved by. A microphone whose take ends
// before the edge of its part is met by the edge only once that comes inside.
void trimPiece(Clip& clip, const Span& part, Edge edge, Frames moved)
{
    if (edge == Edge::Start) {
        const Frames inwards = part.from + moved - clip.at;
        pullStart(clip, clip.at == part.from ? -moved : -std::max(inwards, Frames(0)));
    } else {
        const Frames outwards = part.to + moved - clip.end();
        pullEnd(clip, clip.end() == part.to ? moved : std::min(outwards, Frames(0)));
    }
    clip.byHand = true;
}

// Of two chosen neighbours the one whose edge was pulled covers the other.
void coverNeighbours(std::vector<Piece>& taken, Edge edge)
{
    for (std::size_t i = 1; i < taken.size(); ++i) {
        Clip& before = taken[i - 1].clip;
        Clip& after = taken[i].clip;
        const Frames over = before.end() - after.at;
        if (over > Frames(0) && edge == Edge::End) {
            pullStart(after, -std::min(over, after.length));
        } else if (over > Frames(0)) {
            pullEnd(before, -std::min(over, before.length));
        }
    }
    std::erase_if(taken, [](const Piece& piece) { return piece.clip.length <= Frames(0); });
}

}  // namespace

Result<Song> trimClips(
    const Song& song, const ClipChoice& choice, Edge edge, Frames by, const HandSettings& settings
)
{
    const auto chosen = freeOf(song, withTheirSet(song, choice));
    if (!chosen) {
        return tl::unexpected(chosen.error());
    }
    HandEdit edit(song, *chosen);
    const bool isStart = edge == Edge::Start;
    Frames low{std::numeric_limits<std::int64_t>::min() / 4};
    Frames high{std::numeric_limits<std::int64_t>::max() / 4};
    for (const OpenSet& set : edit.sets()) {
        for (std::size_t t = 0; t < set.tracks.size(); ++t) {
            for (const Piece& piece : set.pieces[t]) {
                const Clip& clip = piece.clip;
                if (!edit.isChosen(set.tracks[t], clip)) {
                    continue;
                }
                // Only those that reach the edge of their part say how far it can be pulled.
                const Span part = set.parts.at(clip.part);
                const Frames inside = std::max(Frames(0), part.to - part.from - kShortest);
                if (isStart) {
                    // With ripple the clip stays where it is, so that the song's start is no limit.
                    const Frames spare = spareBefore(song, clip);
                    const Frames most = settings.ripple ? spare : std::min(spare, clip.at);
                    high = std::min(high, inside);
                    low = clip.at == part.from ? std::max(low, -most) : low;
                } else {
                    low = std::max(low, -inside);
                    high = clip.end() == part.to ? std::min(high, spareAfter(song, clip)) : high;
                }
            }
        }
    }
    const Frames moved = low > high ? Frames(0) : std::clamp(by, low, high);
    if (moved == Frames(0)) {
        return badArgument(
            by == Frames(0) ? "the edge was not moved" : "no audio beyond the clip's edge"
        );
    }
    for (OpenSet& set : edit.sets()) {
        std::vector<std::vector<Piece>> taken;
        for (std::size_t t = 0; t < set.tracks.size(); ++t) {
            auto& own = taken.emplace_back(takenOut(set.pieces[t], [&](const Clip& clip) {
                return edit.isChosen(set.tracks[t], clip);
            }));
            for (Piece& piece : own) {
                trimPiece(piece.clip, set.parts.at(piece.clip.part), edge, moved);
            }
        }
        if (settings.ripple) {
            // A clip stays beside the one before it; what comes later follows its end.
            const Frames longer = isStart ? -moved : moved;
            std::vector<Shift> shifts;
            for (const auto& [part, span] : set.parts) {
                shifts.push_back({span.to, longer});
            }
            if (auto shifted = shiftAlong(set, shifts); !shifted) {
                return tl::unexpected(shifted.error());
            }
            std::ranges::sort(shifts, {}, &Shift::from);
            for (auto& own : taken) {
                for (Piece& piece : own) {
                    const Frames end = set.parts.at(piece.clip.part).to;
                    const auto before =
                        std::ranges::lower_bound(shifts, end, {}, &Shift::from) - shifts.begin();
                    piece.clip.at += longer * before + (isStart ? longer : Frames(0));
                }
            }
        }
        for (std::size_t t = 0; t < set.tracks.size(); ++t) {
            coverNeighbours(taken[t], edge);
            if (auto laid = layOver(set.pieces[t], std::move(taken[t]), edit.ids()); !laid) {
                return tl::unexpected(laid.error());
            }
        }
    }
    return edit.finish(settings.join);
}

Frames slipReach(const Song& song, const ClipChoice& choice, Frames by)
{
    const Chosen chosen = chosenOf(song, withTheirSet(song, choice));
    return limited(song, chosen, by, [&](const Clip& clip) {
        return std::pair{-spareAfter(song, clip), spareBefore(song, clip)};
    });
}

Result<Song>
slipClips(const Song& song, const ClipChoice& choice, Frames by, const HandSettings& settings)
{
    const auto chosen = freeOf(song, withTheirSet(song, choice));
    if (!chosen) {
        return tl::unexpected(chosen.error());
    }
    const Frames moved = slipReach(song, choice, by);
    if (moved == Frames(0)) {
        return badArgument("no audio beyond the clip's edge");
    }
    HandEdit edit(song, *chosen);
    for (const auto& [id, clips] : *chosen) {
        for (Piece& piece : edit.pieces(id)) {
            if (clips.contains(piece.clip.id)) {
                piece.clip.soundStart += piece.clip.isReversed ? moved : -moved;
                piece.clip.byHand = true;
            }
        }
    }
    return edit.finish(settings.join);
}

Result<Song>
moveClips(const Song& song, const ClipChoice& choice, Frames by, const HandSettings& settings)
{
    const auto chosen = freeOf(song, withTheirSet(song, choice));
    if (!chosen) {
        return tl::unexpected(chosen.error());
    }
    const Frames moved = limited(song, *chosen, by, [](const Clip& clip) {
        return std::pair{-clip.at, Frames(std::numeric_limits<std::int64_t>::max() / 4)};
    });
    if (moved == Frames(0)) {
        return badArgument("the clips are already at the song's start");
    }
    HandEdit edit(song, *chosen);
    std::map<TrackId, std::vector<Span>> spans;
    for (OpenSet& set : edit.sets()) {
        Frames first{std::numeric_limits<std::int64_t>::max()};
        for (const auto& [part, span] : set.parts) {
            first = std::min(first, span.from);
        }
        for (std::size_t t = 0; t < set.tracks.size(); ++t) {
            // What comes later is laid down with the clips, or it would lie over what was before.
            auto taken = takenOut(set.pieces[t], [&](const Clip& clip) {
                return edit.isChosen(set.tracks[t], clip) || (settings.ripple && clip.at >= first);
            });
            for (Piece& piece : taken) {
                if (piece.clip.isLocked) {
                    return badArgument(kLockedAlong);
                }
                spans[set.tracks[t]].push_back({piece.clip.at, piece.clip.end()});
                piece.clip.at += moved;
                piece.clip.byHand = true;
            }
            if (auto laid = layOver(set.pieces[t], std::move(taken), edit.ids()); !laid) {
                return tl::unexpected(laid.error());
            }
        }
    }
    return withHushesAlong(edit.finish(settings.join), spans, moved);
}

Result<Song> moveToTrack(
    const Song& song, const ClipChoice& choice, TrackId target, const HandSettings& settings
)
{
    const auto chosen = freeOf(song, choice);
    if (!chosen) {
        return tl::unexpected(chosen.error());
    }
    const auto track = song.track(target);
    if (!track || track->isLocked) {
        return badArgument(track ? "the track is locked; unlock it first" : "track not found");
    }
    HandEdit edit(song, *chosen);
    std::vector<Piece> moved;
    for (const auto& [id, clips] : *chosen) {
        if (id == target) {
            continue;
        }
        const auto isOwn = [&own = clips](const Clip& clip) { return own.contains(clip.id); };
        for (Piece& piece : takenOut(edit.pieces(id), isOwn)) {
            piece.clip.byHand = true;
            moved.push_back(piece);
        }
    }
    if (moved.empty()) {
        return badArgument("the clips are already on that track");
    }
    std::ranges::stable_sort(moved, {}, [](const Piece& piece) { return piece.clip.at; });
    for (std::size_t i = 1; i < moved.size(); ++i) {
        if (moved[i - 1].clip.end() > moved[i].clip.at) {
            return badArgument("two of the clips would overlap on that track; move them one by one"
            );
        }
    }
    if (auto laid = layOver(edit.pieces(target), std::move(moved), edit.ids()); !laid) {
        return tl::unexpected(laid.error());
    }
    return edit.finish(settings.join);
}

std::optional<CopiedClips> copyOf(const Song& song, const ClipChoice& choice)
{
    const ClipChoice whole = withTheirSet(song, choice);
    const auto span = spanOf(song, whole);
    if (!span) {
        return std::nullopt;
    }
    CopiedClips copied{{}, *span};
    for (const auto& [id, clips] : chosenOf(song, whole)) {
        auto pieces = takenApart(song.track(id)->clips);
        copied.pieces[id] =
            takenOut(pieces, [&own = clips](const Clip& clip) { return own.contains(clip.id); });
    }
    return copied;
}

Result<Song> layCopies(
    const Song& song, const CopiedClips& copied, Frames at, int times, const HandSettings& settings
)
{
    if (times < 1 || times > 10'000 || at < Frames(0)) {
        return badArgument("enter a position in the song and 1 to 10000 copies");
    }
    const Frames length = copied.span.to - copied.span.from;
    HandEdit edit(song, {});
    for (const auto& [id, originals] : copied.pieces) {
        const auto track = song.track(id);
        if (!track) {
            return badArgument("the track these clips came from is no longer in the song");
        }
        if (track->isLocked) {
            return badArgument("the track is locked; unlock it first");
        }
        (void)edit.open(id);
    }
    for (OpenSet& set : edit.sets()) {
        if (settings.ripple) {
            if (auto shifted = shiftAlong(set, {{at, length * times}}); !shifted) {
                return tl::unexpected(shifted.error());
            }
        }
    }
    for (const auto& [id, originals] : copied.pieces) {
        std::vector<Piece> copies;
        for (int n = 0; n < times; ++n) {
            std::map<ClipId, ClipId> renamed;
            for (Piece piece : originals) {
                const ClipId was = piece.clip.id;
                piece.clip.id = edit.ids().clip();
                piece.clip.part = edit.ids().part(piece.clip.part, -1 - n);
                renamed[was] = piece.clip.id;
                piece.clip.at += at - copied.span.from + length * n;
                piece.clip.isLocked = false;
                piece.clip.byHand = true;
                if (piece.meeting) {
                    piece.meeting->with = renamed[piece.meeting->with];
                }
                copies.push_back(piece);
            }
        }
        if (auto laid = layOver(edit.pieces(id), std::move(copies), edit.ids()); !laid) {
            return tl::unexpected(laid.error());
        }
    }
    return edit.finish(settings.join);
}

Result<Song> deleteClips(const Song& song, const ClipChoice& choice, const HandSettings& settings)
{
    const auto chosen = freeOf(song, withTheirSet(song, choice));
    if (!chosen) {
        return tl::unexpected(chosen.error());
    }
    HandEdit edit(song, *chosen);
    for (OpenSet& set : edit.sets()) {
        for (std::size_t t = 0; t < set.tracks.size(); ++t) {
            std::erase_if(set.pieces[t], [&](const Piece& piece) {
                return edit.isChosen(set.tracks[t], piece.clip);
            });
        }
        std::vector<Shift> shifts;
        for (const auto& [part, span] : set.parts) {
            shifts.push_back({span.to, span.from - span.to});
        }
        if (settings.ripple) {
            if (auto shifted = shiftAlong(set, std::move(shifts)); !shifted) {
                return tl::unexpected(shifted.error());
            }
        }
    }
    return edit.finish(settings.join);
}

Result<Song> joinClips(const Song& song, const ClipChoice& choice, const HandSettings& settings)
{
    const auto chosen = freeOf(song, withTheirSet(song, choice));
    if (!chosen) {
        return tl::unexpected(chosen.error());
    }
    HandEdit edit(song, *chosen);
    bool isAny = false;
    for (const auto& [id, clips] : *chosen) {
        const bool joined = joinContinuous(edit.pieces(id), [&wanted = clips](const Clip& clip) {
            return wanted.contains(clip.id);
        });
        isAny = isAny || joined;
    }
    if (!isAny) {
        return badArgument("selected clips are not consecutive in their take");
    }
    return edit.finish(settings.join);
}

Result<Song> reverseClips(const Song& song, const ClipChoice& choice, const HandSettings& settings)
{
    const auto chosen = freeOf(song, withTheirSet(song, choice));
    if (!chosen) {
        return tl::unexpected(chosen.error());
    }
    HandEdit edit(song, *chosen);
    for (OpenSet& set : edit.sets()) {
        for (std::size_t t = 0; t < set.tracks.size(); ++t) {
            for (Piece& piece : set.pieces[t]) {
                if (edit.isChosen(set.tracks[t], piece.clip)) {
                    // About the middle of the part: a take that ends early then begins late.
                    const Span part = set.parts.at(piece.clip.part);
                    piece.clip.at = part.from + (part.to - piece.clip.end());
                    piece.clip.isReversed = !piece.clip.isReversed;
                    piece.clip.byHand = true;
                    std::swap(piece.clip.in, piece.clip.out);
                }
            }
        }
    }
    return edit.finish(settings.join);
}

}  // namespace orthochron
