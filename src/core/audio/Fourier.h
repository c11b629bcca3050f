#pragma once

#include <fftw3.h>

#include <cmath>
#include <memory>
#include <mutex>
#include <span>

namespace orthochron {

// The spectrum of a window of samples, by FFTW in single precision. FFTW's planner is one for the whole program
// and no two threads may be in it; running is free of that, one at a time for each object.
class Fourier {
public:
    // For windows of `size` samples.
    explicit Fourier(std::size_t size)
        : size_(size),
          samples_(fftwf_alloc_real(size), fftwf_free),
          spectrum_(fftwf_alloc_complex(size / 2 + 1), fftwf_free)
    {
        const std::lock_guard lock(planning());
        plan_ = fftwf_plan_dft_r2c_1d(
            static_cast<int>(size), samples_.get(), spectrum_.get(), FFTW_ESTIMATE
        );
    }
    ~Fourier()
    {
        const std::lock_guard lock(planning());
        fftwf_destroy_plan(plan_);
    }
    Fourier(const Fourier&) = delete;
    Fourier& operator=(const Fourier&) = delete;

    [[nodiscard]] std::size_t size() const { return size_; }
    [[nodiscard]] std::size_t bins() const { return size_ / 2 + 1; }
    // Filled in before run().
    [[nodiscard]] std::span<float> samples() { return {samples_.get(), size_}; }
    void run() { fftwf_execute(plan_); }
    [[nodiscard]] float power(std::size_t bin) const
    {
        const auto& value = spectrum_[bin];
        return value[0] * value[0] + value[1] * value[1];
    }
    [[nodiscard]] float magnitude(std::size_t bin) const { return std::sqrt(power(bin)); }

private:
    static std::mutex& planning()
    {
        static std::mutex mutex;
        return mutex;
    }

    std::size_t size_;
    std::unique_ptr<float[], decltype(&fftwf_free)> samples_;
    std::unique_ptr<fftwf_complex[], decltype(&fftwf_free)> spectrum_;
    fftwf_plan plan_ = nullptr;
};

}  // namespace orthochron
