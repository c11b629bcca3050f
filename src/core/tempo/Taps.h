#pragma once

#include "core/time/Units.h"

#include <optional>
#include <vector>

namespace orthochron {

// A tempo tapped along: the line through the last taps, so that one late tap moves it little.
class Taps {
public:
    // The tempo after this tap; none until there are three in a row. A pause of two seconds begins anew, and so
    // does a tap that comes at less than half or more than twice the pace so far.
    [[nodiscard]] std::optional<double> tap(Seconds at);
    void forget() { taps_.clear(); }
    [[nodiscard]] std::size_t count() const { return taps_.size(); }

private:
    std::vector<Seconds> taps_;
};

}  // namespace orthochron
