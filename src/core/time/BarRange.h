#pragma once

namespace orthochron {

struct BarRange {
    int first = 1;
    int last = 1;  // with

    bool operator==(const BarRange&) const = default;
    [[nodiscard]] bool holds(int bar) const { return bar >= first && bar <= last; }
};

}  // namespace orthochron
