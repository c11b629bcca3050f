#include "core/onset/AttackShapes.h"

#include <oneapi/tbb/parallel_for.h>

#include "core/onset/AttackLevels.h"

#include <algorithm>
#include <cmath>
#include <cstring>
#include <numbers>
#include <numeric>
#include <utility>

namespace orthochron {

namespace {

constexpr std::size_t kListenings = AttackTrace::kListenings;
constexpr int kAhead = 8;    // steps of a shape before the start it was lined up by
constexpr int kBehind = 56;  // and after
constexpr int kReach = 48;   // how far an attack is moved at most
constexpr int kQuiet = 56;   // what lies this far before a start is what it rises from
constexpr int kLength = kAhead + kBehind;
constexpr int kTogether = 2;        // beginnings this near to each other are one
constexpr float kLowest = -127.5F;  // dB
constexpr float kHalf = 0.5F;

// A kind of stroke is one when so many are of it.
constexpr std::size_t kFewest = 8;
constexpr std::size_t kMostLearned = 240;
constexpr int kRounds = 6;
constexpr int kSplitAfter = 2;
constexpr float kNever = 1e9F;
constexpr float kWorthMoving = 2.0F;  // dB squared that it fits better

using Shape = std::array<std::array<float, kLength>, kListenings>;

// An attack being lined up.
struct Stroke {
    std::array<std::array<float, AttackTrace::kSteps>, kListenings> levels;  // dB
    std::array<float, kListenings> quiet;
    std::array<float, kListenings> loud;  // of its loudest steps
    int found = 0;                        // steps from the centre
    int at = 0;                           // where it is thought to begin
    std::vector<int> mayBegin;            // steps from the centre: there, and at what rises ahead
    std::size_t kind = 0;

