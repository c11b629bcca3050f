#pragma once

#include "core/time/Units.h"

#include <algorithm>
#include <cstddef>
#include <span>
#include <vector>

namespace orthochron {

// Samples of several channels, one after the other in memory: channel(c) is contiguous.
class AudioBuffer {
public:
    AudioBuffer() = default;
    AudioBuffer(int channels, Frames frames)
        : channels_(channels),
          frames_(frames),
          samples_(static_cast<std::size_t>(channels) * static_cast<std::size_t>(frames.count()))
    {}

    [[nodiscard]] int channels() const { return channels_; }
    [[nodiscard]] Frames frames() const { return frames_; }
    [[nodiscard]] bool isEmpty() const { return samples_.empty(); }
    [[nodiscard]] std::span<float> channel(int index)
    {
        return std::span(samples_).subspan(
            offset(index), static_cast<std::size_t>(frames_.count())
        );
    }
    [[nodiscard]] std::span<const float> channel(int index) const
    {
        return std::span(samples_).subspan(
            offset(index), static_cast<std::size_t>(frames_.count())
        );
    }
    void clear() { std::ranges::fill(samples_, 0.0F); }
    bool operator==(const AudioBuffer&) const = default;

private:
    [[nodiscard]] std::size_t offset(int index) const
    {
        return static_cast<std::size_t>(index) * static_cast<std::size_t>(frames_.count());
    }

    int channels_ = 0;
    Frames frames_{0};
    std::vector<float> samples_;
};

}  // namespace orthochron
