#include "engine/device/OutputConverter.h"

#include <fmt/format.h>
#include <soxr.h>

#include <algorithm>

namespace orthochron::engine {

namespace {

constexpr std::size_t kPulledFrames = 256;  // a block of the source

}  // namespace

Result<std::unique_ptr<OutputConverter>>
OutputConverter::create(Hertz from, Hertz to, std::size_t mostFrames, AudioCallback source)
{
    std::unique_ptr<OutputConverter> made(new OutputConverter);
    const soxr_io_spec_t io = soxr_io_spec(SOXR_FLOAT32_I, SOXR_FLOAT32_I);
    soxr_error_t error = nullptr;
    made->converter_ = soxr_create(from.count(), to.count(), 2, &error, &io, nullptr, nullptr);
    if (made->converter_ == nullptr) {
        return failed(fmt::format(
            "sound at {:g} Hz cannot be played at {:g}: {}",
            from.count(),
            to.count(),
            soxr_strerror(error)
        ));
    }
    // Run it on silence first, so that what it allocates is there before the first callback.
    made->source_ = [](std::span<float> block) { std::ranges::fill(block, 0.0F); };
    made->pulled_.assign(kPulledFrames * 2, 0.0F);
    made->used_ = kPulledFrames;
    std::vector<float> silence(std::max<std::size_t>(mostFrames, 1) * 2);
    for (int round = 0; round < 8; ++round) {
        made->fill(silence);
    }
    made->source_ = std::move(source);
    return made;
}

OutputConverter::~OutputConverter()
{
    soxr_delete(converter_);
}

void OutputConverter::fill(std::span<float> interleaved) noexcept
{
    const std::size_t wanted = interleaved.size() / 2;
    std::size_t done = 0;
    // The converter never hears of an end (a null input would be one): it is given what is left of
    // the last block, then new ones, until the device's block is full.
    while (done < wanted) {
        if (used_ == kPulledFrames) {
            source_(pulled_);
            used_ = 0;
        }
        std::size_t taken = 0;
        std::size_t made = 0;
        const soxr_error_t error = soxr_process(
            converter_,
            pulled_.data() + used_ * 2,
            kPulledFrames - used_,
            &taken,
            interleaved.data() + done * 2,
            wanted - done,
            &made
        );
        if (error != nullptr || (taken == 0 && made == 0)) {
            std::ranges::fill(interleaved.subspan(done * 2), 0.0F);
            return;
        }
        used_ += taken;
        done += made;
    }
}

}  // namespace orthochron::engine
