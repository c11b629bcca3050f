#pragma once

#include "core/edits/ClipChoice.h"
#include "core/edits/Pieces.h"

#include <vector>

namespace orthochron {

// The song with the chosen clips, and those of the other microphones of their sets, changed by
// `change(set, clip)`, which says what went wrong. They meet their neighbours as ones that were moved by
// hand; or what comes later moves along by as much as they grow. Errors: freeOf's; the change's; BadArgument when something
// locked is in the way.
template<class Change>
[[nodiscard]] Result<Song>
changeChosen(const Song& song, const ClipChoice& choice, bool ripples, const Change& change)
{
    const auto chosen = freeOf(song, withTheirSet(song, choice));
    if (!chosen) {
        return tl::unexpected(chosen.error());
    }
    Song next = song;
    NewIds ids(next.lastId);
    for (const MicSet& set : song.sets) {
        std::vector<std::vector<Piece>> tracks;
        bool isTouched = false;
        for (const TrackId id : set.tracks) {
            std::vector<Piece> pieces;
            std::vector<Piece> changed;
            Frames later{0};
            for (Piece& piece : takenApart(song.track(id)->clips)) {
                const auto own = chosen->find(id);
                if (own == chosen->end() || !own->second.contains(piece.clip.id)) {
                    if (later != Frames(0) && piece.clip.isLocked) {
                        return badArgument("a locked clip does not move along");
                    }
                    piece.clip.at += later;
                    pieces.push_back(std::move(piece));
                    continue;
                }
                const Frames was = piece.clip.length;
                piece.clip.at += later;
                if (Result<void> done = change(set, piece.clip); !done) {
                    return tl::unexpected(done.error());
                }
                later += ripples ? piece.clip.length - was : Frames(0);
                changed.push_back(std::move(piece));
                isTouched = true;
            }
            if (auto laid = layOver(pieces, std::move(changed), ids); !laid) {
                return tl::unexpected(laid.error());
            }
            tracks.push_back(std::move(pieces));
        }
        if (!isTouched) {
            continue;
        }
        putClips(next, set.tracks, putTogether(next, std::move(tracks), {}));
    }
    return next;
}

}  // namespace orthochron
