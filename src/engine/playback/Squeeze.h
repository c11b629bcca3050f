#pragma once

#include "core/time/Units.h"

#include <span>

namespace orthochron::engine {

// A heavy compressor for listening: brings what is quiet almost up to what is loud, so that low
// clicks and bad joins come forward. 10 : 1 above -45 dB, 0.3 ms to close, 40 ms to open, and made
// up so that full scale stays full scale. Both sides move together.
//
// Threads: prepare() while the audio is stopped; process() from the audio callback alone: bounded,
// no allocation, lock or throw.
class Squeeze {
public:
    void prepare(Hertz rate) noexcept;
    void process(std::span<float> left, std::span<float> right) noexcept;

private:
    float close_ = 0.1F;  // part of the way to the peak in one frame
    float open_ = 0.001F;
    float level_ = 0.0F;
};

}  // namespace orthochron::engine
