#include "core/stretch/Strain.h"

#include <cmath>

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

namespace {

// How long it was before it was stretched.
double takenBy(const StrainSpan& span)
{
    return static_cast<double>((span.to - span.from).count()) / span.ratio;
}

// From the first span to the last, run evenly.
double sharedRatio(std::span<const StrainSpan> spans, std::size_t first, std::size_t last)
{
    double taken = 0.0;
    for (std::size_t i = first; i <= last; ++i) {
        taken += takenBy(spans[i]);
    }
    return static_cast<double>((spans[last].to - spans[first].from).count()) / taken;
}

}  // namespace

std::optional<StrainRelief>
reliefOf(std::span<const StrainSpan> spans, std::size_t place, Material material)
{
    constexpr std::size_t kMostPins = 4;
    const StrainLimits limits = strainLimits(material);
    if (place >= spans.size() || limits.hold(spans[place].ratio)) {
        return std::nullopt;
    }
    StrainRelief relief;
    // To the side that takes more of it, pin by pin. Spans may lie apart where something was cut out between.
    std::size_t first = place;
    std::size_t last = place;
    relief.ratio = spans[place].ratio;
    while (last - first < kMostPins && !limits.hold(relief.ratio)) {
        std::optional<double> best;
        bool isBefore = false;
        const auto consider = [&](std::size_t from, std::size_t to, bool before) {
            const double ratio = sharedRatio(spans, from, to);
            if (!best || std::abs(std::log(ratio)) < std::abs(std::log(*best))) {
                best = ratio;
                isBefore = before;
            }
        };
        if (first > 0 && spans[first - 1].to == spans[first].from) {
            consider(first - 1, last, true);
        }
        if (last + 1 < spans.size() && spans[last].to == spans[last + 1].from) {
            consider(first, last + 1, false);
        }
        if (!best) {
            break;
        }
        relief.ratio = *best;
        if (isBefore) {
            --first;
        } else {
            ++last;
        }
    }
    relief.pins = limits.hold(relief.ratio) ? last - first : 0;
    relief.ratio = relief.pins > 0 ? relief.ratio : spans[place].ratio;
    for (const Material other : {Material::Hits, Material::Line, Material::Blend}) {
        if (other != material && !relief.material && strainLimits(other).hold(spans[place].ratio)) {
            relief.material = other;
        }
    }
    return relief;
}

}  // namespace orthochron
