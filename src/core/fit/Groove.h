#pragma once

#include "core/time/Grid.h"

#include <string>
#include <vector>

namespace orthochron {

struct Performance;

// What happens at one place in the bar: how far from its line, how loud, how steadily.
struct GrooveStep {
    Beats position;  // from the start of the bar, unswung
    Beats offset;    // positive is late; musical, so that it keeps its meaning at another tempo
    double weight = 1.0;  // 0..1
    Beats spread;         // standard deviation of the offset

    bool operator==(const GrooveStep&) const = default;
};

// A stored feel: taken from a performance, applied to others.
struct Groove {
    std::string name;
    Meter meter;
    std::vector<GrooveStep> steps;  // ascending by position, within one bar

    bool operator==(const Groove&) const = default;
    [[nodiscard]] bool isEmpty() const { return steps.empty(); }
    // The offset at a place in the bar; 0 where the groove says nothing (a 64th note away).
    [[nodiscard]] Beats offsetAt(Beats position) const;
};

// The feel of a judged performance over all its leads: for each step of the bar the robust mean
// of what is left when the drift is taken away. Steps struck fewer than twice are left out.
[[nodiscard]] Groove grooveOf(const Performance& performance, const Grid& grid, std::string name);

}  // namespace orthochron
