#include "core/onset/AttackColour.h"

#include "core/onset/AttackLevels.h"

#include <algorithm>
#include <bit>
#include <cmath>
#include <numbers>

namespace orthochron {

namespace {

constexpr Seconds kLength = milliseconds(40.0);
constexpr double kLowest = 60.0;  // Hz
constexpr double kHighest = 12000.0;
constexpr std::size_t kFewest = 4;  // loud blows to know the usual colour by
constexpr double kCarries = 30.0;   // dB below the strongest band; what is lower carries nothing
constexpr double kStandsOut = 1.3;  // times the power before; a band below that is not known
constexpr double kKnownPart = 0.3;  // of the weights; below it a colour is not known
constexpr double kMostDifference = 25.0;
constexpr double kNotKnown = -5.0;
constexpr double kNoCentre = -1.0;

std::size_t sizeOf(Hertz rate)
{
    return std::bit_ceil(static_cast<std::size_t>(toFrames(kLength, rate).count()));
}

}  // namespace

ColourEar::ColourEar(Hertz rate) : fourier_(sizeOf(rate))
{
    const auto count = static_cast<std::size_t>(toFrames(kLength, rate).count());
    for (std::size_t n = 0; n < count; ++n) {
        const double part = static_cast<double>(n) / static_cast<double>(count);
        fading_.push_back(static_cast<float>(0.5 + 0.5 * std::cos(std::numbers::pi * part)));
    }
    const double width = rate.count() / static_cast<double>(fourier_.size());
    const double highest = std::min(kHighest, 0.45 * rate.count());
    for (std::size_t band = 0; band <= AttackColour::kCount; ++band) {
        const double part = static_cast<double>(band) / AttackColour::kCount;
        const double hertz = kLowest * std::pow(highest / kLowest, part);
        edges_[band] = static_cast<std::size_t>(std::lround(hertz / width));
        if (band > 0) {
            edges_[band] = std::max(edges_[band], edges_[band - 1] + 1);
        }
    }
}

// Fading out from the start, or, before it, fading in towards it.
std::array<double, AttackColour::kCount>
ColourEar::powers(std::span<const float> samples, Frames from)
{
    const auto into = fourier_.samples();
    std::ranges::fill(into, 0.0F);
    for (std::size_t n = 0; n < fading_.size(); ++n) {
        const auto at = from.count() + static_cast<std::int64_t>(n);
        if (at >= 0 && at < static_cast<std::int64_t>(samples.size())) {
            const float weight = isBefore_ ? fading_[fading_.size() - 1 - n] : fading_[n];
            into[n] = weight * samples[static_cast<std::size_t>(at)];
        }
    }
    fourier_.run();
    std::array<double, AttackColour::kCount> sums{};
    for (std::size_t band = 0; band < AttackColour::kCount; ++band) {
        for (std::size_t bin = edges_[band]; bin < std::min(edges_[band + 1], fourier_.bins());
             ++bin) {
            sums[band] += static_cast<double>(fourier_.power(bin));
        }
    }
    return sums;
}

AttackColour ColourEar::hear(std::span<const float> samples, Frames start)
{
    const auto length = static_cast<std::int64_t>(fading_.size());
    isBefore_ = true;
    const auto before = powers(samples, start - Frames(length));
    isBefore_ = false;
    const auto after = powers(samples, start);
    AttackColour colour;
    for (std::size_t band = 0; band < AttackColour::kCount; ++band) {
        if (after[band] < kStandsOut * before[band]) {
            continue;  // drowned in what rings on
        }
        const double power = std::max(after[band] - before[band], 1e-14);
        const double scaled = 10.0 * std::log10(power / static_cast<double>(length * length));
        colour.levels[band] =
            static_cast<std::uint8_t>(std::clamp(std::lround(2.0 * (scaled + 127.5)), 1L, 255L));
    }
    return colour;
}

UsualColour::UsualColour(std::span<const AttackColour> loud)
{
    if (loud.size() < kFewest) {
        return;
    }
    // Each blow at the same level: of its strongest band.
    double strongest = -200.0;
    for (std::size_t band = 0; band < AttackColour::kCount; ++band) {
        std::vector<double> levels;
        for (const AttackColour& colour : loud) {
            if (!colour.isKnown(band)) {
                continue;
            }
            double most = -200.0;
            for (std::size_t other = 0; other < AttackColour::kCount; ++other) {
                most = std::max(most, colour.decibels(other));
            }
            levels.push_back(colour.decibels(band) - most);
        }
        usual_[band] =
            2 * levels.size() >= loud.size() ? percentile(std::move(levels), 0.5) : -200.0;
        strongest = std::max(strongest, usual_[band]);
    }
    for (std::size_t band = 0; band < AttackColour::kCount; ++band) {
        weights_[band] = std::max(0.0, 1.0 - (strongest - usual_[band]) / kCarries);
    }
    std::vector<double> own;
    for (const AttackColour& colour : loud) {
        if (const auto off = difference(colour)) {
            own.push_back(*off);
        }
    }
    isKnown_ = own.size() >= kFewest;
    own_ = isKnown_ ? percentile(std::move(own), 0.5) : 0.0;
}

std::optional<double> UsualColour::difference(const AttackColour& colour) const
{
    double all = 0.0;
    double weight = 0.0;
    double sumX = 0.0;
    double sumY = 0.0;
    double sumXX = 0.0;
    double sumXY = 0.0;
    double sumYY = 0.0;
    for (std::size_t band = 0; band < AttackColour::kCount; ++band) {
        all += weights_[band];
        if (!colour.isKnown(band)) {
            continue;
        }
        const double w = weights_[band];
        const auto x = static_cast<double>(band);
        const double y = colour.decibels(band) - usual_[band];
        weight += w;
        sumX += w * x;
        sumY += w * y;
        sumXX += w * x * x;
        sumXY += w * x * y;
        sumYY += w * y * y;
    }
    if (weight <= kKnownPart * all) {
        return std::nullopt;
    }
    const double xx = sumXX - sumX * sumX / weight;
    const double xy = sumXY - sumX * sumY / weight;
    const double yy = sumYY - sumY * sumY / weight;
    const double left = xx > 1e-9 ? yy - xy * xy / xx : yy;
    return std::sqrt(std::max(0.0, left) / weight);
}

double UsualColour::centre() const
{
    const double octaves = std::log2(kHighest / kLowest) / AttackColour::kCount;
    double sum = 0.0;
    double power = 0.0;
    for (std::size_t band = 0; band < AttackColour::kCount; ++band) {
        const double here = std::pow(10.0, usual_[band] / 10.0);
        sum += here * (static_cast<double>(band) + 0.5) * octaves;
        power += here;
    }
    return isKnown_ && power > 0.0 ? sum / power : kNoCentre;
}

double UsualColour::unlike(const AttackColour& colour) const
{
    const auto off = isKnown_ ? difference(colour) : std::nullopt;
    return off ? std::clamp(*off - own_, 0.9 * kNotKnown, kMostDifference) : kNotKnown;
}

}  // namespace orthochron
