#pragma once

#include "core/time/Units.h"
#include "testkit/Rate.h"

#include <cmath>
#include <cstdint>
#include <numbers>
#include <span>

namespace orthochron::testkit {

// A head that rings on at 60 Hz, `ring` strong, under a whisper of noise, and the next blow half a second into it.
inline void ringOn(double ring, Frames from, std::span<float> into)
{
    constexpr std::int64_t kBlow = 24'000;
    constexpr std::int64_t kBlowEnds = 26'000;
    const double turn = 2.0 * std::numbers::pi * 60.0 / kRate.count();
    for (std::size_t i = 0; i < into.size(); ++i) {
        const std::int64_t at = from.count() + static_cast<std::int64_t>(i);
        const auto scattered = static_cast<std::uint32_t>(at) * 2'654'435'761U;
        const double noise = static_cast<double>(scattered >> 8U) / 8'388'608.0 - 1.0;
        const double blow = at >= kBlow && at < kBlowEnds ? 0.8 * noise : 0.0;
        into[i] = static_cast<float>(
            ring * std::sin(turn * static_cast<double>(at)) + 0.0005 * noise + blow
        );
    }
}

}  // namespace orthochron::testkit
