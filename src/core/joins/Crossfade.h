#pragma once

#include "core/base/Result.h"

#include <string_view>

namespace orthochron {

// How the gains of a crossfade run. A fade (a join with silence) uses one side of it.
enum class FadeShape {
    EqualPower,  // keeps the level of sounds that have nothing in common
    EqualGain,   // keeps the level of like sounds
    Matched,     // keeps the level of these two, from their measured correlation
};

struct FadeGains {
    double out = 1.0;
    double in = 0.0;
};

// The gains at `place` (0..1) through a crossfade. For Matched, `correlation` (-1..1) is that of
// the two sounds: the power of their sum then stays the mean of theirs, as in Fink, Holters and
// Zoelzer (2016), with linear gains as the base, so that 1 is EqualGain.
[[nodiscard]] FadeGains fadeGains(FadeShape shape, double correlation, double place);

// "matched", "equal-power", "equal-gain". Errors: BadArgument.
[[nodiscard]] Result<FadeShape> parseFadeShape(std::string_view word);
[[nodiscard]] std::string_view fadeShapeWord(FadeShape shape);

}  // namespace orthochron
