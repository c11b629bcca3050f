#include "core/audio/SampleSource.h"

namespace orthochron {

MemorySource::MemorySource(std::shared_ptr<const AudioBuffer> samples, Hertz rate)
    : samples_(std::move(samples)), rate_(rate)
{}

Result<void> MemorySource::read(Frames from, AudioBuffer& into)
{
    const std::int64_t first = std::clamp<std::int64_t>(-from.count(), 0, into.frames().count());
    const std::int64_t last =
        std::clamp<std::int64_t>((samples_->frames() - from).count(), first, into.frames().count());
    for (int c = 0; c < into.channels(); ++c) {
        const auto target = into.channel(c);
        std::ranges::fill(target, 0.0F);
        if (last > first) {
            const auto source = samples_->channel(c).subspan(
                static_cast<std::size_t>(from.count() + first),
                static_cast<std::size_t>(last - first)
            );
            std::ranges::copy(source, target.begin() + first);
        }
    }
    return {};
}

Result<std::shared_ptr<const AudioBuffer>> readAll(SampleSource& source)
{
    auto samples = std::make_shared<AudioBuffer>(source.channels(), source.frames());
    if (auto read = source.read(Frames(0), *samples); !read) {
        return tl::unexpected(read.error());
    }
    return samples;
}

}  // namespace orthochron
