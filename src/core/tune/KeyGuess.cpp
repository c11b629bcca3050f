#include "core/tune/KeyGuess.h"

#include <algorithm>
#include <array>
#include <cmath>

namespace orthochron {

namespace {

// How well each degree fits a key, as listeners judged it.
constexpr std::array kMajor{6.35, 2.23, 3.48, 2.33, 4.38, 4.09, 2.52, 5.19, 2.39, 3.66, 2.29, 2.88};
constexpr std::array kMinor{6.33, 2.68, 3.52, 5.38, 2.60, 3.53, 2.54, 4.75, 3.98, 2.69, 3.34, 3.17};
constexpr double kSharpness = 12.0;  // with which likeness becomes a share

double likeness(const std::array<double, 12>& sung, const std::array<double, 12>& key, int tonic)
{
    double sungMean = 0.0;
    double keyMean = 0.0;
    for (std::size_t i = 0; i < 12; ++i) {
        sungMean += sung[i] / 12.0;
        keyMean += key[i] / 12.0;
    }
    double both = 0.0;
    double own = 0.0;
    double other = 0.0;
    for (std::size_t i = 0; i < 12; ++i) {
        const double a = sung[(i + static_cast<std::size_t>(tonic)) % 12] - sungMean;
        const double b = key[i] - keyMean;
        both += a * b;
        own += a * a;
        other += b * b;
    }
    return own > 0.0 ? both / std::sqrt(own * other) : 0.0;
}

}  // namespace

std::vector<KeyReading> keysOf(std::span<const SungNote> notes, Hertz a4)
{
    const double tuned = Temperament{a4}.heightOf(0);
    std::array<double, 12> sung{};
    for (const SungNote& note : notes) {
        const auto semitone = std::lround(note.centre - tuned) % 12;
        sung[static_cast<std::size_t>(semitone)] +=
            static_cast<double>((note.end - note.start).count());
    }
    std::vector<KeyReading> keys;
    double sum = 0.0;
    for (int tonic = 0; tonic < 12 && !notes.empty(); ++tonic) {
        for (const bool isMinor : {false, true}) {
            const double alike = likeness(sung, isMinor ? kMinor : kMajor, tonic);
            keys.push_back({tonic, isMinor, std::exp(kSharpness * alike)});
            sum += keys.back().score;
        }
    }
    for (KeyReading& key : keys) {
        key.score /= sum;
    }
    std::ranges::stable_sort(keys, std::ranges::greater{}, &KeyReading::score);
    return keys;
}

std::string semitoneName(int semitone)
{
    constexpr std::array kNames{"C", "C#", "D", "Eb", "E", "F", "F#", "G", "Ab", "A", "Bb", "B"};
    return kNames[static_cast<std::size_t>(((semitone % 12) + 12) % 12)];
}

std::string keyName(const KeyReading& key)
{
    return semitoneName(key.tonic) + (key.isMinor ? " minor" : " major");
}

}  // namespace orthochron
