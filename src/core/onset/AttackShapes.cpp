#include "core/onset/AttackShapes.h"

#include <oneapi/tbb/parallel_for.h>

#include "core/onset/AttackLevels.h"
#include "core/onset/StrokeShape.h"

#include <algorithm>
#include <cmath>
#include <numeric>
#include <utility>

namespace orthochron {

namespace shapes {

namespace {

// A kind of stroke is one when so many are of it.
constexpr std::size_t kFewest = 8;
constexpr std::size_t kMostLearned = 240;
constexpr int kRounds = 6;
constexpr int kSplitAfter = 2;
constexpr int kScattered = 8;  // steps; so near to each other are beginnings that something hides
constexpr float kWorthMoving = 2.0F;  // dB squared that it fits better
constexpr float kWorthLeavingOut =
    15.0F;  // so much that what is under way already is something else

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

// Of each place so many steps from where the shape is lined up.
struct Kind {
    std::size_t name = 0;
    Shape shape{};
    std::vector<int> found{};     // where its strokes were found to begin, ascending
    std::vector<int> mayBegin{};  // there, and at what rises ahead of them, ascending
    std::optional<int> start{};   // see startOf
};

// Whether something rings, soft or loud, just ahead of most of a kind's strokes: where each was found to begin is then chance.
bool isAlwaysHidden(const Kind& kind)
{
    constexpr float kLoudBefore = -16.0F;  // dB
    return leastQuietOf(kind.shape) > kLoudBefore;
}

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

// How many of some places, ascending, lie within so many steps after the one at `first`, itself included.
std::size_t togetherFrom(const std::vector<int>& places, std::size_t first, int within)
{
    const auto end = std::ranges::upper_bound(places, places[first] + within);
    return static_cast<std::size_t>(end - places.begin()) - first;
}

std::size_t mostTogether(const std::vector<int>& places, int within)
{
    std::size_t most = 0;
    for (std::size_t i = 0; i < places.size(); ++i) {
        most = std::max(most, togetherFrom(places, i, within));
    }
    return most;
}

// The earliest of some places, ascending, where so many lie within so many steps: there in the middle of the densest.
std::optional<int> earliestOf(const std::vector<int>& places, std::size_t needed, int within)
{
    for (std::size_t i = 0; i < places.size(); ++i) {
        const std::size_t count = togetherFrom(places, i, within);
        if (count >= needed) {
            std::size_t best = i;
            std::size_t most = 0;
            for (std::size_t k = i; k < i + count; ++k) {
                if (const std::size_t near = togetherFrom(places, k, kTogether); near > most) {
                    best = k;
                    most = near;
                }
            }
            return places[best + most / 2];
        }
    }
    return std::nullopt;
}

// Where a kind begins, in steps from where its strokes are lined up: the earliest place at which about half as many
// were found to begin as anywhere, or, where more of them would have to, at which they or what rises ahead of them
// begins. Both ascend. `within`: so many steps, where it is about the same place.
std::optional<int>
startOf(const std::vector<int>& found, const std::vector<int>& mayBegin, int within)
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
    const std::size_t half = std::max(kLeast, part(kShare, mostTogether(found, within)));
    const auto own = earliestOf(found, std::max(half, part(kShareOfAll, found.size())), within);
    const auto risen =
        earliestOf(mayBegin, std::max(half, part(kShareWithRises, found.size())), within);
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
        places.push_back(
            isKnown ? ShapeMatch(kind.shape, stroke, *kind.start).best(least + kAlike) : Place()
        );
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

// Where a kind's strokes were found to begin, and where they may.
void hearMembers(Kind& kind, std::span<const Stroke> strokes)
{
    for (const Stroke& stroke : strokes) {
        if (stroke.kind != kind.name) {
            continue;
        }
        // Found where another drum is heard it says nothing of where its kind begins.
        if (!stroke.isOthers(stroke.found)) {
            kind.found.push_back(stroke.found - stroke.at);
        }
        for (const int begin : stroke.mayBegin) {
            kind.mayBegin.push_back(begin - stroke.at);
        }
    }
    std::ranges::sort(kind.found);
    std::ranges::sort(kind.mayBegin);
}

// What was found of kinds that are the same strokes as one of them, seen from where that is lined up, and its own. Where one
// is clearly hidden by something it says nothing of the other.
struct Kin {
    std::vector<int> found;
    std::vector<int> mayBegin;
    std::optional<int> startInTheClear;
};

// `kinds`: the clearest first; where those before `which` begin is known.
Kin kinOf(std::span<const Kind> kinds, std::size_t which)
{
    Kin kin{kinds[which].found, kinds[which].mayBegin, std::nullopt};
    for (std::size_t other = 0; other < kinds.size() && !kin.startInTheClear; ++other) {
        const Kind& clear = kinds[std::min(which, other)];
        const Kind& hidden = kinds[std::max(which, other)];
        const auto later = other == which ? std::nullopt : laterBy(hidden.shape, clear.shape);
        if (!later) {
            continue;
        }
        const bool isClear = which < other;
        if (isClearer(clear.shape, hidden.shape)) {
            if (!isClear && clear.start) {
                kin.startInTheClear = *clear.start + *later;
            }
            continue;
        }
        const int shift = isClear ? -*later : *later;
        for (const int begin : kinds[other].found) {
            kin.found.push_back(begin + shift);
        }
        for (const int begin : kinds[other].mayBegin) {
            kin.mayBegin.push_back(begin + shift);
        }
    }
    std::ranges::sort(kin.found);
    std::ranges::sort(kin.mayBegin);
    return kin;
}

// A kind whose beginning is hidden begins as the same strokes do where they are heard clearly. Kinds that are the same
// strokes and heard alike begin alike: a few of one, lined up a swing of the drum too late, are outvoted by all.
void findStarts(std::vector<Kind>& kinds)
{
    std::ranges::sort(kinds, {}, [](const Kind& kind) { return quietOf(kind.shape); });
    for (std::size_t k = 0; k < kinds.size(); ++k) {
        Kind& kind = kinds[k];
        const int within = isAlwaysHidden(kind) ? kScattered : kTogether;
        kind.start = startOf(kind.found, kind.mayBegin, within);
        if (!kind.start) {
            continue;
        }
        const Kin kin = kinOf(kinds, k);
        const auto ofAll = startOf(kin.found, kin.mayBegin, within);
        if (kin.startInTheClear) {
            kind.start = kin.startInTheClear;
        } else if (ofAll && std::abs(*kind.start - *ofAll) > kTogether) {
            kind.start = ofAll;
        }
    }
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
        hearMembers(kind, strokes);
    }
    findStarts(kinds);
    return kinds;
}

constexpr std::size_t kBrightened = kListenings - 1;  // all but the last

// Whether a stroke is heard before it would begin at `start`: from where it was found on it stands out at once, up to `full`
// (dB) at least, in each of the first so many listenings.
bool isUnderWay(const Stroke& stroke, int start, float full, std::size_t listenings)
{
    constexpr int kBefore = 4;
    constexpr float kRise = 20.0F;  // dB
    if (start <= stroke.found || stroke.isOthers(stroke.found)) {
        return false;
    }
    const auto loudest = [&](std::size_t listening, int from, int to) {
        float most = -200.0F;
        for (int step = from; step < to; ++step) {
            most = std::max(most, stroke.level(listening, step, kAhead));
        }
        return most;
    };
    for (std::size_t l = 0; l < listenings; ++l) {
        const float here = loudest(l, stroke.found, start);
        if (here < full || here < loudest(l, stroke.found - kBefore, stroke.found) + kRise) {
            return false;
        }
    }
    return true;
}

// Whether a stroke begins where it was found although a kind fits it better at `start`: it is of a rare kind, explained by
// none, or of one whose strokes mostly follow another at once, so that nothing tells what comes before them; or it is in
// full as it is, too, and not only brightened, as what bleeds may be: a drum that sways fits better a swing later.
bool isOwnWay(const Stroke& stroke, const Kind& kind, int start, float better)
{
    constexpr float kNearlyFull = -12.0F;  // dB
    constexpr float kFull = -4.0F;
    return (better < kWorthLeavingOut && isUnderWay(stroke, start, kNearlyFull, kBrightened)) ||
           (isAlwaysHidden(kind) && isUnderWay(stroke, start, kFull, kBrightened)) ||
           isUnderWay(stroke, start, kFull, kListenings);
}

// Whether a kind says too little of a stroke to have it begin `ahead` steps before where it was found. In what rings of the
// stroke before any kind fits a little, and soonest where it is looked for furthest.
bool isFarFetched(int ahead, float misfit, float better)
{
    constexpr float kMost = 25.0F;       // dB squared
    constexpr int kFar = 40;             // steps
    constexpr float kNearer = 0.75F;     // dB squared for each step less
    constexpr float kMuchBetter = 1.2F;  // of what it still misses
    constexpr float kFarBetter = 45.0F;
    return ahead > 0 && misfit > kMost + kNearer * static_cast<float>(std::max(0, kFar - ahead)) &&
           better < std::min(kMuchBetter * misfit, kFarBetter);
}

}  // namespace

}  // namespace shapes

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
    const std::size_t count = std::min(sure.size(), shapes::kMostLearned);
    std::vector<shapes::Stroke> learned;
    for (std::size_t k = 0; k < count; ++k) {
        learned.push_back(shapes::strokeOf(attacks[sure[k * sure.size() / count]]));
    }
    if (learned.size() < shapes::kFewest) {
        return starts;
    }
    const std::vector<shapes::Kind> kinds = shapes::learn(learned);
    if (kinds.empty()) {
        return starts;
    }
    tbb::parallel_for(std::size_t{0}, attacks.size(), [&](std::size_t i) {
        shapes::Stroke stroke = shapes::strokeOf(attacks[i]);
        const shapes::Kind* kind = shapes::lineUpKnown(stroke, kinds);
        if (kind == nullptr) {
            return;
        }
        const shapes::ShapeMatch match(kind->shape, stroke, *kind->start);
        const float here = match.at(stroke.found - *kind->start, shapes::kNever).misfit;
        const float misfit = match.at(stroke.at, shapes::kNever).misfit;
        const float better = here - misfit;
        const int start = stroke.at + *kind->start;
        if (better >= shapes::kWorthMoving && !shapes::isOwnWay(stroke, *kind, start, better) &&
            !shapes::isFarFetched(stroke.found - start, misfit, better)) {
            starts[i] = AttackTrace::kStep * static_cast<double>(start);
        }
    });
    return starts;
}

}  // namespace orthochron
