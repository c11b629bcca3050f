#include "cli/ConcertPitch.h"

#include <fmt/format.h>

namespace orthochron::cli {

Result<void> checkConcertPitch(double a4)
{
    if (!(a4 >= 0.5 * kConcertPitch && a4 <= 2.0 * kConcertPitch)) {
        return badArgument(fmt::format(
            "A4 is from {:g} to {:g} Hz, not {:g}", 0.5 * kConcertPitch, 2.0 * kConcertPitch, a4
        ));
    }
    return {};
}

std::vector<PitchFrame> tunedTo(double a4, std::vector<PitchFrame> curve)
{
    for (PitchFrame& frame : curve) {
        frame.pitch = Hertz(frame.pitch.count() * kConcertPitch / a4);
    }
    return curve;
}

}  // namespace orthochron::cli
