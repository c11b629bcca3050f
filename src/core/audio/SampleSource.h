#pragma once

#include "core/audio/AudioBuffer.h"
#include "core/audio/Channel.h"
#include "core/base/Result.h"

#include <memory>

namespace orthochron {

// Samples that can be read from anywhere: a file, a resampled file, or memory.
//
// Threads: one thread at a time for one instance; open a second one for a second thread.
class SampleSource {
public:
    SampleSource() = default;
    SampleSource(const SampleSource&) = delete;
    SampleSource& operator=(const SampleSource&) = delete;
    virtual ~SampleSource() = default;

    [[nodiscard]] virtual Hertz rate() const = 0;
    [[nodiscard]] virtual Frames frames() const = 0;
    [[nodiscard]] virtual int channels() const = 0;
    // Fills `into`, which has this source's channels, with the frames from `from` on. What lies
    // outside the source reads as silence. Errors: BadInput, naming the file.
    [[nodiscard]] virtual Result<void> read(Frames from, AudioBuffer& into) = 0;
};

// A source over samples held in memory, shared and never changed.
class MemorySource final : public SampleSource {
public:
    MemorySource(std::shared_ptr<const AudioBuffer> samples, Hertz rate);

    [[nodiscard]] Hertz rate() const override { return rate_; }
    [[nodiscard]] Frames frames() const override { return samples_->frames(); }
    [[nodiscard]] int channels() const override { return samples_->channels(); }
    [[nodiscard]] Result<void> read(Frames from, AudioBuffer& into) override;

private:
    std::shared_ptr<const AudioBuffer> samples_;
    Hertz rate_;
};

// Reads a source from its first to its last frame into memory.
[[nodiscard]] Result<std::shared_ptr<const AudioBuffer>> readAll(SampleSource& source);

// The mean of a source's channels, read where it is needed, by one thread at a time.
[[nodiscard]] Channel meanOf(std::shared_ptr<SampleSource> source);

}  // namespace orthochron
