#pragma once

#include <algorithm>
#include <cstddef>
#include <span>
#include <vector>

namespace orthochron {

// The greatest of the `hold` values up to and with each; none is negative. In runs as long: what is still to come of the
// run before, and what there was of its own; so its time does not grow with `hold`, which is 1 or more.
template<class Value>
[[nodiscard]] std::vector<Value> runningMax(std::span<const Value> values, std::size_t hold)
{
    std::vector<Value> most(values.size());
    std::vector<Value> before(hold, Value(0));  // from each place of the run before to its end
    for (std::size_t first = 0; first < values.size(); first += hold) {
        const std::size_t count = std::min(hold, values.size() - first);
        Value own(0);
        for (std::size_t n = 0; n < count; ++n) {
            own = std::max(own, values[first + n]);
            most[first + n] = n + 1 < hold ? std::max(own, before[n + 1]) : own;
        }
        Value rest(0);
        for (std::size_t n = count; n-- > 0;) {
            rest = std::max(rest, values[first + n]);
            before[n] = rest;
        }
    }
    return most;
}

}  // namespace orthochron
