#include "core/tempo/LoopSeam.h"

#include <algorithm>
#include <cmath>
#include <numeric>

namespace orthochron {

namespace {

constexpr Seconds kHalf = milliseconds(40.0);  // compared to either side of an edge
constexpr Seconds kFurthest = milliseconds(100.0);
constexpr double kSilence = 1e-9;  // mean power of what is no sound
constexpr double kNoBetter = 1e-6;

double powerOf(std::span<const float> sound)
{
    return std::transform_reduce(sound.begin(), sound.end(), 0.0, std::plus{}, [](float x) {
        return static_cast<double>(x) * static_cast<double>(x);
    });
}

double likeness(std::span<const float> one, std::span<const float> other)
{
    const double silence = kSilence * static_cast<double>(one.size());
    const double powers = powerOf(one) * powerOf(other);
    if (powers <= silence * silence) {
        return 0.0;
    }
    const double product = std::transform_reduce(
        one.begin(),
        one.end(),
        other.begin(),
        0.0,
        std::plus{},
        [](float a, float b) { return static_cast<double>(a) * static_cast<double>(b); }
    );
    return product / std::sqrt(powers);
}

}  // namespace

Result<LoopSeam> seamOf(const Channel& channel, Hertz rate, Frames from, Frames to)
{
    return nearestSeam(channel, rate, from, to, Seconds(0.0));
}

Result<LoopSeam>
nearestSeam(const Channel& channel, Hertz rate, Frames from, Frames to, Seconds reach)
{
    if (to <= from) {
        return badArgument("a loop must end after its start");
    }
    const std::int64_t half = toFrames(kHalf, rate).count();
    const std::int64_t most = std::min(
        toFrames(std::clamp(reach, Seconds(0.0), kFurthest), rate).count(), (to - from).count() - 1
    );
    std::vector<float> beginning(static_cast<std::size_t>(2 * half));
    std::vector<float> ends(static_cast<std::size_t>(2 * (half + most)));
    if (auto read = channel.read(from - Frames(half), beginning); !read) {
        return tl::unexpected(read.error());
    }
    if (auto read = channel.read(to - Frames(half + most), ends); !read) {
        return tl::unexpected(read.error());
    }
    const auto endBy = [&](std::int64_t by) {
        return std::span<const float>(ends).subspan(
            static_cast<std::size_t>(most + by), beginning.size()
        );
    };
    LoopSeam best{to, likeness(beginning, endBy(0))};
    for (std::int64_t away = 1; away <= most; ++away) {
        for (const std::int64_t by : {-away, away}) {
            if (const double here = likeness(beginning, endBy(by));
                here > best.likeness + kNoBetter) {
                best = {to + Frames(by), here};
            }
        }
    }
    return best;
}

}  // namespace orthochron
