#include "core/onset/StrokeShape.h"

#include "core/base/SideBySide.h"
#include "core/onset/AttackLevels.h"

#include <cmath>
#include <cstring>

namespace orthochron::shapes {

namespace {

constexpr int kQuiet = 56;  // what lies this far before a start is what it rises from

// By how many dB two sounds together are louder than the louder, the other being so many dB softer.
float togetherLouder(float softer)
{
    constexpr float kStep = 1.0F / 16.0F;  // between two of them a straight line is 0.00003 dB off
    constexpr std::size_t kSteps = 60 * 16;
    static const std::array<float, kSteps + 2> kLouder = [] {
        std::array<float, kSteps + 2> louder{};
        for (std::size_t n = 0; n < louder.size(); ++n) {
            const float power = std::exp(-0.23025851F * kStep * static_cast<float>(n));
            louder[n] = 4.3429448F * std::log1p(power);
        }
        return louder;
    }();
    const float place = std::min(softer / kStep, static_cast<float>(kSteps));
    const auto before = static_cast<std::size_t>(place);
    const float part = place - static_cast<float>(before);
    return kLouder[before] + part * (kLouder[before + 1] - kLouder[before]);
}

// What a shape would look like in a stroke's quiet, this much louder than the stroke was thought to be.
std::array<float, kLength>
expected(const Shape& shape, const Stroke& stroke, std::size_t listening, float louder)
{
    std::array<float, kLength> levels{};
    const float quiet = stroke.quiet[listening];
    for (std::size_t k = 0; k < kLength; ++k) {
        const float own = shape[listening][k] + stroke.loud[listening] + louder;
        levels[k] = std::max(own, quiet) + togetherLouder(std::abs(own - quiet));
    }
    return levels;
}

// What moving a stroke by so many steps costs, dB squared. Where its click is hidden it was found at its body, and how
// long after the click that comes is the drum's affair: further ahead costs little more. Too early it is hardly found.
float costOfMoving(int steps)
{
    constexpr float kFurther = 6.0F;  // for 5 ms, growing with the square
    constexpr float kFiveMs = 20.0F;  // steps
    constexpr float kMostAhead = 5.0F;
    const float far = static_cast<float>(steps) / kFiveMs;
    const float cost = kFurther * far * far;
    return steps < 0 ? cost / (1.0F + cost / kMostAhead) : cost;
}

// The mean over all steps, and `more`; given up, with as much, once it is no less than `most`.
[[gnu::always_inline]] inline float
misfitOf(const float* there, const std::array<float, kLength>& wanted, float more, float most)
{
    constexpr float kMost = 400.0F;      // dB squared
    constexpr float kTooLoud = 0.6F;     // of what too soft counts
    constexpr std::size_t kAtOnce = 16;  // steps
    using Lanes = SideBySide<float>::Type;
    constexpr std::size_t kLanes = sizeof(Lanes) / sizeof(float);
    static_assert(kAtOnce % kLanes == 0 && kLength % kAtOnce == 0);
    const Lanes mostEach = Lanes{} + kMost;
    Lanes sums{};
    float misfit = more;
    for (std::size_t first = 0; first < kLength && misfit < most; first += kAtOnce) {
        for (std::size_t k = first; k < first + kAtOnce; k += kLanes) {
            Lanes off;
            Lanes here;
            std::memcpy(&off, there + k, sizeof(off));
            std::memcpy(&here, wanted.data() + k, sizeof(here));
            off -= here;
            const Lanes square = off * (off > 0.0F ? kTooLoud * off : off);
            sums += square < mostEach ? square : mostEach;
        }
        const float sum = ((sums[0] + sums[4]) + (sums[1] + sums[5])) +
                          ((sums[2] + sums[6]) + (sums[3] + sums[7]));
        misfit = sum / static_cast<float>(kLength) + more;
    }
    return misfit;
}

}  // namespace

float median(std::vector<float>& values)
{
    const auto middle = values.begin() + static_cast<std::ptrdiff_t>(values.size() / 2);
    std::ranges::nth_element(values, middle);
    return *middle;
}

Stroke strokeOf(const FoundAttack& attack)
{
    constexpr int kLoudAfter = 56;
    constexpr std::size_t kLoudest = 8;
    Stroke stroke;
    const double steps = attack.start.count() / AttackTrace::kStep.count();
    stroke.found = std::clamp(static_cast<int>(std::lround(steps)), -kReach, 4);
    stroke.at = stroke.found;
    stroke.mayBegin.push_back(stroke.found);
    for (const Seconds ahead : attack.ahead) {
        const auto step = static_cast<int>(std::lround(ahead.count() / AttackTrace::kStep.count()));
        if (std::ranges::none_of(stroke.mayBegin, [&](int other) {
                return std::abs(step - other) <= kTogether;
            })) {
            stroke.mayBegin.push_back(step);
        }
    }
    for (const Seconds blow : attack.othersBlows) {
        stroke.othersBlows.push_back(
            static_cast<int>(std::lround(blow.count() / AttackTrace::kStep.count()))
        );
    }
    const int start = static_cast<int>(AttackTrace::kBefore) + stroke.found;
    for (std::size_t l = 0; l < kListenings; ++l) {
        for (std::size_t n = 0; n < AttackTrace::kSteps; ++n) {
            stroke.levels[l][n] = attack.trace->decibels(l, n);
        }
        const auto& levels = stroke.levels[l];
        std::vector<float> before(levels.begin(), levels.begin() + (start - kQuiet));
        stroke.quiet[l] = median(before);
        std::vector<float> after(levels.begin() + (start - 4), levels.begin() + start + kLoudAfter);
        std::ranges::partial_sort(
            after, after.begin() + static_cast<std::ptrdiff_t>(kLoudest), std::greater{}
        );
        double power = 0.0;
        for (std::size_t k = 0; k < kLoudest; ++k) {
            power += std::pow(10.0, 0.1 * static_cast<double>(after[k]));
        }
        stroke.loud[l] = static_cast<float>(decibelsOf(power / static_cast<double>(kLoudest)));
    }
    return stroke;
}

Shape shapeOf(std::span<const Stroke> strokes, std::vector<std::size_t> members)
{
    constexpr double kShare = 0.75;
    std::ranges::stable_sort(members, std::greater{}, [&](std::size_t i) {
        return strokes[i].clear();
    });
    const auto share = static_cast<std::size_t>(kShare * static_cast<double>(members.size()));
    members.resize(std::min(members.size(), std::max<std::size_t>(6, share)));
    Shape shape;
    std::vector<float> values(members.size());
    for (std::size_t l = 0; l < kListenings; ++l) {
        for (int k = 0; k < kLength; ++k) {
            std::ranges::transform(members, values.begin(), [&](std::size_t i) {
                return strokes[i].level(l, strokes[i].at, k);
            });
            shape[l][static_cast<std::size_t>(k)] = median(values);
        }
    }
    return shape;
}

namespace {

float quietIn(const Shape& shape, std::size_t listening)
{
    constexpr int kSteps = 6;
    std::vector<float> before(shape[listening].begin(), shape[listening].begin() + kSteps);
    return median(before);
}

}  // namespace

float quietOf(const Shape& shape)
{
    return std::max(quietIn(shape, 0), quietIn(shape, 1));
}

float leastQuietOf(const Shape& shape)
{
    float least = quietIn(shape, 0);
    for (std::size_t l = 1; l < kListenings; ++l) {
        least = std::min(least, quietIn(shape, l));
    }
    return least;
}

bool isClearer(const Shape& clear, const Shape& hidden)
{
    constexpr float kClearer = 6.0F;  // dB
    return quietIn(clear, 0) <= quietIn(hidden, 0) - kClearer &&
           quietIn(clear, 1) <= quietIn(hidden, 1) - kClearer;
}

std::optional<int> laterBy(const Shape& hidden, const Shape& clear)
{
    constexpr int kFurthest = 16;   // steps
    constexpr float kSame = 15.0F;  // dB squared
    std::array<float, kListenings> quiet;
    for (std::size_t l = 0; l < kListenings; ++l) {
        quiet[l] = quietIn(hidden, l);
    }
    std::optional<int> best;
    float least = kSame;
    for (int later = -kFurthest; later <= kFurthest; ++later) {
        const int first = std::max(0, later);
        const int last = std::min(kLength, kLength + later);
        float sum = 0.0F;
        for (std::size_t l = 0; l < kListenings; ++l) {
            for (int k = first; k < last; ++k) {
                const float own = clear[l][static_cast<std::size_t>(k - later)];
                const float wanted =
                    std::max(own, quiet[l]) + togetherLouder(std::abs(own - quiet[l]));
                const float off = wanted - hidden[l][static_cast<std::size_t>(k)];
                sum += off * off;
            }
        }
        const float misfit =
            sum / static_cast<float>(kListenings * static_cast<std::size_t>(last - first));
        if (misfit < least) {
            least = misfit;
            best = later;
        }
    }
    return best;
}

ShapeMatch::ShapeMatch(const Shape& shape, const Stroke& stroke, int start)
    : stroke_(stroke), start_(start)
{
    constexpr float kLeast = 3.0F;  // dB
    constexpr float kMost = 30.0F;
    float sum = 0.0F;
    for (std::size_t l = 0; l < kListenings; ++l) {
        for (std::size_t g = 0; g < kLouder.size(); ++g) {
            wanted_[l][g] = expected(shape, stroke, l, kLouder[g]);
        }
        weights_[l] = std::clamp(stroke.loud[l] - stroke.quiet[l], kLeast, kMost);
        sum += weights_[l];
    }
    for (float& weight : weights_) {
        weight /= sum;
    }
}

[[gnu::always_inline]] inline Place ShapeMatch::compare(int place, float best) const
{
    constexpr float kOtherLevel = 0.3F;  // for each dB squared
    constexpr float kWithOthers = 8.0F;  // to begin as another drum arrives: mostly that is it
    Place found{place, costOfMoving(place - stroke_.found)};
    found.misfit += stroke_.isOthers(place + start_) ? kWithOthers : 0.0F;
    for (std::size_t l = 0; l < kListenings && found.misfit < best; ++l) {
        const auto from =
            static_cast<std::size_t>(static_cast<int>(AttackTrace::kBefore) + place - kAhead);
        const float* there = stroke_.levels[l].data() + from;
        // More than this is no better than another level, or than another place.
        float least = (best - found.misfit) / weights_[l];
        bool isBetter = false;
        for (std::size_t g = 0; g < kLouder.size(); ++g) {
            const float otherLevel = kOtherLevel * kLouder[g] * kLouder[g];
            const float misfit = misfitOf(there, wanted_[l][g], otherLevel, least);
            if (misfit < least) {
                least = misfit;
                found.louder[l] = kLouder[g];
                isBetter = true;
            }
        }
        if (!isBetter) {
            return {};
        }
        found.misfit += least * weights_[l];
    }
    return found;
}

Place ShapeMatch::at(int place, float best) const
{
#if defined(__x86_64__)
    if (kHasWide) {
        return compareWide(place, best);
    }
#endif
    return compare(place, best);
}

#if defined(__x86_64__)
[[gnu::target("avx")]] Place ShapeMatch::compareWide(int place, float best) const
{
    return compare(place, best);
}
#endif

Place ShapeMatch::best(float misfit) const
{
    const int earliest = stroke_.found - kReach;
    Place best{stroke_.found, misfit};
    bool isFound = false;
    for (int n = 0; n <= 2 * kReach; ++n) {
        const int shift = n % 2 == 0 ? n / 2 : -(n + 1) / 2;
        const Place place = at(stroke_.found + shift, best.misfit);
        if (place.misfit < best.misfit) {
            best = place;
            isFound = true;
        }
    }
    // What fits best as early as is looked would fit better still before: it is no place.
    if (isFound && best.at == earliest) {
        best = at(stroke_.found, misfit);
        isFound = best.misfit < misfit;
    }
    return isFound ? best : Place();
}

}  // namespace orthochron::shapes
