#pragma once

#include "core/audio/SampleSource.h"
#include "core/stretch/SpliceSection.h"

#include <memory>
#include <vector>

namespace orthochron {

// How loud a take is between one stroke and the next, and how it would go on dying away without that.
class Ringing {
public:
    // Reads the take from the stroke to a little after the next. Errors: the take's.
    [[nodiscard]] static Result<std::shared_ptr<const Ringing>>
    of(SampleSource& take, const Struck& stroke);

    // The gain, 1 at the most, of what the take has at `at` where that is heard `later` than it was
    // after its stroke: as loud as all has become by then.
    [[nodiscard]] double gainAt(Frames at, Frames later) const;

    // Take time of the first that is heard of the next stroke, or where it is held to begin.
    [[nodiscard]] Frames nextHeard() const { return nextHeard_; }

private:
    Ringing(Frames first, Frames hop) : first_(first), hop_(hop) {}

    [[nodiscard]] double levelAt(double hops) const;

    Frames first_;
    Frames hop_;
    std::vector<double> decibels_;  // every hop from `first_` on; never rising
    double fall_ = 0.0;             // dB a hop, after the last
    double least_ = 0.0;            // dB, of any gain
    Frames nextHeard_;
};

}  // namespace orthochron
