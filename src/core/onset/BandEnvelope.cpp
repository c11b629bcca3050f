#include "core/onset/BandEnvelope.h"

#include <fmt/format.h>

#include "core/base/Meanwhile.h"
#include "core/base/NoDenormals.h"
#include "core/base/SideBySide.h"

#include <algorithm>
#include <bit>
#include <cmath>
#include <numbers>

namespace orthochron {

namespace {

constexpr std::array<double, kBands> kLowHertz{40.0, 180.0, 900.0, 4500.0};
constexpr std::array<double, kBands> kHighHertz{180.0, 900.0, 4500.0, 15000.0};
constexpr std::int64_t kHopsOfBlock = 512;  // few enough to stay close to the processor

// One number for each band of some channels. Said to the compiler: left to find out by itself that these lanes are one
// vector, it now and then does not, and an hour takes three times as long.
template<std::size_t kChannels>
struct LaneOf;
template<>
struct LaneOf<1> {
    using Type = float __attribute__((vector_size(kBands * sizeof(float))));
};
template<>
struct LaneOf<2> {
    using Type = float __attribute__((vector_size(2 * kBands * sizeof(float))));
};
template<std::size_t kChannels>
using Lane = typename LaneOf<kChannels>::Type;

// Filters side by side: y = x + z1, z1' = c1 x + z2 - a1 z1, z2' = c2 x - a2 z1. Written by what is remembered alone, so
// that the next sample waits for one product and one difference; the gain is left to whoever takes the sums.
template<std::size_t kChannels>
struct Lanes {
    Lane<kChannels> c1{}, c2{}, a1{}, a2{};
    Lane<kChannels> z1{}, z2{};

    // The next sample of each goes in and comes out.
    [[gnu::always_inline]] void pass(Lane<kChannels>& sample)
    {
        const Lane<kChannels> first = (c1 * sample + z2) - a1 * z1;
        const Lane<kChannels> second = c2 * sample - a2 * z1;
        sample += z1;
        z1 = first;
        z2 = second;
    }
};

// Second-order Butterworth by the bilinear transform (Bristow-Johnson's cookbook). Answers its gain.
template<std::size_t kChannels>
double design(Lanes<kChannels>& lanes, std::size_t band, double hertz, double rate, bool highPass)
{
    const double w = 2.0 * std::numbers::pi * std::min(hertz, 0.45 * rate) / rate;
    const double alpha = std::sin(w) / std::numbers::sqrt2;
    const double cosine = std::cos(w);
    const double scale = 1.0 / (1.0 + alpha);
    const double edge = highPass ? (1.0 + cosine) / 2.0 : (1.0 - cosine) / 2.0;
    const double middle = highPass ? -2.0 : 2.0;  // of the three samples; the others count 1
    const double a1 = -2.0 * cosine * scale;
    const double a2 = (1.0 - alpha) * scale;
    for (std::size_t lane = band; lane < kChannels * kBands; lane += kBands) {
        lanes.c1[lane] = static_cast<float>(middle - a1);
        lanes.c2[lane] = static_cast<float>(1.0 - a2);
        lanes.a1[lane] = static_cast<float>(a1);
        lanes.a2[lane] = static_cast<float>(a2);
    }
    return edge * scale;
}

// The filters of all bands of some channels and what they remember.
template<std::size_t kChannels>
class Filters {
public:
    using Samples = std::array<std::span<const float>, kChannels>;  // of equal lengths

    explicit Filters(Hertz rate)
    {
        for (std::size_t band = 0; band < kBands; ++band) {
            const double gain = design(high_, band, kLowHertz[band], rate.count(), true) *
                                design(low_, band, kHighHertz[band], rate.count(), false);
            powerGains_[band] = static_cast<float>(gain * gain);
        }
    }

    [[nodiscard]] std::array<BandLevels, kChannels> meanSquare(const Samples& samples)
    {
        BandSums sums;
#if defined(__x86_64__)
        if (kHasWide) {
            sums = squaresWide(samples);
        } else
#endif
        {
            sums = squares(samples);
        }
        std::array<BandLevels, kChannels> levels{};
        for (std::size_t c = 0; c < kChannels; ++c) {
            for (std::size_t band = 0; band < kBands; ++band) {
                levels[c][band] = sums[c * kBands + band] * powerGains_[band] /
                                  static_cast<float>(samples[0].size());
            }
        }
        return levels;
    }

private:
    using BandSums = std::array<float, kChannels * kBands>;

