#pragma once

#include "core/tune/Tuning.h"

#include <optional>
#include <span>
#include <vector>

namespace orthochron {

// A note where it is heard.
struct HeardNote {
    Frames start;  // song time
    Frames end;
    double centre = 0.0;  // semitones
    double offset = 0.0;  // of them, from its rung

    bool operator==(const HeardNote&) const = default;
};

// How far notes are drawn towards those of a guide, 0 to 1.
struct GuideAmounts {
    double pitch = 0.0;
    double time = 0.0;
};

// For each note the one of the guide that it doubles; none where the guide has nothing like it. The
// cheapest pairing in order: notes that begin apart cost by that, others than the same pitch by the
// interval, up to a third; what begins more than a second apart is never paired.
[[nodiscard]] std::vector<std::optional<std::size_t>>
pairedWith(std::span<const HeardNote> notes, std::span<const HeardNote> guide, Hertz rate);

// What is asked of notes, `heard` as they now are, so that they follow a guide: on top of what is asked
// already. A note that doubles the guide's is drawn to its pitch; one that harmonises with it (by more
// than 0.75 semitones) to being as far off its rung as the guide's is. In time its start goes towards the
// guide's start, its end towards its end, no further than its neighbours leave room. Errors: BadArgument
// for amounts that cannot be.
[[nodiscard]] Result<std::vector<NoteTuning>> drawnTowards(
    std::span<const HeardNote> heard,
    std::span<const HeardNote> guide,
    std::vector<NoteTuning> asked,
    const GuideAmounts& amounts,
    Hertz rate
);

}  // namespace orthochron
