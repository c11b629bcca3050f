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

Channel meanOf(std::shared_ptr<SampleSource> source)
{
    const Frames frames = source->frames();
    auto all = std::make_shared<AudioBuffer>();
    return {
        frames,
        [source = std::move(source),
         all = std::move(all)](Frames from, std::span<float> into) -> Result<void> {
            constexpr std::size_t kAtOnce = 1 << 14;  // stays close to the processor
            const float part = 1.0F / static_cast<float>(source->channels());
            // In runs of one length, so that the buffer stays what it is.
            const std::size_t runs =
                std::max<std::size_t>((into.size() + kAtOnce - 1) / kAtOnce, 1);
            const std::size_t run = (into.size() + runs - 1) / runs;
            while (!into.empty()) {
                const auto some = into.first(std::min(into.size(), run));
                const Frames count(static_cast<std::int64_t>(some.size()));
                if (all->frames() != count) {
                    *all = AudioBuffer(source->channels(), count);
                }
                if (auto read = source->read(from, *all); !read) {
                    return read;
                }
                const auto first = all->channel(0);
                std::ranges::transform(first, some.begin(), [part](float v) { return part * v; });
                for (int c = 1; c < all->channels(); ++c) {
                    const auto samples = all->channel(c);
                    for (std::size_t i = 0; i < some.size(); ++i) {
                        some[i] += part * samples[i];
                    }
                }
                from += count;
                into = into.subspan(some.size());
            }
            return {};
        }};
}

}  // namespace orthochron
