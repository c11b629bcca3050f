#pragma once

#include "core/render/Sources.h"

#include <optional>

namespace orthochron {

// How loud a listener hears the mix of a song from one song time to another: integrated loudness after EBU R 128, in
// LUFS. None where all of it is silent or softer than the measure's gate of -70. Errors: the sources'; Cancelled;
// BadArgument for an empty span.
[[nodiscard]] Result<std::optional<double>>
loudnessOf(const Song& song, const Sources& sources, Frames from, Frames to, const Work& work = {});

}  // namespace orthochron
