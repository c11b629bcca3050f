#include "core/edits/ClipEdits.h"

#include "core/edits/FitEdits.h"

#include <algorithm>
#include <limits>
#include <map>
#include <set>

namespace orthochron {

namespace {

constexpr Frames kShortest{16};  // no edit leaves a clip shorter than this

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
            pieces.reserve(group.size());
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

// Takes out what begins at or after `from`. Errors: BadArgument when something of it is locked.
Result<std::vector<Piece>> takenFrom(std::vector<Piece>& pieces, Frames from)
{
    std::set<ClipId> later;
    for (const Piece& piece : pieces) {
        if (piece.clip.at >= from) {
            if (piece.clip.isLocked) {
                return badArgument("a locked clip lies in what would move along; unlock it first");
            }
            later.insert(piece.clip.id);
        }
    }
    return takenOut(pieces, later);
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
    return low > high ? Frames(0) : std::clamp(by, low, high);
}

}  // namespace

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

namespace {

// Moves an edge of one piece, over whatever lies there.
Result<void> trimPiece(
    std::vector<Piece>& pieces,
    ClipId clip,
    Edge edge,
    Frames moved,
    bool ripple,
    std::uint32_t& lastId
)
{
    auto taken = takenOut(pieces, {clip});
    if (taken.empty()) {
        return {};  // another of the chosen ones was pulled over it
    }
    Piece& piece = taken.front();
    const Frames end = piece.clip.end();
    if (edge == Edge::Start) {
        pullStart(piece.clip, -moved);
    } else {
        pullEnd(piece.clip, moved);
    }
    piece.clip.byHand = true;
    if (ripple) {
        // The clip stays beside its neighbour; what comes later follows its end.
        if (edge == Edge::Start) {
            piece.clip.at -= moved;
        }
        if (auto shifted = shiftFrom(pieces, end, piece.clip.end() - end); !shifted) {
            return shifted;
        }
    }
    return layOver(pieces, std::move(taken), lastId);
}

}  // namespace

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
        const Frames inside = std::max(Frames(0), clip.length - kShortest);
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
            if (auto done = trimPiece(pieces, clip, edge, moved, settings.ripple, edit.lastId());
                !done) {
                return tl::unexpected(done.error());
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
        if (settings.ripple) {
            // What comes later is laid down with the clips, or it would lie over what was before.
            auto along = takenFrom(pieces, taken.front().clip.at);
            if (!along) {
                return tl::unexpected(along.error());
            }
            taken.insert(taken.end(), along->begin(), along->end());
        }
        for (Piece& piece : taken) {
            piece.clip.at += moved;
            piece.clip.byHand = true;
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
    std::ranges::stable_sort(moved, {}, [](const Piece& piece) { return piece.clip.at; });
    for (std::size_t i = 1; i < moved.size(); ++i) {
        if (moved[i - 1].clip.end() > moved[i].clip.at) {
            return badArgument(
                "two of the clips would lie over each other on that track; move them one by one"
            );
        }
    }
    if (auto laid = layOver(edit.pieces(target), std::move(moved), edit.lastId()); !laid) {
        return tl::unexpected(laid.error());
    }
    return edit.finish(settings.join, sources);
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
        copied.pieces[id] = takenOut(pieces, clips);
    }
    return copied;
}

Result<Song> layCopies(
    const Song& song,
    const CopiedClips& copied,
    Frames at,
    int times,
    const HandSettings& settings,
    const Sources& sources
)
{
    if (times < 1 || times > 10'000 || at < Frames(0)) {
        return badArgument("give a place in the song and 1 to 10000 copies");
    }
    const Frames length = copied.span.to - copied.span.from;
    HandEdit edit(song);
    for (const auto& [id, originals] : copied.pieces) {
        const auto track = song.track(id);
        if (!track) {
            return badArgument("the track these clips came from is no longer in the song");
        }
        if (track->isLocked) {
            return badArgument("the track is locked; unlock it first");
        }
        auto& pieces = edit.pieces(id);
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
                piece.clip.at += at - copied.span.from + length * n;
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
        const bool joined = joinContinuous(edit.pieces(id), [&wanted = clips](const Clip& clip) {
            return wanted.contains(clip.id);
        });
        isAny = isAny || joined;
    }
    if (!isAny) {
        return badArgument("none of the chosen clips goes on in its take where the next begins");
    }
    return edit.finish(settings.join, sources);
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

}  // namespace orthochron
