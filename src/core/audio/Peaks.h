#pragma once

#include "core/audio/SampleSource.h"
#include "core/base/Work.h"

#include <filesystem>
#include <optional>
#include <vector>

namespace orthochron {

// Lowest and highest sample of a stretch, in 1/32767 of full scale; beyond that it is clipped.
struct PeakPair {
    std::int16_t low = 0;
    std::int16_t high = 0;

    bool operator==(const PeakPair&) const = default;
};

// What is needed to draw a channel at any zoom: peaks in several resolutions.
// Level 0 holds one pair for each 64 frames, each further level one for eight of the level below.
class Peaks {
public:
    static constexpr std::int64_t kFinest = 64;
    static constexpr std::int64_t kFactor = 8;
    static constexpr int kLevels = 4;

    // Reads the source once. Errors: the source's, or Cancelled.
    [[nodiscard]] static Result<Peaks> build(SampleSource& source, const Work& work = {});

    [[nodiscard]] int channels() const { return static_cast<int>(levels_.size()); }
    [[nodiscard]] Frames frames() const { return frames_; }
    [[nodiscard]] double loudest() const { return loudest_; }  // linear, over all channels
    // The lowest and highest value within [from, to), from the coarsest level that is exact
    // enough: at most one pair too many at each end.
    [[nodiscard]] PeakPair range(int channel, Frames from, Frames to) const;

    // The cached form, keyed by the take's content hash. A damaged or foreign file reads as none.
    [[nodiscard]] Result<void> save(const std::filesystem::path& path) const;
    [[nodiscard]] static std::optional<Peaks> load(const std::filesystem::path& path);
    bool operator==(const Peaks&) const = default;

private:
    Frames frames_{0};
    double loudest_ = 0.0;
    std::vector<std::vector<std::vector<PeakPair>>> levels_;  // [channel][level]
};

}  // namespace orthochron
