#include "core/onset/BandPass.h"

#include <fmt/format.h>

#include "core/base/NoDenormals.h"
#include "core/onset/AttackStart.h"
#include "core/onset/WeakOnsets.h"

#include <algorithm>
#include <cmath>
#include <cstdlib>
#include <numbers>

namespace orthochron {

namespace {

constexpr Seconds kSettle{1.0};                  // of a fourth-order slope at 20 Hz
constexpr Seconds kAround = milliseconds(60.0);  // more than attackStart looks at
// The two sections of a fourth-order Butterworth filter have these quality factors.
constexpr std::array<double, 2> kFourthOrder{0.54119610, 1.30656296};
constexpr Seconds kSameAttack = milliseconds(6.0);

// A second-order section by the bilinear transform (Bristow-Johnson's cookbook).
void filter(std::vector<float>& samples, double hertz, double quality, double rate, bool isHighPass)
{
    const double w = 2.0 * std::numbers::pi * hertz / rate;
    const double alpha = std::sin(w) / (2.0 * quality);
    const double cosine = std::cos(w);
    const double scale = 1.0 / (1.0 + alpha);
    const double edge = (isHighPass ? 1.0 + cosine : 1.0 - cosine) / 2.0;
    const double b0 = edge * scale;
    const double b1 = (isHighPass ? -2.0 : 2.0) * edge * scale;
    const double a1 = -2.0 * cosine * scale;
    const double a2 = (1.0 - alpha) * scale;
    const NoDenormals quick;
    double z1 = 0.0;
    double z2 = 0.0;
    for (float& sample : samples) {
        const auto x = static_cast<double>(sample);
        const double y = b0 * x + z1;
        z1 = b1 * x - a1 * y + z2;
        z2 = b0 * x - a2 * y;
        sample = static_cast<float>(y);
    }
}

}  // namespace

Result<std::vector<float>>
bandPassed(std::span<const float> samples, Hertz rate, const FrequencyBand& band)
{
    if (!(band.low.count() >= 0.0 && band.high.count() > band.low.count())) {
        return badArgument("a band must go from a lower to a higher frequency");
    }
    if (band.low.count() >= 0.5 * rate.count()) {
        return badArgument(fmt::format(
            "the band starts at {:g} Hz, too high for a rate of {:g} Hz",
            band.low.count(),
            rate.count()
        ));
    }
    std::vector<float> heard(samples.begin(), samples.end());
    for (const double quality : kFourthOrder) {
        if (band.low.count() > 20.0) {
            filter(
                heard, std::min(band.low.count(), 0.45 * rate.count()), quality, rate.count(), true
            );
        }
        if (band.high.count() < 0.45 * rate.count()) {
            filter(heard, band.high.count(), quality, rate.count(), false);
        }
    }
    return heard;
}

Result<Channel> bandPassed(Channel channel, Hertz rate, const FrequencyBand& band)
{
    // Tried on nothing, to say at once what is wrong with the band.
    if (auto tried = bandPassed(std::span<const float>(), rate, band); !tried) {
        return tl::unexpected(tried.error());
    }
    const Frames frames = channel.frames;
    auto read = [channel = std::move(channel),
                 rate,
                 band](Frames from, std::span<float> into) -> Result<void> {
        const auto settle = std::min(from, toFrames(kSettle, rate));
        std::vector<float> samples(static_cast<std::size_t>(settle.count()) + into.size());
        if (auto got = channel.read(from - settle, samples); !got) {
            return got;
        }
        const auto heard = bandPassed(samples, rate, band);
        if (!heard) {
            return tl::unexpected(heard.error());
        }
        std::ranges::copy(std::span(*heard).last(into.size()), into.begin());
        return {};
    };
    return Channel{frames, std::move(read)};
}

Result<OnsetAnalysis>
analyseAsAsked(const Channel& channel, Hertz rate, const OnsetSettings& settings, const Work& work)
{
    const auto analyse = [&](const Channel& heard) {
        return settings.way == OnsetWay::Weak ? analyseWeakOnsets(heard, rate, work)
                                              : analyseOnsets(heard, rate, work);
    };
    if (!settings.band) {
        return analyse(channel);
    }
    const auto heard = bandPassed(channel, rate, *settings.band);
    if (!heard) {
        return tl::unexpected(heard.error());
    }
    auto analysis = analyse(*heard);
    if (!analysis || settings.way == OnsetWay::Weak) {
        return analysis;
    }
    weighPlainly(*analysis);
    const Frames near = toFrames(kSameAttack, rate);
    const Frames around = toFrames(kAround, rate);
    std::vector<float> samples(static_cast<std::size_t>(2 * around.count()));
    for (OnsetCandidate& candidate : analysis->candidates) {
        const Frames from = std::max(candidate.onset.at - around, Frames(0));
        if (auto read = channel.read(from, samples); !read) {
            return tl::unexpected(read.error());
        }
        const Frames whole = from + attackStart(samples, rate, candidate.onset.at - from);
        if (std::abs((whole - candidate.onset.at).count()) <= near.count()) {
            candidate.onset.at = whole;
            candidate.body = whole;
        }
    }
    std::ranges::stable_sort(analysis->candidates, {}, [](const OnsetCandidate& candidate) {
        return candidate.onset.at;
    });
    return analysis;
}

}  // namespace orthochron
