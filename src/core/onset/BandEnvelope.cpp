#include "core/onset/BandEnvelope.h"

#include <algorithm>
#include <cmath>
#include <numbers>

namespace orthochron {

namespace {

constexpr std::array<double, kBands> kLowHertz{40.0, 180.0, 900.0, 4500.0};
constexpr std::array<double, kBands> kHighHertz{180.0, 900.0, 4500.0, 15000.0};

// Four filters side by side, one lane a band, so that the compiler uses one vector for all.
struct Lanes {
    BandLevels b0{}, b1{}, b2{}, a1{}, a2{};
    BandLevels z1{}, z2{};

    void process(BandLevels& x)
    {
        for (std::size_t i = 0; i < kBands; ++i) {
            const float y = b0[i] * x[i] + z1[i];
            z1[i] = b1[i] * x[i] - a1[i] * y + z2[i];
            z2[i] = b2[i] * x[i] - a2[i] * y;
            x[i] = y;
        }
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

}  // namespace

double BandEnvelope::mean(int band, std::int64_t from, std::int64_t to) const
{
    const auto size = static_cast<std::int64_t>(hops.size());
    from = std::clamp<std::int64_t>(from, 0, size);
    to = std::clamp<std::int64_t>(to, from, size);
    double sum = 0.0;
    for (std::int64_t n = from; n < to; ++n) {
        sum +=
            static_cast<double>(hops[static_cast<std::size_t>(n)][static_cast<std::size_t>(band)]);
    }
    return to > from ? sum / static_cast<double>(to - from) : 0.0;
}

BandEnvelope bandEnvelopeOf(std::span<const float> samples, Hertz rate)
{
    BandEnvelope envelope;
    const auto hop = static_cast<std::size_t>(std::llround(rate.count() / 1000.0));
    envelope.hopFrames = Frames(static_cast<std::int64_t>(hop));
    envelope.hops.reserve(samples.size() / hop + 1);
    Lanes high;
    Lanes low;
    for (std::size_t band = 0; band < kBands; ++band) {
        design(high, band, kLowHertz[band], rate.count(), true);
        design(low, band, kHighHertz[band], rate.count(), false);
    }
    for (std::size_t start = 0; start < samples.size(); start += hop) {
        BandLevels sum{};
        const std::size_t end = std::min(samples.size(), start + hop);
        for (std::size_t n = start; n < end; ++n) {
            BandLevels x;
            x.fill(samples[n] + 1e-15F);  // never denormal
            high.process(x);
            low.process(x);
            for (std::size_t i = 0; i < kBands; ++i) {
                sum[i] += x[i] * x[i];
            }
        }
        for (float& value : sum) {
            value /= static_cast<float>(end - start);
        }
        envelope.hops.push_back(sum);
    }
    return envelope;
}

}  // namespace orthochron
