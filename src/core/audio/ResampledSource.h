#pragma once

#include "core/audio/SampleSource.h"

#include <map>
#include <memory>

namespace orthochron {

// A source heard at another rate, converted with soxr while it is read.
//
// The two rates in lowest terms give chunks that begin on a frame of both; each is converted with
// margins wider than the filter, so the answer does not depend on how it is read. The last few
// chunks are kept.
class ResampledSource final : public SampleSource {
public:
    ResampledSource(std::unique_ptr<SampleSource> source, Hertz rate);

    [[nodiscard]] Hertz rate() const override { return rate_; }
    [[nodiscard]] Frames frames() const override { return frames_; }
    [[nodiscard]] int channels() const override { return source_->channels(); }
    [[nodiscard]] Result<void> read(Frames from, AudioBuffer& into) override;

private:
    [[nodiscard]] Result<const AudioBuffer*> chunk(std::int64_t index);

    std::unique_ptr<SampleSource> source_;
    Hertz rate_;
    Frames frames_;
    std::int64_t unitIn_ = 1;   // frames of the source in the shortest common time
    std::int64_t unitOut_ = 1;  // frames of this source in it
    std::int64_t units_ = 1;    // common times in a chunk
    std::map<std::int64_t, AudioBuffer> kept_;
};

// `source` itself when it has the rate already.
[[nodiscard]] std::unique_ptr<SampleSource>
atRate(std::unique_ptr<SampleSource> source, Hertz rate);

}  // namespace orthochron
