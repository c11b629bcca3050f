#include "core/tempo/Taps.h"

#include <algorithm>

namespace orthochron {

std::optional<double> Taps::tap(Seconds at)
{
    constexpr Seconds kPause(2.0);
    constexpr std::size_t kMost = 24;
    constexpr std::size_t kFewest = 3;
    if (!taps_.empty()) {
        const Seconds since = at - taps_.back();
        const Seconds pace = taps_.size() > 1 ? (taps_.back() - taps_.front()) /
                                                    static_cast<double>(taps_.size() - 1)
                                              : since;
        if (since > kPause || since > pace * 2.0 || since * 2.0 < pace || since <= Seconds(0.0)) {
            taps_.clear();
        }
    }
    taps_.push_back(at);
    if (taps_.size() > kMost) {
        taps_.erase(taps_.begin());
    }
    if (taps_.size() < kFewest) {
        return std::nullopt;
    }
    // The slope of the line through all of them.
    const auto count = static_cast<double>(taps_.size());
    const double middle = (count - 1.0) / 2.0;
    double product = 0.0;
    double square = 0.0;
    for (std::size_t k = 0; k < taps_.size(); ++k) {
        const double off = static_cast<double>(k) - middle;
        product += off * (taps_[k] - taps_.front()).count();
        square += off * off;
    }
    const double bpm = 60.0 * square / product;
    return bpm >= 20.0 && bpm <= 400.0 ? std::optional(bpm) : std::nullopt;
}

}  // namespace orthochron
