#include "core/onset/BandEnvelope.h"

#include <fmt/format.h>

#include "core/base/NoDenormals.h"

#include <algorithm>
#include <cmath>
#include <numbers>

namespace orthochron {

namespace {

constexpr std::array<double, kBands> kLowHertz{40.0, 180.0, 900.0, 4500.0};
constexpr std::array<double, kBands> kHighHertz{180.0, 900.0, 4500.0, 15000.0};
constexpr std::int64_t kHopsOfBlock = 4096;

// One number for each band. Said to the compiler: left to find out by itself that four lanes are one
// vector, it now and then does not, and an hour takes three times as long.
using Lane = float __attribute__((vector_size(kBands * sizeof(float))));

// Four filters side by side.
struct Lanes {
    Lane b0{}, b1{}, b2{}, a1{}, a2{};
    Lane z1{}, z2{};

    [[nodiscard]] Lane process(Lane x)
    {
        const Lane y = b0 * x + z1;
        z1 = b1 * x - a1 * y + z2;
        z2 = b2 * x - a2 * y;
        return y;
    }
};

// Second-order Butterworth by the bilinear transform (Bristow-Johnson's cookbook).
void design(Lanes& lanes, std::size_t band, double hertz, double rate, bool highPass)
{
    const double w = 2.0 * std::numbers::pi * std::min(hertz, 0.45 * rate) / rate;
    const double alpha = std::sin(w) / std::numbers::sqrt2;
    const double cosine = std::cos(w);
    const double scale = 1.0 / (1.0 + alpha);
    const double edge = highPass ? (1.0 + cosine) / 2.0 : (1.0 - cosine) / 2.0;
    lanes.b0[band] = static_cast<float>(edge * scale);
    lanes.b1[band] = static_cast<float>((highPass ? -2.0 : 2.0) * edge * scale);
    lanes.b2[band] = lanes.b0[band];
    lanes.a1[band] = static_cast<float>(-2.0 * cosine * scale);
    lanes.a2[band] = static_cast<float>((1.0 - alpha) * scale);
}

// The filters of all bands and what they remember.
class Filters {
public:
    explicit Filters(Hertz rate)
    {
        for (std::size_t band = 0; band < kBands; ++band) {
            design(high_, band, kLowHertz[band], rate.count(), true);
            design(low_, band, kHighHertz[band], rate.count(), false);
        }
    }

    [[nodiscard]] BandLevels meanSquare(std::span<const float> samples)
    {
        Lane sum{};
        for (const float sample : samples) {
            const Lane x = low_.process(high_.process(Lane{sample, sample, sample, sample}));
            sum += x * x;
        }
        BandLevels levels{};
        for (std::size_t band = 0; band < kBands; ++band) {
            levels[band] = sum[band] / static_cast<float>(samples.size());
        }
        return levels;
    }

private:
    Lanes high_;
    Lanes low_;
};

constexpr float kStepsOfDoubling = 1024.0F;
constexpr float kQuietest = -44.0F;  // log2, -132 dB; what is below counts as nothing

const std::vector<float>& levelsOfCodes()
{
    static const std::vector<float> kLevels = [] {
        std::vector<float> levels(1U << 16U, 0.0F);
        for (std::size_t code = 1; code < levels.size(); ++code) {
            levels[code] = std::exp2(static_cast<float>(code) / kStepsOfDoubling + kQuietest);
        }
        return levels;
    }();
    return kLevels;
}

std::uint16_t codeOf(float level)
{
    constexpr float kMost = 65535.0F;
    if (!(level > 0.0F)) {
        return 0;
    }
    const float code = (std::log2(level) - kQuietest) * kStepsOfDoubling + 0.5F;
    return static_cast<std::uint16_t>(std::clamp(code, 0.0F, kMost));
}

}  // namespace

float BandEnvelope::level(std::size_t hop, std::size_t band) const
{
    return levelsOfCodes()[hops_[hop][band]];
}

double BandEnvelope::mean(int band, std::int64_t from, std::int64_t to) const
{
    const std::vector<float>& levels = levelsOfCodes();
    const auto size = static_cast<std::int64_t>(hops_.size());
    from = std::clamp<std::int64_t>(from, 0, size);
    to = std::clamp<std::int64_t>(to, from, size);
    double sum = 0.0;
    for (std::int64_t n = from; n < to; ++n) {
        const auto code = hops_[static_cast<std::size_t>(n)][static_cast<std::size_t>(band)];
        sum += static_cast<double>(levels[code]);
    }
    return to > from ? sum / static_cast<double>(to - from) : 0.0;
}

void BandEnvelope::add(const BandLevels& levels)
{
    auto& hop = hops_.emplace_back();
    for (std::size_t band = 0; band < kBands; ++band) {
        hop[band] = codeOf(levels[band]);
    }
}

Result<void> checkAnalysed(Hertz rate)
{
    if (rate.count() >= 8000.0 && rate.count() <= 192000.0) {
        return {};
    }
    return badArgument(
        fmt::format("a rate of {:g} Hz cannot be analysed; 8 to 192 kHz can", rate.count())
    );
}

BandEnvelope bandEnvelopeOf(std::span<const float> samples, Hertz rate)
{
    return bandEnvelopeOf(channelOver(samples), rate).value_or(BandEnvelope());
}

Result<BandEnvelope> bandEnvelopeOf(const Channel& channel, Hertz rate, const Work& work)
{
    if (auto can = checkAnalysed(rate); !can) {
        return tl::unexpected(can.error());
    }
    const NoDenormals quick;
    BandEnvelope envelope;
    const auto hop = static_cast<std::int64_t>(std::llround(rate.count() / 1000.0));
    envelope.hopFrames = Frames(hop);
    envelope.reserve(static_cast<std::size_t>(channel.frames.count() / hop + 1));
    Filters filters(rate);
    bool isFinite = true;
    const auto read = forEachBlock(
        channel,
        Frames(hop * kHopsOfBlock),
        Frames(0),
        work,
        [&](std::span<const float> samples, Frames, Frames, Frames) {
            isFinite =
                isFinite && std::ranges::all_of(samples, [](float v) { return std::isfinite(v); });
            while (isFinite && !samples.empty()) {
                const auto count = std::min(static_cast<std::size_t>(hop), samples.size());
                envelope.add(filters.meanSquare(samples.first(count)));
                samples = samples.subspan(count);
            }
        }
    );
    if (!read) {
        return tl::unexpected(read.error());
    }
    if (!isFinite) {
        return badInput("the sound holds a sample that is no number");
    }
    return envelope;
}

}  // namespace orthochron
