#pragma once

#include "core/pitch/PitchCurve.h"

#include <vector>

namespace orthochron {

// The pitch of one voice of any range: down to 30 Hz where it goes below 50, as a bass does, else down to 50,
// for a lower limit invites octaves that are none. Errors: pitchOf's.
[[nodiscard]] Result<std::vector<PitchFrame>>
pitchOfAnyVoice(const Channel& channel, Hertz rate, const Work& work = {});

}  // namespace orthochron
