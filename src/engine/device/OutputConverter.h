#pragma once

#include "core/time/Units.h"
#include "engine/device/AudioDevice.h"

#include <memory>
#include <vector>

struct soxr;

namespace orthochron::engine {

// Turns sound made at one rate into blocks at a device's rate, without end.
//
// Threads: fill() from the audio thread; everything it needs is allocated before. Its source is
// asked for blocks of one size, as often as the device's blocks take.
class OutputConverter {
public:
    // `mostFrames` is the largest block the device asks for. Errors: Failed.
    [[nodiscard]] static Result<std::unique_ptr<OutputConverter>>
    create(Hertz from, Hertz to, std::size_t mostFrames, AudioCallback source);
    OutputConverter(const OutputConverter&) = delete;
    OutputConverter& operator=(const OutputConverter&) = delete;
    ~OutputConverter();

    // Fills stereo frames, interleaved, at the device's rate.
    void fill(std::span<float> interleaved) noexcept;

private:
    OutputConverter() = default;

    soxr* converter_ = nullptr;
    AudioCallback source_;
    std::vector<float> pulled_;  // a block of the source, interleaved
    std::size_t used_ = 0;       // frames of it already converted
};

}  // namespace orthochron::engine
