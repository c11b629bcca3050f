#include "core/tune/Rungs.h"

#include <fmt/format.h>

#include <algorithm>
#include <cmath>

namespace orthochron {

namespace {

constexpr Hertz kLowestA4{220.0};
constexpr Hertz kHighestA4{880.0};
constexpr double kMostCents = 100.0;
constexpr int kA4 = 69;

std::size_t degreeOf(int semitone)
{
    return static_cast<std::size_t>(((semitone % 12) + 12) % 12);
}

double centsOf(double ratio)
{
    return 1200.0 * std::log2(ratio);
}

// Twelve fifths of one size, from three below the tonic (its minor third) to eight above.
std::array<double, 12> ofFifths(double fifth)
{
    std::array<double, 12> degrees{};
    for (int step = -3; step <= 8; ++step) {
        const double cents = std::fmod(step * fifth + 12000.0, 1200.0);
        const std::size_t degree = degreeOf(7 * step);
        degrees[degree] = cents - 100.0 * static_cast<double>(degree);
    }
    return degrees;
}

}  // namespace

double Temperament::heightOf(int rung) const
{
    const double tuned = 12.0 * std::log2(a4 / kConcertPitch);
    return rung + tuned + (cents[degreeOf(rung)] - cents[degreeOf(kA4)]) / 100.0;
}

Result<void> checkTemperament(const Temperament& temperament)
{
    if (!(temperament.a4 >= kLowestA4 && temperament.a4 <= kHighestA4)) {
        return badArgument(fmt::format(
            "A4 must be {:g} to {:g} Hz, not {:g}",
            kLowestA4.count(),
            kHighestA4.count(),
            temperament.a4.count()
        ));
    }
    for (const double cents : temperament.cents) {
        if (!(std::abs(cents) <= kMostCents)) {
            return badArgument(fmt::format(
                "a semitone can be at most {:g} cents from equal temperament, not {:g}",
                kMostCents,
                cents
            ));
        }
    }
    return {};
}

Result<std::array<double, 12>> parseTemperament(std::string_view name, int tonic)
{
    std::array<double, 12> degrees{};
    if (name == "just") {
        constexpr std::array kRatios{
            1.0,
            16.0 / 15.0,
            9.0 / 8.0,
            6.0 / 5.0,
            5.0 / 4.0,
            4.0 / 3.0,
            45.0 / 32.0,
            3.0 / 2.0,
            8.0 / 5.0,
            5.0 / 3.0,
            9.0 / 5.0,
            15.0 / 8.0};
        for (std::size_t degree = 0; degree < 12; ++degree) {
            degrees[degree] = centsOf(kRatios[degree]) - 100.0 * static_cast<double>(degree);
        }
    } else if (name == "pythagorean") {
        degrees = ofFifths(centsOf(1.5));
    } else if (name == "meantone") {
        degrees = ofFifths(centsOf(std::pow(5.0, 0.25)));
    } else if (name != "equal") {
        return badArgument(
            fmt::format("unknown temperament '{}'; use equal, just, pythagorean or meantone", name)
        );
    }
    std::array<double, 12> cents{};
    for (std::size_t degree = 0; degree < 12; ++degree) {
        cents[degreeOf(static_cast<int>(degree) + tonic)] = degrees[degree];
    }
    return cents;
}

int Rungs::nearest(double pitch) const
{
    const int near = static_cast<int>(std::lround(pitch));
    int best = near;
    double least = 1e9;
    for (int rung = near - 13; rung <= near + 13; ++rung) {
        const double off = std::abs(pitch - temperament.heightOf(rung));
        if (key.has(rung) && off < least - 1e-9) {
            least = off;
            best = rung;
        }
    }
    return best;
}

}  // namespace orthochron
