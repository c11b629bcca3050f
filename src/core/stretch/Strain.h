#pragma once

#include "core/stretch/Material.h"
#include "core/stretch/TimeMap.h"

#include <optional>
#include <span>
#include <vector>

namespace orthochron {

// A stretch of sound in which time runs evenly, and how many times as long it is as it was.
struct StrainSpan {
    Frames from;  // sound time
    Frames to;
    double ratio = 1.0;

    bool operator==(const StrainSpan&) const = default;
};

// The spans between a map's pins, ascending. What lies between two pins less than 20 ms apart, as
// between the strokes of a flam, is counted to what follows.
[[nodiscard]] std::vector<StrainSpan> strainOf(const TimeMap& time, Hertz rate);

// What would help where a span is strained more than its material bears. Cutting always would.
struct StrainRelief {
    std::size_t pins =
        0;  // around it to be let go, so that it is shared with neighbours; 0 where that does not help
    double ratio = 1.0;                // of all that shares it then
    std::optional<Material> material;  // one that bears it as it is; none does where this is empty

    bool operator==(const StrainRelief&) const = default;
};

// None for a span within its limits. At most four pins are let go: beyond that it is another fit.
[[nodiscard]] std::optional<StrainRelief>
reliefOf(std::span<const StrainSpan> spans, std::size_t place, Material material);

}  // namespace orthochron
