#include "core/tempo/Chroma.h"

#include <soxr.h>

#include "core/audio/Fourier.h"

#include <algorithm>
#include <cmath>
#include <memory>
#include <numbers>
#include <span>

namespace orthochron {

namespace {

constexpr double kRate = 8000.0;  // enough for the notes that make a chord
constexpr std::size_t kWindow = 2048;
constexpr std::size_t kHop = 256;
constexpr double kLowest = 55.0;  // Hz
constexpr double kHighest = 2000.0;
constexpr double kEdge = 0.03;  // seconds after a beat: the attack is no note yet

// Windows of a sound as it comes in.
class Windows {
public:
    explicit Windows(Chroma& chroma) : chroma_(chroma)
    {
        for (std::size_t k = 0; k < kWindow; ++k) {
            const double turn = 2.0 * std::numbers::pi * static_cast<double>(k) / kWindow;
            shape_[k] = static_cast<float>(0.5 - 0.5 * std::cos(turn));
        }
    }

    void take(std::span<const float> samples)
    {
        waiting_.insert(waiting_.end(), samples.begin(), samples.end());
        std::size_t from = 0;
        for (; from + kWindow <= waiting_.size(); from += kHop) {
            see(std::span(waiting_).subspan(from, kWindow));
        }
        waiting_.erase(waiting_.begin(), waiting_.begin() + static_cast<std::ptrdiff_t>(from));
    }

private:
    void see(std::span<const float> window)
    {
        constexpr double kTuning = 440.0;  // Hz, of A
        std::ranges::transform(window, shape_, fourier_.samples().begin(), std::multiplies());
        fourier_.run();
        auto& value = chroma_.values.emplace_back();
        value.fill(0.0F);
        const double width = kRate / kWindow;
        for (auto bin = static_cast<std::size_t>(std::ceil(kLowest / width));
             static_cast<double>(bin) * width < kHighest;
             ++bin) {
            const double hertz = static_cast<double>(bin) * width;
            const auto semitones = std::lround(12.0 * std::log2(hertz / kTuning));
            value[static_cast<std::size_t>((semitones + 120) % 12)] += fourier_.magnitude(bin);
        }
    }

    Chroma& chroma_;
    Fourier fourier_{kWindow};
    std::array<float, kWindow> shape_{};
    std::vector<float> waiting_;
};

using Resampler = std::unique_ptr<soxr, decltype(&soxr_delete)>;

}  // namespace

void Chroma::add(const Chroma& other)
{
    if (values.size() < other.values.size()) {
        values.resize(other.values.size());
    }
    step = other.step;
    first = other.first;
    for (std::size_t n = 0; n < other.values.size(); ++n) {
        for (std::size_t k = 0; k < kPitchClasses; ++k) {
            values[n][k] += other.values[n][k];
        }
    }
}

double Chroma::change(Seconds from, Seconds middle, Seconds to) const
{
    const auto index = [this](Seconds time) {
        const double at = std::max(0.0, std::ceil((time - first) / step));
        return std::min(static_cast<std::size_t>(at), values.size());
    };
    // Of each window what sounds counts by its logarithm, so that no single loud note decides.
    const auto heard = [&](Seconds begin, Seconds end) {
        std::array<double, kPitchClasses> sum{};
        for (std::size_t n = index(begin); n < index(end); ++n) {
            double all = 0.0;
            for (const float each : values[n]) {
                all += static_cast<double>(each);
            }
            for (std::size_t k = 0; k < kPitchClasses && all > 0.0; ++k) {
                sum[k] += std::log1p(
                    static_cast<double>(kPitchClasses) * static_cast<double>(values[n][k]) / all
                );
            }
        }
        return sum;
    };
    const auto before = heard(from + Seconds(kEdge), middle - Seconds(kEdge));
    const auto after = heard(middle + Seconds(kEdge), to - Seconds(kEdge));
    double product = 0.0;
    double ofBefore = 0.0;
    double ofAfter = 0.0;
    for (std::size_t k = 0; k < kPitchClasses; ++k) {
        product += before[k] * after[k];
        ofBefore += before[k] * before[k];
        ofAfter += after[k] * after[k];
    }
    const double size = std::sqrt(ofBefore * ofAfter);
    return size > 0.0 ? std::max(0.0, 1.0 - product / size) : 0.0;
}

Result<Chroma> chromaOf(const Channel& channel, Hertz rate, const Work& work)
{
    constexpr std::int64_t kBlock = 65536;
    Chroma chroma;
    chroma.step = Seconds(kHop / kRate);
    chroma.first = Seconds(0.5 * kWindow / kRate);
    Windows windows(chroma);
    const auto quality = soxr_quality_spec(SOXR_LQ, 0);
    const Resampler resampler(
        soxr_create(rate.count(), kRate, 1, nullptr, nullptr, &quality, nullptr), soxr_delete
    );
    if (!resampler) {
        return failed("not enough memory to analyse chords");
    }
    std::vector<float> slow(static_cast<std::size_t>(kBlock));
    const auto read = forEachBlock(
        channel,
        Frames(kBlock),
        Frames(0),
        work,
        [&](std::span<const float> samples, Frames, Frames, Frames) {
            std::size_t done = 0;
            soxr_process(
                resampler.get(),
                samples.data(),
                samples.size(),
                nullptr,
                slow.data(),
                slow.size(),
                &done
            );
            windows.take(std::span(slow).first(done));
        }
    );
    if (!read) {
        return tl::unexpected(read.error());
    }
    return chroma;
}

}  // namespace orthochron
