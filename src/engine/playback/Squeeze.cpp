#include "engine/playback/Squeeze.h"

#include <algorithm>
#include <cmath>

namespace orthochron::engine {

namespace {

constexpr float kThreshold = 0.0056F;   // -45 dB
constexpr float kSlope = 1.0F / 10.0F;  // 10 : 1
constexpr Seconds kClose = milliseconds(0.3);
constexpr Seconds kOpen = milliseconds(40.0);

}  // namespace

void Squeeze::prepare(Hertz rate) noexcept
{
    const auto step = [&](Seconds time) {
        return static_cast<float>(-std::expm1(-1.0 / (time.count() * rate.count())));
    };
    close_ = step(kClose);
    open_ = step(kOpen);
    level_ = 0.0F;
}

void Squeeze::process(std::span<float> left, std::span<float> right) noexcept
{
    // Made up by what full scale loses.
    const float makeUp = std::pow(1.0F / kThreshold, 1.0F - kSlope);
    for (std::size_t i = 0; i < left.size(); ++i) {
        const float peak = std::max(std::abs(left[i]), std::abs(right[i]));
        level_ += (peak > level_ ? close_ : open_) * (peak - level_);
        const float over = std::max(level_, kThreshold) / kThreshold;
        const float gain = makeUp * std::pow(over, kSlope - 1.0F);
        left[i] = std::clamp(left[i] * gain, -1.0F, 1.0F);
        right[i] = std::clamp(right[i] * gain, -1.0F, 1.0F);
    }
}

}  // namespace orthochron::engine
