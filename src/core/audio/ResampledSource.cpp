#include "core/audio/ResampledSource.h"

#include <fmt/format.h>
#include <soxr.h>

#include <numeric>

namespace orthochron {

namespace {

constexpr std::int64_t kChunkFrames = 16384;  // of the source, at least
constexpr std::size_t kKeptChunks = 8;

}  // namespace

ResampledSource::ResampledSource(std::unique_ptr<SampleSource> source, Hertz rate)
    : source_(std::move(source)), rate_(rate)
{
    const auto in = static_cast<std::int64_t>(source_->rate().count());
    const auto out = static_cast<std::int64_t>(rate.count());
    const std::int64_t common = std::gcd(in, out);
    unitIn_ = in / common;
    unitOut_ = out / common;
    units_ = (kChunkFrames + unitIn_ - 1) / unitIn_;
    frames_ = Frames((source_->frames().count() * unitOut_ + unitIn_ - 1) / unitIn_);
}

Result<const AudioBuffer*> ResampledSource::chunk(std::int64_t index)
{
    if (const auto found = kept_.find(index); found != kept_.end()) {
        return &found->second;
    }
    // 1024 frames on each side are several times the length of soxr's high-quality filter.
    const std::int64_t marginUnits = (1024 + unitIn_ - 1) / unitIn_;
    const std::int64_t spanUnits = units_ + 2 * marginUnits;
    AudioBuffer in(source_->channels(), Frames(spanUnits * unitIn_));
    if (auto read = source_->read(Frames((index * units_ - marginUnits) * unitIn_), in); !read) {
        return tl::unexpected(read.error());
    }
    const soxr_quality_spec_t quality = soxr_quality_spec(SOXR_HQ, 0);
    std::vector<float> converted(static_cast<std::size_t>(spanUnits * unitOut_));
    AudioBuffer out(source_->channels(), Frames(units_ * unitOut_));
    for (int c = 0; c < in.channels(); ++c) {
        std::size_t written = 0;
        const soxr_error_t error = soxr_oneshot(
            static_cast<double>(unitIn_),
            static_cast<double>(unitOut_),
            1,
            in.channel(c).data(),
            in.channel(c).size(),
            nullptr,
            converted.data(),
            converted.size(),
            &written,
            nullptr,
            &quality,
            nullptr
        );
        if (error != nullptr) {
            return failed(fmt::format("converting the rate failed: {}", soxr_strerror(error)));
        }
        std::fill(converted.begin() + static_cast<std::ptrdiff_t>(written), converted.end(), 0.0F);
        const auto kept = std::span(converted).subspan(
            static_cast<std::size_t>(marginUnits * unitOut_),
            static_cast<std::size_t>(units_ * unitOut_)
        );
        std::ranges::copy(kept, out.channel(c).begin());
    }
    if (kept_.size() >= kKeptChunks) {
        // Reading runs forward nearly always: the chunk furthest away is the one not needed next.
        const bool dropFirst = index > kept_.begin()->first;
        kept_.erase(dropFirst ? kept_.begin() : std::prev(kept_.end()));
    }
    return &kept_.insert_or_assign(index, std::move(out)).first->second;
}

Result<void> ResampledSource::read(Frames from, AudioBuffer& into)
{
    const std::int64_t length = units_ * unitOut_;
    into.clear();
    const std::int64_t begin = std::max<std::int64_t>(0, from.count());
    const std::int64_t end = std::min((from + into.frames()).count(), frames_.count());
    for (std::int64_t at = begin; at < end;) {
        const std::int64_t index = at / length;
        const auto block = chunk(index);
        if (!block) {
            return tl::unexpected(block.error());
        }
        const std::int64_t run = std::min(end, (index + 1) * length) - at;
        for (int c = 0; c < into.channels(); ++c) {
            const auto source = (*block)->channel(c).subspan(
                static_cast<std::size_t>(at - index * length), static_cast<std::size_t>(run)
            );
            std::ranges::copy(source, into.channel(c).begin() + (at - from.count()));
        }
        at += run;
    }
    return {};
}

std::unique_ptr<SampleSource> atRate(std::unique_ptr<SampleSource> source, Hertz rate)
{
    if (source->rate() == rate) {
        return source;
    }
    return std::make_unique<ResampledSource>(std::move(source), rate);
}

}  // namespace orthochron
