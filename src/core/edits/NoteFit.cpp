#include "core/edits/NoteFit.h"

#include "core/tune/EndMoves.h"

#include <algorithm>
#include <cmath>

namespace orthochron {

namespace {

constexpr Seconds kUnheard = milliseconds(5.0);  // no listener tells a note that is so little off

// Where notes go whose starts move by so much: as a whole, but what touches or runs into the next one ends there.
std::vector<std::optional<EndMoves>>
endMoves(const std::vector<NoteTuning>& asked, const std::vector<Frames>& by)
{
    std::vector<std::optional<EndMoves>> moves(asked.size());
    for (std::size_t i = 0; i < asked.size(); ++i) {
        EndMoves move{by[i], by[i]};
        if (i + 1 < asked.size()) {
            const Frames next = asked[i + 1].start + by[i + 1];
            if (asked[i].end == asked[i + 1].start || asked[i].end + by[i] > next) {
                move.end = next - asked[i].end;
            }
        }
        if (move != EndMoves{}) {
            moves[i] = move;
        }
    }
    return moves;
}

}  // namespace

Result<FittedNotes> fitNotes(
    const Song& song,
    TrackId track,
    std::span<const HeardNote> heard,
    std::vector<NoteTuning> asked,
    const std::set<std::size_t>& meant,
    const FitRequest& request
)
{
    if (heard.empty() || heard.size() != asked.size()) {
        return badArgument("there are no notes to move");
    }
    if (auto valid = validate(request.fit); !valid) {
        return tl::unexpected(valid.error());
    }
    SetHits hits;
    hits.leads = {track};
    for (const HeardNote& note : heard) {
        hits.hits.push_back({.start = note.start, .beatPoint = note.start});
    }
    const Performance performance = judgeSet(song, hits, request);
    const Moves moves = planMoves(performance, request.fit);
    FittedNotes fitted{.asked = std::move(asked)};
    std::vector<Frames> by(heard.size(), Frames(0));
    for (const std::size_t i : meant) {
        const Frames move = i < by.size() ? moves.hits[i].move : Frames(0);
        if (std::abs(move.count()) >= toFrames(kUnheard, song.rate).count()) {
            by[i] = move;
        }
    }
    const std::vector<NoteTuning> were = fitted.asked;
    moveEnds(endMoves(were, by), song.rate, fitted.asked);
    for (std::size_t i = 0; i < were.size(); ++i) {
        fitted.moved += fitted.asked[i].start != were[i].start ? 1 : 0;
    }
    double mains = 0.0;
    for (const std::size_t i : meant) {
        if (i >= were.size() || performance.hits[i].role != HitRole::Main) {
            continue;
        }
        const Seconds off = performance.hits[i].deviation();
        const Seconds moved = toSeconds(fitted.asked[i].start - were[i].start, song.rate);
        fitted.before += Seconds(std::abs(off.count()));
        fitted.after += Seconds(std::abs((off + moved).count()));
        mains += 1.0;
    }
    fitted.before = fitted.before / std::max(mains, 1.0);
    fitted.after = fitted.after / std::max(mains, 1.0);
    return fitted;
}

}  // namespace orthochron
