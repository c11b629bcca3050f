#include "core/onset/UnmikedDrums.h"

#include <algorithm>
#include <array>
#include <cmath>
#include <functional>
#include <iterator>
#include <numeric>

namespace orthochron {

namespace {

constexpr std::array<std::size_t, 2> kHighBands{2, 3};
constexpr std::size_t kFewestMicrophones = 3;

// What the microphones hear of an attack in the high bands: band by band of each, dB.
struct Proportions {
    const Everywhere* attack = nullptr;
    double level = 0.0;              // the mean
    std::vector<double> aboveLevel;  // of each
};

double apart(const Proportions& one, const Proportions& other)
{
    const double squares = std::transform_reduce(
        one.aboveLevel.begin(),
        one.aboveLevel.end(),
        other.aboveLevel.begin(),
        0.0,
        std::plus{},
        [](double a, double b) { return (a - b) * (a - b); }
    );
    return std::sqrt(squares / static_cast<double>(one.aboveLevel.size()));
}

// What sinks into the noise is heard as that.
Proportions proportionsOf(const Everywhere& attack, std::span<const BandLevels> noise)
{
    Proportions proportions{&attack};
    auto& levels = proportions.aboveLevel;
    for (std::size_t m = 0; m < attack.size(); ++m) {
        for (const std::size_t band : kHighBands) {
            const double level = attack[m][band] + static_cast<double>(noise[m][band]);
            levels.push_back(decibelsOf(level));
        }
    }
    proportions.level =
        std::accumulate(levels.begin(), levels.end(), 0.0) / static_cast<double>(levels.size());
    for (double& level : levels) {
        level -= proportions.level;
    }
    return proportions;
}

// Soft for each microphone, and clearly heard by some.
bool isOfNoneNearby(
    const Everywhere& attack, std::span<const BandLevels> noise, std::span<const Everywhere> drums
)
{
    constexpr double kSoft = 0.25;  // of what the microphone hears of its own drum: -6 dB
    constexpr double kClear = 4.0;  // times the noise
    std::size_t hearing = 0;
    for (std::size_t m = 0; m < attack.size(); ++m) {
        bool isHeard = true;
        for (const std::size_t band : kHighBands) {
            if (attack[m][band] > kSoft * drums[m][m][band]) {
                return false;
            }
            isHeard = isHeard && attack[m][band] > kClear * static_cast<double>(noise[m][band]);
        }
        hearing += isHeard ? 1 : 0;
    }
    return hearing >= kFewestMicrophones;
}

// Those that are alike, as many as possible; taken away from `attacks`.
std::vector<Proportions> takeMostAlike(std::vector<Proportions>& attacks)
{
    constexpr double kAlike = 2.0;  // dB
    const Proportions* middle = nullptr;
    std::ptrdiff_t most = 0;
    for (const Proportions& each : attacks) {
        const auto alike = std::ranges::count_if(attacks, [&](const Proportions& other) {
            return apart(each, other) < kAlike;
        });
        if (alike > most) {
            middle = &each;
            most = alike;
        }
    }
    if (middle == nullptr) {
        return {};
    }
    const Proportions usual = *middle;
    const auto taken =
        std::stable_partition(attacks.begin(), attacks.end(), [&](const Proportions& each) {
            return apart(each, usual) >= kAlike;
        });
    std::vector<Proportions> alike(taken, attacks.end());
    attacks.erase(taken, attacks.end());
    return alike;
}

Proportions medianOf(std::span<const Proportions> attacks)
{
    Proportions median;
    for (std::size_t i = 0; i < attacks.front().aboveLevel.size(); ++i) {
        std::vector<double> values;
        for (const Proportions& each : attacks) {
            values.push_back(each.aboveLevel[i]);
        }
        median.aboveLevel.push_back(percentile(std::move(values), 0.5));
    }
    return median;
}

// By how much the microphones' levels differ, in the band where they do so most; dB.
double widthOf(const Proportions& proportions)
{
    double widest = 0.0;
    for (std::size_t band = 0; band < kHighBands.size(); ++band) {
        std::vector<double> levels;
        for (std::size_t i = band; i < proportions.aboveLevel.size(); i += kHighBands.size()) {
            levels.push_back(proportions.aboveLevel[i]);
        }
        const auto [least, most] = std::ranges::minmax(levels);
        widest = std::max(widest, most - least);
    }
    return widest;
}

// Whether attacks that are alike are blows of one drum, struck harder and softer.
bool isOneDrum(std::span<const Proportions> alike, const Proportions& usual)
{
    constexpr double kAsMuchMore = 2.0;
    std::vector<double> levels;
    std::vector<double> strays;
    for (const Proportions& each : alike) {
        levels.push_back(each.level);
        strays.push_back(apart(each, usual));
    }
    const double spread = percentile(levels, 0.9) - percentile(levels, 0.1);
    return spread > kAsMuchMore * percentile(std::move(strays), 0.5);
}

// Whether no microphone stands at it: heard about alike by all, and as no drum is that has one; the less alike it is heard,
// the more it has to differ.
bool isUnmiked(const Proportions& usual, std::span<const Proportions> drums)
{
    constexpr double kAlike = 13.0;  // dB
    constexpr double kOther = 4.5;   // dB
    constexpr double kAboutAlike = 17.0;
    constexpr double kQuiteOther = 7.0;
    const double width = widthOf(usual);
    const double least = width < kAlike ? kOther : kQuiteOther;
    return width < kAboutAlike &&
           std::ranges::all_of(drums, [&](const auto& drum) { return apart(usual, drum) > least; });
}

Everywhere patternOf(std::span<const Proportions> blows, double loud)
{
    Everywhere pattern(blows.front().attack->size());
    for (const std::size_t band : kHighBands) {
        for (std::size_t m = 0; m < pattern.size(); ++m) {
            std::vector<double> parts;
            for (const Proportions& blow : blows) {
                double whole = 0.0;
                for (const BandPowers& there : *blow.attack) {
                    whole += there[band];
                }
                parts.push_back((*blow.attack)[m][band] / whole);
            }
            pattern[m][band] = percentile(std::move(parts), 0.5) * loud;
        }
    }
    return pattern;
}

}  // namespace

std::vector<Everywhere> unmikedDrums(
    std::span<const BandLevels> noise, const HeardAttacks& heard, std::span<const Everywhere> drums
)
{
    constexpr int kMostDrums = 3;
    constexpr std::size_t kFewestBlows = 6;
    constexpr std::size_t kPart = 7;  // one in seven of what is of none nearby and not yet told
    constexpr std::size_t kPartOfAll = 12;
    constexpr std::size_t kMostAttacks = 400;  // each is held against each
    std::vector<Everywhere> found;
    if (noise.size() < kFewestMicrophones) {
        return found;
    }
    std::vector<const Everywhere*> soft;
    for (const Everywhere& attack : heard.attacks) {
        if (isOfNoneNearby(attack, noise, drums)) {
            soft.push_back(&attack);
        }
    }
    std::vector<Proportions> attacks;
    const std::size_t step = soft.size() / kMostAttacks + 1;
    for (std::size_t i = 0; i < soft.size(); i += step) {
        attacks.push_back(proportionsOf(*soft[i], noise));
    }
    std::vector<Proportions> known;
    std::ranges::transform(drums, std::back_inserter(known), [&](const Everywhere& drum) {
        return proportionsOf(drum, noise);
    });
    const std::size_t leastOfAll = attacks.size() / kPartOfAll + 1;
    for (int n = 0; n < kMostDrums; ++n) {
        const std::size_t least = std::max({kFewestBlows, leastOfAll, attacks.size() / kPart + 1});
        const auto alike = takeMostAlike(attacks);
        if (alike.size() < least) {
            break;
        }
        const Proportions usual = medianOf(alike);
        if (isOneDrum(alike, usual) && isUnmiked(usual, known)) {
            found.push_back(patternOf(alike, heard.loud));
        }
    }
    return found;
}

}  // namespace orthochron
