#pragma once

#include "core/base/Work.h"
#include "core/render/Sources.h"

namespace orthochron {

// Below this nothing counts as sound.
constexpr double kLeastSound = -60.0;  // dB of full scale

// Where the last frame of a song's clips that sounds ends, whatever lines and hushes make of it; where
// the last clip ends when none does. Errors: the takes'; Cancelled.
[[nodiscard]] Result<Frames> lastSound(const Song& song, const Sources& sources, const Work& work);

}  // namespace orthochron
