#pragma once

#include "core/onset/OnsetDetector.h"

#include <cstdint>
#include <vector>

namespace orthochron {

// What strength an attack would have at every millisecond of a channel, to half a decibel: what a threshold is
// set against. An hour takes 3.6 MB.
class StrengthCurve {
public:
    // Grows by the hops [first, first + count) of the analysis of a part of the channel. Of weak attacks
    // there is no such curve.
    void add(const OnsetAnalysis& analysis, std::int64_t first, std::int64_t count);

    [[nodiscard]] std::int64_t hopOf(Frames frame) const
    {
        return frame.count() / hopFrames_.count();
    }
    [[nodiscard]] Frames frameOf(std::int64_t hop) const { return hopFrames_ * hop; }
    [[nodiscard]] bool isEmpty() const { return loudPower <= 0.0 || codes_.empty(); }
    // 0..1, linear; 0 outside the channel.
    [[nodiscard]] double at(std::int64_t hop) const;

    double loudPower = 0.0;  // mean square of the attacks whose strength is 1

private:
    Frames hopFrames_{48};
    std::vector<std::uint8_t> codes_;  // of the power: half dB above -128, 0 for none
};

}  // namespace orthochron
