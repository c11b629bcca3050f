#include "core/edits/Pieces.h"

#include <algorithm>
#include <map>

namespace orthochron {

namespace {

// The sound time after its last frame.
Frames soundEnd(const Song& song, const Clip& clip)
{
    const Take* take = song.take(clip.sound.take);
    return take != nullptr ? clip.sound.end(take->frames) : clip.soundStart + clip.length;
}

Frames share(Frames whole, Frames part, Frames other)
{
    const Frames sum = part + other;
    if (sum <= whole || sum <= Frames(0)) {
        return part;
    }
    return Frames(static_cast<std::int64_t>(
        static_cast<double>(whole.count()) * static_cast<double>(part.count()) /
        static_cast<double>(sum.count())
    ));
}

}  // namespace

std::vector<Piece> takenApart(const std::vector<Clip>& clips)
{
    std::vector<Piece> pieces;
    pieces.reserve(clips.size());
    for (const Clip& clip : clips) {
        Piece piece{clip, std::nullopt};
        if (!clip.part.isValid()) {
            piece.clip.part = PartId{clip.id.value};  // ids of all kinds are given out together
        }
        if (!pieces.empty() && pieces.back().clip.end() >= clip.at) {
            const Clip& before = pieces.back().clip;
            const Frames overlap = before.end() - clip.at;
            piece.meeting = Meeting{before.id, overlap, clip.in};
            if (overlap > Frames(0)) {
                pullStart(piece.clip, -std::min(overlap, piece.clip.length));
                piece.clip.in = Fade{};
                pieces.back().clip.out = Fade{};
            }
        }
        pieces.push_back(piece);
    }
    return pieces;
}

HandJoin handJoin(const JoinSettings& joins, Hertz rate)
{
    return {toFrames(joins.crossfade, rate), joins.shape};
}

bool isWellJoined(const std::vector<Clip>& clips)
{
    for (std::size_t i = 0; i + 1 < clips.size(); ++i) {
        const Frames overlap = clips[i].end() - clips[i + 1].at;
        const bool isMet = overlap <= Frames(0) ||
                           (clips[i].out.length == overlap && clips[i + 1].in.length == overlap);
        if (!isMet || (i + 2 < clips.size() && clips[i].end() > clips[i + 2].at)) {
            return false;
        }
    }
    return true;
}

Frames spareBefore(const Song& song, const Clip& clip)
{
    return clip.isReversed ? soundEnd(song, clip) - clip.soundStart - clip.length
                           : clip.soundStart - clip.sound.begin();
}

Frames spareAfter(const Song& song, const Clip& clip)
{
    return clip.isReversed ? clip.soundStart - clip.sound.begin()
                           : soundEnd(song, clip) - clip.soundStart - clip.length;
}

void pullStart(Clip& clip, Frames outwards)
{
    clip.at -= outwards;
    clip.length += outwards;
    if (!clip.isReversed) {
        clip.soundStart -= outwards;
    }
}

void pullEnd(Clip& clip, Frames outwards)
{
    clip.length += outwards;
    if (clip.isReversed) {
        clip.soundStart -= outwards;
    }
}

bool isContinuous(const Clip& before, const Clip& after)
{
    return before.end() == after.at && before.sound == after.sound && before.gain == after.gain &&
           before.isMuted == after.isMuted && before.isLocked == after.isLocked &&
           !before.isReversed && !after.isReversed && before.offset() == after.offset();
}

bool joinContinuous(std::vector<Piece>& pieces, const std::function<bool(const Clip&)>& mayJoin)
{
    std::vector<Piece> joined;
    joined.reserve(pieces.size());
    for (const Piece& piece : pieces) {
        if (joined.empty() || !mayJoin(joined.back().clip) || !mayJoin(piece.clip) ||
            !isContinuous(joined.back().clip, piece.clip)) {
            joined.push_back(piece);
            continue;
        }
        Clip& longer = joined.back().clip;
        longer.length += piece.clip.length;
        longer.out = piece.clip.out;
        longer.byHand = longer.byHand || piece.clip.byHand;
    }
    // What follows met the piece that is now part of the one before it.
    for (std::size_t i = 1; i < joined.size(); ++i) {
        if (joined[i].meeting) {
            joined[i].meeting->with = joined[i - 1].clip.id;
        }
    }
    const bool isAny = joined.size() < pieces.size();
    pieces = std::move(joined);
    return isAny;
}

std::vector<Piece>
cropped(const std::vector<Piece>& pieces, Frames from, Frames to, bool outside, NewIds& ids)
{
    std::vector<Piece> result;
    const auto part = [&](const Piece& piece, Frames begin, Frames end) {
        const Frames first = std::max(begin, piece.clip.at);
        const Frames last = std::min(end, piece.clip.end());
        if (last <= first) {
            return;
        }
        Piece kept = piece;
        const bool isCut = first > piece.clip.at;
        pullEnd(kept.clip, last - kept.clip.end());
        pullStart(kept.clip, kept.clip.at - first);
        if (isCut) {
            kept.clip.in = Fade{};
            kept.clip.id = ids.clip();
            kept.clip.part = ids.part(kept.clip.part, first.count());
            kept.meeting.reset();
        }
        if (last < piece.clip.end()) {
            kept.clip.out = Fade{};
        }
        result.push_back(kept);
    };
    for (const Piece& piece : pieces) {
        if (!outside) {
            part(piece, from, to);
            continue;
        }
        part(piece, piece.clip.at, from);
        part(piece, to, piece.clip.end());
    }
    return result;
}

Result<void> layOver(std::vector<Piece>& pieces, std::vector<Piece> laid, NewIds& ids)
{
    const auto start = [](const Piece& piece) { return piece.clip.at; };
    std::ranges::stable_sort(laid, {}, start);
    std::vector<Piece> result;
    result.reserve(pieces.size() + laid.size());
    for (const Piece& piece : pieces) {
        // Those that are laid do not overlap each other, so their ends ascend too.
        auto over = std::ranges::upper_bound(laid, piece.clip.at, {}, [](const Piece& each) {
            return each.clip.end();
        });
        std::optional<Piece> left = piece;
        bool isCut = false;  // what is left of it has a new id from here on
        for (; left && over != laid.end() && over->clip.at < left->clip.end(); ++over) {
            const Frames from = over->clip.at;
            const Frames to = over->clip.end();
            if (piece.clip.isLocked) {
                return badArgument("a locked clip is in the way; unlock it first");
            }
            if (left->clip.at < from) {
                Piece head = *left;
                pullEnd(head.clip, from - head.clip.end());
                head.clip.out = Fade{};
                result.push_back(head);
                isCut = true;
            }
            if (left->clip.end() <= to) {
                left.reset();
                break;
            }
            pullStart(left->clip, left->clip.at - to);
            left->clip.in = Fade{};
            left->meeting.reset();
            if (isCut) {
                left->clip.id = ids.clip();
                left->clip.part = ids.part(piece.clip.part, to.count());
            }
        }
        if (left) {
            result.push_back(*left);
        }
    }
    result.insert(result.end(), laid.begin(), laid.end());
    std::ranges::stable_sort(result, {}, start);
    pieces = std::move(result);
    return {};
}

namespace {

// How far a crossfade reaches to both sides of its boundary.
struct Reach {
    Frames left;
    Frames right;
};

bool touches(const std::vector<Piece>& pieces, std::size_t i)
{
    return i > 0 && i < pieces.size() && pieces[i - 1].clip.end() == pieces[i].clip.at;
}

const Meeting* meetingOf(const std::vector<Piece>& pieces, std::size_t i)
{
    const auto& meeting = pieces[i].meeting;
    return meeting && meeting->with == pieces[i - 1].clip.id ? &*meeting : nullptr;
}

std::vector<Reach> reaches(const Song& song, const std::vector<Piece>& pieces, const HandJoin& join)
{
    std::vector<Reach> all(pieces.size() + 1);
    for (std::size_t i = 1; i < pieces.size(); ++i) {
        if (!touches(pieces, i)) {
            continue;
        }
        const Meeting* meeting = meetingOf(pieces, i);
        const Frames wanted = meeting != nullptr ? meeting->length : join.crossfade;
        all[i].left =
            std::clamp(wanted, Frames(0), std::max(Frames(0), spareBefore(song, pieces[i].clip)));
        all[i].right = std::min(
            wanted - all[i].left, std::max(Frames(0), spareAfter(song, pieces[i - 1].clip))
        );
    }
    for (std::size_t i = 0; i < pieces.size(); ++i) {
        const Clip& clip = pieces[i].clip;
        const Frames start = touches(pieces, i) ? all[i].right : clip.in.length;
        const bool meetsNext = touches(pieces, i + 1);
        const Frames end = meetsNext ? all[i + 1].left : clip.out.length;
        if (touches(pieces, i)) {
            all[i].right = share(clip.length, start, end);
        }
        if (meetsNext) {
            all[i + 1].left = share(clip.length, end, start);
        }
    }
    return all;
}

void fadeFreeEnd(Fade& fade, const Clip& clip, Frames spare, const HandJoin& join)
{
    // An end inside the take is a cut in the sound; the take's own end is not.
    if (fade.length == Frames(0) && spare > Frames(0)) {
        fade =
            Fade{std::min(join.crossfade, Frames(clip.length.count() / 2)), FadeShape::EqualGain};
    }
}

// Free ends give way to crossfades, whose length is that of an overlap, and to each other.
void fitFades(Clip& clip, bool isCrossfadeIn, bool isCrossfadeOut)
{
    const Frames in = clip.in.length;
    if (isCrossfadeIn && isCrossfadeOut) {
        return;  // they were given what room there is
    }
    if (isCrossfadeIn) {
        clip.out.length = std::min(clip.out.length, clip.length - in);
    } else if (isCrossfadeOut) {
        clip.in.length = std::min(in, clip.length - clip.out.length);
    } else {
        clip.in.length = share(clip.length, in, clip.out.length);
        clip.out.length = share(clip.length, clip.out.length, in);
    }
}

std::vector<Clip> clipsOf(
    const Song& song,
    const std::vector<Piece>& pieces,
    const std::map<Frames, Reach>& common,
    const HandJoin& join
)
{
    std::vector<Clip> clips;
    clips.reserve(pieces.size());
    for (std::size_t i = 0; i < pieces.size(); ++i) {
        Clip clip = pieces[i].clip;
        const bool meets = touches(pieces, i);
        const bool isMet = touches(pieces, i + 1);
        const Reach before = meets ? common.at(clip.at) : Reach{};
        const Reach after = isMet ? common.at(clip.end()) : Reach{};
        if (!meets) {
            fadeFreeEnd(clip.in, clip, spareBefore(song, clip), join);
        }
        if (!isMet) {
            fadeFreeEnd(clip.out, clip, spareAfter(song, clip), join);
        }
        const auto look = [&](std::size_t later, Frames length) {
            const Meeting* meeting = meetingOf(pieces, later);
            Fade fade = meeting != nullptr ? meeting->look : Fade{Frames(0), join.shape};
            fade.length = length;
            return fade;
        };
        // Where two touch without a crossfade, each keeps the fade it was given.
        if (const Frames length = before.left + before.right; length > Frames(0)) {
            clip.in = look(i, length);
        }
        if (const Frames length = after.left + after.right; length > Frames(0)) {
            clip.out = look(i + 1, length);
        }
        pullStart(clip, before.left);
        pullEnd(clip, after.right);
        fitFades(
            clip, before.left + before.right > Frames(0), after.left + after.right > Frames(0)
        );
        clips.push_back(clip);
    }
    return clips;
}

}  // namespace

void partPieces(std::vector<Piece>& pieces)
{
    std::ranges::stable_sort(pieces, {}, [](const Piece& piece) { return piece.clip.at; });
    Frames taken{0};  // up to here a locked piece is heard
    for (std::size_t i = 0; i < pieces.size(); ++i) {
        Clip& clip = pieces[i].clip;
        if (!clip.isLocked && clip.at < taken) {
            pullStart(clip, clip.at - taken);
            clip.in = Fade{};
        }
        taken = clip.isLocked ? std::max(taken, clip.end()) : taken;
        if (i + 1 < pieces.size() && clip.end() > pieces[i + 1].clip.at && !clip.isLocked) {
            pullEnd(clip, pieces[i + 1].clip.at - clip.end());
            clip.out = Fade{};
        }
    }
    // A clip that was heard only within a crossfade has nothing left outside of it.
    std::erase_if(pieces, [](const Piece& piece) { return piece.clip.length <= Frames(0); });
}

std::vector<std::vector<Clip>>
putTogether(const Song& song, std::vector<std::vector<Piece>> tracks, const HandJoin& join)
{
    std::map<Frames, Reach> common;
    for (auto& pieces : tracks) {
        partPieces(pieces);
        const auto own = reaches(song, pieces, join);
        for (std::size_t i = 1; i < pieces.size(); ++i) {
            if (touches(pieces, i)) {
                const auto [found, isNew] = common.try_emplace(pieces[i].clip.at, own[i]);
                if (!isNew) {
                    found->second.left = std::min(found->second.left, own[i].left);
                    found->second.right = std::min(found->second.right, own[i].right);
                }
            }
        }
    }
    std::vector<std::vector<Clip>> all;
    all.reserve(tracks.size());
    for (const auto& pieces : tracks) {
        all.push_back(clipsOf(song, pieces, common, join));
    }
    return all;
}

}  // namespace orthochron