    [[nodiscard]] float clear() const { return std::min(loud[0] - quiet[0], loud[1] - quiet[1]); }
    [[nodiscard]] float level(std::size_t listening, int from, int step) const
    {
        const int place = static_cast<int>(AttackTrace::kBefore) + from - kAhead + step;
        return levels[listening][static_cast<std::size_t>(place)] - loud[listening];
    }
};

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
    const int start = static_cast<int>(AttackTrace::kBefore) + stroke.found;
    for (std::size_t l = 0; l < kListenings; ++l) {
        for (std::size_t n = 0; n < AttackTrace::kSteps; ++n) {
            stroke.levels[l][n] = kLowest + kHalf * static_cast<float>(attack.trace->levels[l][n]);
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

// What is common to strokes: the medians of the clearest three quarters.
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

struct Place {
    int at = 0;
    float misfit = kNever;
    std::array<float, kListenings> louder{};  // than was thought, dB
};

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
    std::array<float, kLength> levels;
    const float quiet = stroke.quiet[listening];
    for (std::size_t k = 0; k < kLength; ++k) {
        const float own = shape[listening][k] + stroke.loud[listening] + louder;
        levels[k] = std::max(own, quiet) + togetherLouder(std::abs(own - quiet));
    }
    return levels;
}

// Four side by side, as every processor does them; left to find that out the compiler does not.
constexpr std::size_t kLanes = 4;
using Lane = float __attribute__((vector_size(kLanes * sizeof(float))));

// A shape held against a stroke at one place after another. What is louder than expected may be bleed and
// counts less than what is softer; no step counts without end.
class ShapeMatch {
public:
    ShapeMatch(const Shape& shape, const Stroke& stroke) : stroke_(stroke)
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

    // Given up once it is no better than `best`.
    [[nodiscard]] Place at(int place, float best) const
    {
        constexpr float kOtherLevel = 0.3F;  // for each dB squared
        constexpr float kFurther = 6.0F;     // for 5 ms, growing with the square
        constexpr float kFiveMs = 20.0F;     // steps
        const float far = static_cast<float>(place - stroke_.found) / kFiveMs;
        Place found{place, kFurther * far * far};
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

    // From where it was found outwards; nothing where none is better than `misfit`.
    [[nodiscard]] Place best(float misfit) const
    {
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
        return isFound ? best : Place();
    }

private:
    static constexpr std::array<float, 5> kLouder{-6.0F, -3.0F, 0.0F, 3.0F, 6.0F};

    // The mean over all steps, and `more`; given up, with as much, once it is no less than `most`.
    static float
    misfitOf(const float* there, const std::array<float, kLength>& wanted, float more, float most)
    {
        constexpr float kMost = 400.0F;      // dB squared
        constexpr float kTooLoud = 0.6F;     // of what too soft counts
        constexpr std::size_t kAtOnce = 16;  // steps
        static_assert(kAtOnce % kLanes == 0 && kLength % kAtOnce == 0);
        const Lane most4 = Lane{} + kMost;
        Lane sums{};
        float misfit = more;
        for (std::size_t first = 0; first < kLength && misfit < most; first += kAtOnce) {
            for (std::size_t k = first; k < first + kAtOnce; k += kLanes) {
                Lane off;
                Lane here;
                std::memcpy(&off, there + k, sizeof(off));
                std::memcpy(&here, wanted.data() + k, sizeof(here));
                off -= here;
                const Lane square = off * (off > 0.0F ? kTooLoud * off : off);
                sums += square < most4 ? square : most4;
            }
            const float sum = (sums[0] + sums[1]) + (sums[2] + sums[3]);
            misfit = sum / static_cast<float>(kLength) + more;
        }
        return misfit;
    }

    const Stroke& stroke_;
    std::array<float, kListenings> weights_{};  // by how far the stroke stands out
    std::array<std::array<std::array<float, kLength>, kLouder.size()>, kListenings> wanted_;
};

std::vector<std::vector<std::size_t>> membersByKind(std::span<const Stroke> strokes)
{
    std::vector<std::vector<std::size_t>> members;
    for (std::size_t i = 0; i < strokes.size(); ++i) {
        members.resize(std::max(members.size(), strokes[i].kind + 1));
        members[strokes[i].kind].push_back(i);
    }
    return members;
}

// Loud and soft strokes apart.
void sortByLevel(std::span<Stroke> strokes)
{
    constexpr float kSoft = 9.0F;  // dB below the loud ones
    std::vector<double> levels;
    for (const Stroke& stroke : strokes) {
        levels.push_back(static_cast<double>(stroke.loud[0]));
    }
    const auto loud = static_cast<float>(percentile(std::move(levels), 0.85));
    for (Stroke& stroke : strokes) {
        stroke.kind = stroke.loud[0] < loud - kSoft ? 1 : 0;
    }
}

// Each row: a stroke's levels, lined up, without what is below its kind's quiet.
std::vector<std::vector<float>>
linedUp(std::span<const Stroke> strokes, std::span<const std::size_t> members)
{
    constexpr float kDeep = -30.0F;
    constexpr float kHigh = 10.0F;
    std::array<float, kListenings> quiet;
    for (std::size_t l = 0; l < kListenings; ++l) {
        std::vector<double> all;
        for (const std::size_t i : members) {
            all.push_back(static_cast<double>(strokes[i].quiet[l] - strokes[i].loud[l]));
        }
        quiet[l] = std::max(kDeep, static_cast<float>(percentile(std::move(all), 0.6)));
    }
    std::vector<std::vector<float>> rows;
    for (const std::size_t i : members) {
        std::vector<float> row;
        for (std::size_t l = 0; l < kListenings; ++l) {
            const auto at = [&](int k) {
                return std::clamp(strokes[i].level(l, strokes[i].at, k), quiet[l], kHigh);
            };
            for (int k = 0; k < kLength; ++k) {
                const int before = std::max(k - 1, 0);
                const int after = std::min(k + 1, kLength - 1);
                row.push_back((at(before) + at(k) + at(after)) / 3.0F);
            }
        }
        rows.push_back(std::move(row));
    }
    return rows;
}

// How far each row lies along the direction in which rows differ most (power iteration).
std::vector<double> alongLargest(const std::vector<std::vector<float>>& rows)
{
    constexpr int kIterations = 30;
    const std::size_t size = rows.front().size();
    std::vector<double> mean(size, 0.0);
    for (const auto& row : rows) {
        for (std::size_t k = 0; k < size; ++k) {
            mean[k] += static_cast<double>(row[k]) / static_cast<double>(rows.size());
        }
    }
    std::vector<double> direction(size, 1.0);
    direction.front() = 2.0;  // not across all of them by chance
    std::vector<double> along(rows.size());
    for (int n = 0; n < kIterations; ++n) {
        std::vector<double> next(size, 0.0);
        for (std::size_t i = 0; i < rows.size(); ++i) {
            along[i] = 0.0;
            for (std::size_t k = 0; k < size; ++k) {
                along[i] += (static_cast<double>(rows[i][k]) - mean[k]) * direction[k];
            }
            for (std::size_t k = 0; k < size; ++k) {
                next[k] += along[i] * (static_cast<double>(rows[i][k]) - mean[k]);
            }
        }
        const double length =
            std::sqrt(std::inner_product(next.begin(), next.end(), next.begin(), 0.0));
        for (std::size_t k = 0; k < size; ++k) {
            direction[k] = next[k] / std::max(length, 1e-12);
        }
    }
    return along;
}

double distance(const std::vector<float>& a, const std::vector<float>& b)
{
    double sum = 0.0;
    for (std::size_t k = 0; k < a.size(); ++k) {
        const double off = static_cast<double>(a[k] - b[k]);
        sum += off * off;
    }
    return sum;
}

// One kind into two by shape, each stroke with the medians it is nearer to; nothing where one side
// would be few.
std::vector<bool> twoShapes(const std::vector<std::vector<float>>& rows)
{
    constexpr int kMostRounds = 10;
    const std::vector<double> along = alongLargest(rows);
    const double middle = percentile(along, 0.5);
    std::vector<bool> isSecond;
    for (const double each : along) {
        isSecond.push_back(each > middle);
    }
    const auto isSplit = [&] {
        const auto second = static_cast<std::size_t>(std::ranges::count(isSecond, true));
        return second >= kFewest && isSecond.size() - second >= kFewest;
    };
    for (int n = 0; n < kMostRounds && isSplit(); ++n) {
        std::array<std::vector<float>, 2> medians;
        for (std::size_t side = 0; side < 2; ++side) {
            for (std::size_t k = 0; k < rows.front().size(); ++k) {
                std::vector<float> values;
                for (std::size_t i = 0; i < rows.size(); ++i) {
                    if (isSecond[i] == (side == 1)) {
                        values.push_back(rows[i][k]);
                    }
                }
                medians[side].push_back(median(values));
            }
        }
        std::vector<bool> next;
        for (const auto& row : rows) {
            next.push_back(distance(row, medians[1]) < distance(row, medians[0]));
        }
        if (next == isSecond) {
            break;
        }
        const auto before = std::exchange(isSecond, next);
        if (!isSplit()) {
            isSecond = before;
            break;
        }
    }
    return isSplit() ? isSecond : std::vector<bool>();
}

void splitByShape(std::span<Stroke> strokes)
{
    const auto kinds = membersByKind(strokes);
    std::size_t next = kinds.size();
    for (const auto& members : kinds) {
        if (members.size() < 3 * kFewest) {
            continue;
        }
        const std::vector<bool> isSecond = twoShapes(linedUp(strokes, members));
        for (std::size_t k = 0; k < isSecond.size(); ++k) {
            if (isSecond[k]) {
                strokes[members[k]].kind = next;
            }
        }
        next += isSecond.empty() ? 0U : 1U;
    }
}

struct Kind {
    std::size_t name = 0;
    Shape shape{};
    std::optional<int> start;  // steps from where the shape is lined up; see startOf
};

std::vector<Kind> kindsOf(std::span<const Stroke> strokes)
{
    const auto members = membersByKind(strokes);
    std::vector<Kind> kinds;
    for (std::size_t name = 0; name < members.size(); ++name) {
        if (members[name].size() >= kFewest) {
            kinds.push_back({name, shapeOf(strokes, members[name])});
        }
    }
    return kinds;
}

void moveTo(Stroke& stroke, const Place& place, std::size_t kind)
{
    constexpr float kLouderTaken = 0.5F;  // of a change of level, so that rounds settle
    stroke.at = place.at;
    stroke.kind = kind;
    for (std::size_t l = 0; l < kListenings; ++l) {
        stroke.loud[l] += kLouderTaken * place.louder[l];
    }
}

// Lines a stroke up with the kind that explains it best; it stays with its own unless another is clearly
// better.
void lineUp(Stroke& stroke, std::span<const Kind> kinds)
{
    constexpr float kClearly = 1.5F;  // dB squared
    Place best;
    std::size_t name = stroke.kind;
    for (const Kind& kind : kinds) {
        const float likelier = kind.name == stroke.kind ? kClearly : 0.0F;
        Place place = ShapeMatch(kind.shape, stroke).best(best.misfit + likelier);
        place.misfit -= likelier;
        if (place.misfit < best.misfit) {
            best = place;
            name = kind.name;
        }
    }
    moveTo(stroke, best, name);
}

void lineUp(std::span<Stroke> strokes, std::span<const Kind> kinds)
{
    tbb::parallel_for(std::size_t{0}, strokes.size(), [&](std::size_t i) {
        lineUp(strokes[i], kinds);
    });
    // A kind must not wander off as a whole.
    for (const auto& members : membersByKind(strokes)) {
        std::vector<float> moved;
        for (const std::size_t i : members) {
            moved.push_back(static_cast<float>(strokes[i].at - strokes[i].found));
        }
        if (!moved.empty()) {
            const int usual = static_cast<int>(median(moved));
            for (const std::size_t i : members) {
                strokes[i].at = std::clamp(
                    strokes[i].at - usual, strokes[i].found - kReach, strokes[i].found + kReach
                );
            }
        }
    }
}

// How many of some places, ascending, lie together with the one at `first` or after it.
std::size_t togetherFrom(const std::vector<int>& places, std::size_t first)
{
    const auto end = std::ranges::upper_bound(places, places[first] + kTogether);
    return static_cast<std::size_t>(end - places.begin()) - first;
}

std::size_t mostTogether(const std::vector<int>& places)
{
    std::size_t most = 0;
    for (std::size_t i = 0; i < places.size(); ++i) {
        most = std::max(most, togetherFrom(places, i));
    }
    return most;
}

// The earliest of some places, ascending, where so many lie together.
std::optional<int> earliestOf(const std::vector<int>& places, std::size_t needed)
{
    for (std::size_t i = 0; i < places.size(); ++i) {
        const std::size_t count = togetherFrom(places, i);
        if (count >= needed) {
            std::size_t best = i;
            for (std::size_t k = i; k < i + count; ++k) {
                best = togetherFrom(places, k) > togetherFrom(places, best) ? k : best;
            }
            return places[best + togetherFrom(places, best) / 2];
        }
    }
    return std::nullopt;
}

// Where a kind begins, in steps from where its strokes are lined up: the earliest place at which about half as many
// were found to begin as anywhere, or, where more of them would have to, at which they or what rises ahead of them
// begins. Both ascend.
std::optional<int> startOf(const std::vector<int>& found, const std::vector<int>& mayBegin)
{
    constexpr double kShare = 0.5;
    constexpr double kShareOfAll = 0.2;
    constexpr double kShareWithRises = 0.35;
    constexpr std::size_t kLeast = 4;
    constexpr std::size_t kMembers = 5;
    if (found.size() < kMembers) {
        return std::nullopt;
    }
    const auto part = [](double share, std::size_t count) {
        return static_cast<std::size_t>(std::ceil(share * static_cast<double>(count)));
    };
    const std::size_t half = std::max(kLeast, part(kShare, mostTogether(found)));
    const auto own = earliestOf(found, std::max(half, part(kShareOfAll, found.size())));
    const auto risen = earliestOf(mayBegin, std::max(half, part(kShareWithRises, found.size())));
    return own && risen ? std::optional(std::min(*own, *risen)) : own;
}

// Lines a stroke up with one of the kinds that explain it about best, of those whose beginning is known: with that which has
// it begin earliest, for what hides the beginning of a kind's strokes makes it late. None where there is none.
const Kind* lineUpKnown(Stroke& stroke, std::span<const Kind> kinds)
{
    constexpr float kAlike = 3.0F;  // dB squared
    std::vector<Place> places;
    float least = kNever;
    for (const Kind& kind : kinds) {
        const bool isKnown = kind.start.has_value();
        places.push_back(isKnown ? ShapeMatch(kind.shape, stroke).best(least + kAlike) : Place());
        least = std::min(least, places.back().misfit);
    }
    const Kind* chosen = nullptr;
    Place place;
    for (std::size_t k = 0; k < kinds.size(); ++k) {
        const bool isAlike = kinds[k].start && places[k].misfit <= least + kAlike;
        if (isAlike &&
            (chosen == nullptr || places[k].at + *kinds[k].start < place.at + *chosen->start)) {
            place = places[k];
            chosen = &kinds[k];
        }
    }
    if (chosen != nullptr) {
        moveTo(stroke, place, chosen->name);
    }
    return chosen;
}

std::vector<Kind> learn(std::vector<Stroke>& strokes)
{
    sortByLevel(strokes);
    for (int round = 0; round < kRounds; ++round) {
        if (round == kSplitAfter) {
            splitByShape(strokes);
        }
        const auto kinds = kindsOf(strokes);
        if (kinds.empty()) {
            return {};
        }
        lineUp(strokes, kinds);
    }
    auto kinds = kindsOf(strokes);
    for (Kind& kind : kinds) {
        std::vector<int> found;
        std::vector<int> mayBegin;
        for (const Stroke& stroke : strokes) {
            if (stroke.kind != kind.name) {
                continue;
            }
            found.push_back(stroke.found - stroke.at);
            for (const int begin : stroke.mayBegin) {
                mayBegin.push_back(begin - stroke.at);
            }
        }
        std::ranges::sort(found);
        std::ranges::sort(mayBegin);
        kind.start = startOf(found, mayBegin);
    }
    return kinds;
}

}  // namespace

AttackTrace traceOf(std::span<const float> samples, Hertz rate, Frames centre)
{
    constexpr std::array<double, kListenings> kCorner{
        150.0, 400.0, 0.0};  // Hz, brightened above it
    constexpr std::array<int, kListenings> kSlopes{1, 2, 0};
    constexpr double kInaudible = 1e-13;
    AttackTrace trace;
    const auto size = static_cast<std::int64_t>(samples.size());
    const double step = AttackTrace::kStep.count() * rate.count();
    const auto frameOf = [&](std::size_t n) {
        const double from = static_cast<double>(n) - static_cast<double>(AttackTrace::kBefore);
        return centre.count() + std::llround(from * step);
    };
    for (std::size_t l = 0; l < kListenings; ++l) {
        const double zero = std::exp(-2.0 * std::numbers::pi * kCorner[l] / rate.count());
        for (std::size_t n = 0; n < AttackTrace::kSteps; ++n) {
            double power = 0.0;
            const std::int64_t first = std::max<std::int64_t>(frameOf(n), 2);
            const std::int64_t last = std::min<std::int64_t>(frameOf(n + 1), size);
            for (std::int64_t k = first; k < last; ++k) {
                const auto at = static_cast<std::size_t>(k);
                const auto x = [&](std::size_t back) {
                    return static_cast<double>(samples[at - back]);
                };
                // Each slope takes away a part of what was just before.
                const double bright = kSlopes[l] == 0 ? x(0)
                                      : kSlopes[l] == 1
                                          ? x(0) - zero * x(1)
                                          : x(0) - 2.0 * zero * x(1) + zero * zero * x(2);
                power += bright * bright;
            }
            const double decibels =
                decibelsOf(power / std::max(step, 1.0) + kInaudible) - static_cast<double>(kLowest);
            trace.levels[l][n] = static_cast<std::uint8_t>(
                std::clamp(std::lround(decibels / static_cast<double>(kHalf)), 0L, 255L)
            );
        }
    }
    return trace;
}

std::vector<std::optional<Seconds>> startsByShape(std::span<const FoundAttack> attacks)
{
    std::vector<std::optional<Seconds>> starts(attacks.size());
    std::vector<std::size_t> sure;
    for (std::size_t i = 0; i < attacks.size(); ++i) {
        if (attacks[i].isSure) {
            sure.push_back(i);
        }
    }
    // Enough of them, from the whole length.
    const std::size_t count = std::min(sure.size(), kMostLearned);
    std::vector<Stroke> learned;
    for (std::size_t k = 0; k < count; ++k) {
        learned.push_back(strokeOf(attacks[sure[k * sure.size() / count]]));
    }
    if (learned.size() < kFewest) {
        return starts;
    }
    const std::vector<Kind> kinds = learn(learned);
    if (kinds.empty()) {
        return starts;
    }
    tbb::parallel_for(std::size_t{0}, attacks.size(), [&](std::size_t i) {
        Stroke stroke = strokeOf(attacks[i]);
        const Kind* kind = lineUpKnown(stroke, kinds);
        if (kind == nullptr) {
            return;
        }
        const ShapeMatch match(kind->shape, stroke);
        const float here = match.at(stroke.found - *kind->start, kNever).misfit;
        if (here - match.at(stroke.at, kNever).misfit >= kWorthMoving) {
            starts[i] = AttackTrace::kStep * static_cast<double>(stroke.at + *kind->start);
        }
    });
    return starts;
}

}  // namespace orthochron