    // One sample of each channel, for each of its bands. Less nothing a number is itself, whatever its sign.
    [[gnu::always_inline]] static void
    take(const Samples& samples, std::size_t n, Lane<kChannels>& lanes)
    {
        const Lane<1> first = samples[0][n] - Lane<1>{};
        if constexpr (kChannels == 1) {
            lanes = first;
        } else {
            const Lane<1> second = samples[1][n] - Lane<1>{};
            lanes = __builtin_shufflevector(first, second, 0, 1, 2, 3, 4, 5, 6, 7);
        }
    }

    // For whatever instructions the function it becomes a part of may use: the sums are the same with each.
    [[gnu::always_inline]] BandSums squares(const Samples& samples)
    {
        Lanes<kChannels> high = high_;
        Lanes<kChannels> low = low_;
        Lane<kChannels> sum{};
        const std::size_t count = samples[0].size();
        for (std::size_t n = 0; n < count; ++n) {
            Lane<kChannels> x;
            take(samples, n, x);
            high.pass(x);
            low.pass(x);
            sum += x * x;
        }
        high_ = high;
        low_ = low;
        BandSums sums;
        for (std::size_t lane = 0; lane < sums.size(); ++lane) {
            sums[lane] = sum[lane];
        }
        return sums;
    }

#if defined(__x86_64__)
    [[gnu::target("avx")]] BandSums squaresWide(const Samples& samples)
    {
        return squares(samples);
    }
#endif

