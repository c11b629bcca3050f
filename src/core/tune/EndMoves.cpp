#include "core/tune/EndMoves.h"

#include <algorithm>

namespace orthochron {

void moveEnds(
    std::span<const std::optional<EndMoves>> by, Hertz rate, std::vector<NoteTuning>& asked
)
{
    const Frames least = toFrames(kLeastLeft, rate);
    const std::vector<NoteTuning> were = asked;
    std::vector<bool> moves(asked.size());
    for (std::size_t i = 0; i < asked.size(); ++i) {
        moves[i] = by[i].has_value();
    }
    for (bool isSettled = false; !isSettled;) {
        isSettled = true;
        for (std::size_t i = 0; i < asked.size(); ++i) {
            asked[i].start = were[i].start;
            asked[i].end = were[i].end;
            if (moves[i]) {
                asked[i].start += by[i]->start;
                asked[i].end += by[i]->end;
            }
        }
        for (std::size_t i = 0; i < asked.size(); ++i) {
            if (!moves[i]) {
                continue;
            }
            if (i > 0 && !moves[i - 1]) {
                asked[i].start = std::max(asked[i].start, asked[i - 1].end);
            }
            if (i + 1 < asked.size()) {
                asked[i].end = std::min(asked[i].end, asked[i + 1].start);
            }
            if (asked[i].end - asked[i].start < least || asked[i].start < Frames(0)) {
                moves[i] = false;
                isSettled = false;
            }
        }
    }
}

}  // namespace orthochron
