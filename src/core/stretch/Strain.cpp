#include "core/stretch/Strain.h"

namespace orthochron {

namespace {

constexpr Seconds kShortest = milliseconds(20.0);

}  // namespace

std::vector<StrainSpan> strainOf(const TimeMap& time, Hertz rate)
{
    std::vector<StrainSpan> spans;
    const auto& pins = time.pins();
    const Frames shortest = toFrames(kShortest, rate);
    for (std::size_t first = 0; first + 1 < pins.size();) {
        std::size_t last = first + 1;
        while (last + 1 < pins.size() && pins[last].take - pins[first].take < shortest) {
            ++last;
        }
        spans.push_back(
            {pins[first].sound,
             pins[last].sound,
             (pins[last].sound - pins[first].sound) / (pins[last].take - pins[first].take)}
        );
        first = last;
    }
    return spans;
}

}  // namespace orthochron