    Lanes<kChannels> high_;
    Lanes<kChannels> low_;
    BandLevels powerGains_{};
};

// Without a branch for each of them.
bool areFinite(std::span<const float> samples)
{
    constexpr std::int32_t kMagnitude = 0x7FFFFFFF;
    constexpr std::int32_t kInfinity = 0x7F800000;
    std::int32_t most = 0;
    for (const float sample : samples) {
        most = std::max(most, std::bit_cast<std::int32_t>(sample) & kMagnitude);
    }
    return most < kInfinity;
}

constexpr float kStepsOfDoubling = 1024.0F;
constexpr float kQuietest = -44.0F;  // log2, -132 dB; what is below counts as nothing

// A table of one doubling, which stays close to the processor; the rest is the number's exponent.
float levelOf(std::uint16_t code)
{
    constexpr std::uint32_t kSteps = 1024;
    constexpr std::uint32_t kExponent = 23;  // where it begins in a float
    static const std::array<std::uint32_t, kSteps> kOneDoubling = [] {
        std::array<std::uint32_t, kSteps> bits{};
        for (std::size_t step = 0; step < bits.size(); ++step) {
            const float doublings = static_cast<float>(step) / kStepsOfDoubling;
            bits[step] = std::bit_cast<std::uint32_t>(std::exp2(doublings + kQuietest));
        }
        return bits;
    }();
    const std::uint32_t doublings = code / kSteps;
    const float level =
        std::bit_cast<float>(kOneDoubling[code % kSteps] + (doublings << kExponent));
    return code == 0 ? 0.0F : level;
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
    return levelOf(hops_[hop][band]);
}

void BandEnvelope::levels(std::size_t band, std::int64_t from, std::span<double> into) const
{
    const auto size = static_cast<std::int64_t>(hops_.size());
    const auto count = static_cast<std::int64_t>(into.size());
    const std::int64_t first = std::clamp<std::int64_t>(-from, 0, count);
    const std::int64_t last = std::clamp<std::int64_t>(size - from, first, count);
    std::ranges::fill(into.first(static_cast<std::size_t>(first)), 0.0);
    for (std::int64_t n = first; n < last; ++n) {
        const auto code = hops_[static_cast<std::size_t>(from + n)][band];
        into[static_cast<std::size_t>(n)] = static_cast<double>(levelOf(code));
    }
    std::ranges::fill(into.subspan(static_cast<std::size_t>(last)), 0.0);
}

double BandEnvelope::mean(int band, std::int64_t from, std::int64_t to) const
{
    const auto size = static_cast<std::int64_t>(hops_.size());
    from = std::clamp<std::int64_t>(from, 0, size);
    to = std::clamp<std::int64_t>(to, from, size);
    double sum = 0.0;
    for (std::int64_t n = from; n < to; ++n) {
        const auto code = hops_[static_cast<std::size_t>(n)][static_cast<std::size_t>(band)];
        sum += static_cast<double>(levelOf(code));
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

namespace {

// The same frames of some channels; silence beyond their ends. Errors: the channels', and BadInput for what is no number.
template<std::size_t kChannels>
Result<void> readBlock(
    std::span<const Channel, kChannels> channels,
    Frames from,
    Frames count,
    std::array<std::vector<float>, kChannels>& samples
)
{
    for (std::size_t c = 0; c < kChannels; ++c) {
        const Frames there = std::clamp(channels[c].frames - from, Frames(0), count);
        samples[c].resize(static_cast<std::size_t>(count.count()));
        const auto into = std::span(samples[c]).first(static_cast<std::size_t>(there.count()));
        std::fill(samples[c].begin() + there.count(), samples[c].end(), 0.0F);
        if (auto read = channels[c].read(from, into); !read) {
            return read;
        }
        if (!areFinite(into)) {
            return badInput("the audio contains an invalid sample");
        }
    }
    return {};
}

// As many channels at once as there are envelopes to be made.
template<std::size_t kChannels>
Result<void> hear(
    std::span<const Channel, kChannels> channels,
    Hertz rate,
    const Work& work,
    std::span<BandEnvelope, kChannels> envelopes
)
{
    const auto hop = static_cast<std::int64_t>(std::llround(rate.count() / 1000.0));
    std::array<std::int64_t, kChannels> hops{};
    for (std::size_t c = 0; c < kChannels; ++c) {
        hops[c] = (channels[c].frames.count() + hop - 1) / hop;
        envelopes[c].hopFrames = Frames(hop);
        envelopes[c].reserve(static_cast<std::size_t>(hops[c]));
    }
    const std::int64_t most = *std::ranges::max_element(hops);
    const auto blockFrom = [&](std::int64_t first) {
        return Frames(std::min(kHopsOfBlock, most - first) * hop);
    };
    Filters<kChannels> filters(rate);
    std::array<std::vector<float>, kChannels> samples;
    std::array<std::vector<float>, kChannels> next;
    Result<void> read = readBlock(channels, Frames(0), blockFrom(0), samples);
    for (std::int64_t first = 0; first < most && read; first += kHopsOfBlock) {
        if (work.stopped()) {
            return cancelled();
        }
        const std::int64_t last = std::min(first + kHopsOfBlock, most);
        const auto filter = [&] {
            for (std::int64_t n = first; n < last; ++n) {
                typename Filters<kChannels>::Samples now;
                for (std::size_t c = 0; c < kChannels; ++c) {
                    now[c] = std::span<const float>(samples[c])
                                 .subspan(
                                     static_cast<std::size_t>((n - first) * hop),
                                     static_cast<std::size_t>(hop)
                                 );
                }
                const auto levels = filters.meanSquare(now);
                for (std::size_t c = 0; c < kChannels; ++c) {
                    if (n < hops[c]) {
                        envelopes[c].add(levels[c]);
                    }
                }
            }
        };
        const auto readNext = [&] {
            if (last < most) {
                read = readBlock(channels, Frames(last * hop), blockFrom(last), next);
            }
        };
        doMeanwhile(readNext, filter);
        std::swap(samples, next);
        work.report(static_cast<double>(last) / static_cast<double>(most));
    }
    return read;
}

}  // namespace

Result<std::vector<BandEnvelope>>
bandEnvelopesOf(std::span<const Channel> channels, Hertz rate, const Work& work)
{
    constexpr std::size_t kTogether = 2;
    if (auto can = checkAnalysed(rate); !can) {
        return tl::unexpected(can.error());
    }
    const NoDenormals quick;
    std::vector<BandEnvelope> envelopes(channels.size());
    for (std::size_t c = 0; c < channels.size(); c += kTogether) {
        const auto into = std::span(envelopes).subspan(c);
        const auto from = channels.subspan(c);
        const double share = 1.0 / static_cast<double>(channels.size());
        const Work its = work.part(
            share * static_cast<double>(c),
            share * static_cast<double>(std::min(c + kTogether, channels.size()))
        );
        auto heard =
            into.size() < kTogether
                ? hear<1>(from.first<1>(), rate, its, into.first<1>())
                : hear<kTogether>(from.first<kTogether>(), rate, its, into.first<kTogether>());
        if (!heard) {
            return tl::unexpected(heard.error());
        }
    }
    return envelopes;
}

Result<BandEnvelope> bandEnvelopeOf(const Channel& channel, Hertz rate, const Work& work)
{
    auto envelopes = bandEnvelopesOf(std::span(&channel, 1), rate, work);
    if (!envelopes) {
        return tl::unexpected(envelopes.error());
    }
    return std::move(envelopes->front());
}

}  // namespace orthochron
