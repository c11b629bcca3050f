#include "core/joins/Layers.h"

#include <algorithm>
#include <array>
#include <cmath>
#include <numbers>

namespace orthochron {

namespace {

constexpr double kAttackRise = 8.0;    // linear power, 9 dB
constexpr double kAboveRings = 350.0;  // Hz
constexpr Seconds kThumpReach = milliseconds(8.0);
constexpr double kThumpHeard = 1e-5;  // of the power of the next hit

}  // namespace

double mostAboveRings(std::span<const float> sound, Hertz rate)
{
    // Two poles, each of which takes away what is slow.
    const double keep = std::exp(-2.0 * std::numbers::pi * kAboveRings / rate.count());
    const auto window = static_cast<std::size_t>(toFrames(milliseconds(1.0), rate).count());
    std::array<double, 2> before{};
    std::array<double, 2> high{};
    std::vector<double> power(sound.size());
    if (!sound.empty()) {
        before[0] = static_cast<double>(sound[0]);
    }
    for (std::size_t i = 0; i < sound.size(); ++i) {
        auto value = static_cast<double>(sound[i]);
        for (std::size_t pole = 0; pole < 2; ++pole) {
            high[pole] = keep * (high[pole] + value - before[pole]);
            before[pole] = value;
            value = high[pole];
        }
        power[i] = value * value;
    }
    double most = 0.0;
    double sum = 0.0;
    for (std::size_t i = 2 * window; i < power.size(); ++i) {
        sum += power[i] - (i >= 3 * window ? power[i - window] : 0.0);
        if (i + 1 >= 3 * window) {
            most = std::max(most, sum / static_cast<double>(window));
        }
    }
    return most;
}

Layers layersOf(std::span<const float> a, std::span<const float> b)
{
    Layers layers;
    const std::size_t size = a.size();
    layers.same.resize(size + 1);
    layers.powerBefore.resize(size + 1);
    layers.powerAfter.resize(size + 1);
    for (std::size_t i = 0; i < size; ++i) {
        const auto x = static_cast<double>(a[i]);
        const auto y = static_cast<double>(b[i]);
        layers.same[i + 1] = layers.same[i] + x * y;
        layers.powerBefore[i + 1] = layers.powerBefore[i] + x * x;
        layers.powerAfter[i + 1] = layers.powerAfter[i] + y * y;
    }
    return layers;
}

void addAttacks(
    std::vector<double>& attacks, std::span<const float> sound, std::size_t hop, double loud
)
{
    std::vector<double> power(sound.size() / hop, 0.0);
    for (std::size_t n = 0; n < power.size(); ++n) {
        for (std::size_t i = std::max<std::size_t>(n * hop, 1); i < (n + 1) * hop; ++i) {
            const auto change = static_cast<double>(sound[i] - sound[i - 1]);
            power[n] += change * change;
        }
        power[n] /= static_cast<double>(hop);
    }
    attacks.resize(power.size(), 0.0);
    for (std::size_t n = 1; n < power.size(); ++n) {
        double before = 0.0;
        const std::size_t first = n > kQuietHops ? n - kQuietHops : 0;
        for (std::size_t k = first; k < n; ++k) {
            before = std::max(before, power[k]);
        }
        if (power[n] > kAttackRise * before) {
            attacks[n] += std::min(power[n] / loud, 1.0);
        }
    }
}

double meanPower(std::span<const float> sound)
{
    double sum = 0.0;
    for (const float value : sound) {
        sum += static_cast<double>(value) * static_cast<double>(value);
    }
    return sum / std::max<double>(1.0, static_cast<double>(sound.size()));
}

double meanChange(std::span<const float> sound)
{
    double sum = 0.0;
    for (std::size_t i = 1; i < sound.size(); ++i) {
        const auto change = static_cast<double>(sound[i] - sound[i - 1]);
        sum += change * change;
    }
    return std::max(sum / std::max<double>(1.0, static_cast<double>(sound.size())), 1e-14);
}

double thumpOf(
    std::span<const float> a,
    std::span<const float> b,
    std::size_t begin,
    std::size_t length,
    FadeShape shape,
    double loud,
    Hertz rate
)
{
    const auto reach = static_cast<std::size_t>(toFrames(kThumpReach, rate).count());
    const std::size_t first = begin > reach ? begin - reach : 0;
    const std::size_t last = std::min(a.size(), begin + length + reach);
    const double alike = correlationOf(a.subspan(begin, length), b.subspan(begin, length));
    std::vector<float> heard(last - first);
    for (std::size_t i = first; i < last; ++i) {
        const double place = (static_cast<double>(i) - static_cast<double>(begin) + 0.5) /
                             static_cast<double>(std::max<std::size_t>(length, 1));
        const FadeGains gains = fadeGains(shape, alike, place);
        heard[i - first] = static_cast<float>(
            gains.out * static_cast<double>(a[i]) + gains.in * static_cast<double>(b[i])
        );
    }
    const double most = mostAboveRings(heard, rate);
    const double there = std::max(
        mostAboveRings(a.subspan(first, last - first), rate),
        mostAboveRings(b.subspan(first, last - first), rate)
    );
    return most < kThumpHeard * loud ? 1.0 : most / std::max(there, 1e-20);
}

double correlationOf(std::span<const float> a, std::span<const float> b)
{
    const Layers::Sums sums = layersOf(a, b).over(0, a.size());
    const double power = std::sqrt(sums.before * sums.after);
    return power > 1e-14 ? std::clamp(sums.same / power, -1.0, 1.0) : 1.0;
}

double mismatchOf(const Layers::Sums& sums, double length, double loud)
{
    return std::max(sums.before + sums.after - 2.0 * sums.same, 0.0) / length / loud;
}

double cancellingOf(const Layers::Sums& sums, double length, double loud)
{
    const double power = std::sqrt(std::max(sums.before * sums.after, 0.0));
    const double share = std::min(1.0, 30.0 * power / length / loud);
    return power > 1e-14 ? share * std::max(-0.1 - sums.same / power, 0.0) : 0.0;
}

}  // namespace orthochron
