#pragma once

#include "core/audio/Channel.h"
#include "core/base/Work.h"

#include <vector>

namespace orthochron {

// Every attack of a channel, soft ones and other drums' too, ascending: what passes untouched when it
// is stretched as hits. Errors: the channel's, Cancelled; BadArgument for the rate.
[[nodiscard]] Result<std::vector<Frames>>
attacksOf(const Channel& channel, Hertz rate, const Work& work = {});

}  // namespace orthochron
