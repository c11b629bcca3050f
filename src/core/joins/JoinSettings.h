#pragma once

#include "core/joins/Crossfade.h"
#include "core/time/Units.h"

namespace orthochron {

struct JoinSettings {
    Seconds leadIn = milliseconds(4.0);  // kept before each attack
    Seconds crossfade = milliseconds(5.0);
    FadeShape shape = FadeShape::Matched;

    bool operator==(const JoinSettings&) const = default;

    // The usual length is made longer where it would tick; one that was asked for is kept.
    [[nodiscard]] bool mayBeLonger() const { return crossfade == JoinSettings{}.crossfade; }
};

// Errors: BadArgument for a time that cannot be meant.
[[nodiscard]] Result<void> validate(const JoinSettings& settings);

}  // namespace orthochron
