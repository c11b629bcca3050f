#pragma once

#include "core/base/Result.h"
#include "core/time/Units.h"

#include <optional>
#include <vector>

namespace orthochron {

constexpr double kMostSpeed = 4.0;

struct SpeedPoint {
    Frames at;           // sound time, as it is heard
    double speed = 1.0;  // 0 stands still, 1 is as recorded
    double bend = 0.0;   // of the piece to the next point: over (> 0) the straight line or under it

    bool operator==(const SpeedPoint&) const = default;
};

// At what speed a sound is played, pitch and all. At one moment, its first point unless another is
// named, it is where the sound itself is. Before its first point and after its last it goes at 1:1.
// Without points nothing is changed.
class SpeedLine {
public:
    SpeedLine() = default;
    // `followsLevel`: the level falls with the speed. `same`: when the line is where the sound
    // itself is, its first point or its end. Errors: BadArgument unless the points ascend and
    // their speeds are 0 to 4; one point alone.
    [[nodiscard]] static Result<SpeedLine> through(
        std::vector<SpeedPoint> points, bool followsLevel = true, std::optional<Frames> same = {}
    );

    [[nodiscard]] bool isEmpty() const { return points_.empty(); }
    [[nodiscard]] const std::vector<SpeedPoint>& points() const { return points_; }
    [[nodiscard]] bool followsLevel() const { return followsLevel_; }
    [[nodiscard]] double speedAt(double heard) const;
    // What moment of the sound itself is heard then: the integral of the speed.
    [[nodiscard]] double placeOf(double heard) const;
    // When a moment of the sound is first heard.
    [[nodiscard]] double heardAt(double place) const;
    // The gain there. Near a standstill, where nothing moves that could sound, it goes to nothing.
    [[nodiscard]] double gainAt(double heard) const;
    // The moment at which it is where the sound itself is.
    [[nodiscard]] Frames same() const { return same_; }

    bool operator==(const SpeedLine&) const = default;

private:
    std::vector<SpeedPoint> points_;
    std::vector<double> places_;  // what is heard at each point
    bool followsLevel_ = true;
    Frames same_;
};

}  // namespace orthochron
