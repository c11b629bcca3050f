#include "core/joins/Layers.h"

#include <algorithm>
#include <cmath>

namespace orthochron {

namespace {

constexpr double kAttackRise = 8.0;  // linear power, 9 dB

}  // namespace

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
