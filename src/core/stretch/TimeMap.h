#pragma once

#include "core/base/Result.h"
#include "core/time/Units.h"

#include <vector>

namespace orthochron {

// A moment of a take and where a sound made of it has it.
struct Pin {
    Frames take;
    Frames sound;

    bool operator==(const Pin&) const = default;
};

// Take time against sound time. Between two pins time runs evenly; before the first and after the
// last as it was recorded. Without pins nothing is changed.
class TimeMap {
public:
    TimeMap() = default;
    // Errors: BadArgument unless both times of the pins ascend.
    [[nodiscard]] static Result<TimeMap> through(std::vector<Pin> pins);

    [[nodiscard]] Frames soundTimeOf(Frames takeTime) const;
    [[nodiscard]] Frames takeTimeOf(Frames soundTime) const;
    // Not rounded to frames.
    [[nodiscard]] double takePlaceOf(double soundTime) const;
    [[nodiscard]] const std::vector<Pin>& pins() const { return pins_; }

    bool operator==(const TimeMap&) const = default;

private:
    std::vector<Pin> pins_;
};

}  // namespace orthochron
