#include "core/fit/Lines.h"

#include <algorithm>
#include <cmath>
#include <limits>

namespace orthochron {

namespace {

// Costs are negative logarithms of likelihood; times are in seconds.
constexpr double kLoose = 0.012;  // how far hits stray from their neighbours (standard deviation)
constexpr double kDriftPerBeat =
    0.022;                           // how far a player drifts within a beat (standard deviation)
constexpr double kDearest = 22.0;    // of a jump: a take may have been edited before
constexpr double kFirstHit = 0.150;  // how far off the first hit may be (standard deviation)
constexpr double kHomesick = 0.03;  // for each beat of deviation squared: the grid is meant as laid
constexpr double kOffGrid = 7.0;    // of a hit between the lines: it says nothing of its neighbours
constexpr double kSameLine = 4.0;   // two main hits for one line
constexpr double kReachBeats = 1.3;  // lines this far from where a hit is expected are considered

struct State {
    std::int64_t line = 0;
    double deviation = 0.0;  // seconds
    double reference =
        0.0;  // where the player is taken to be: the deviation, unless it is off the grid
    double cost = 0.0;
    int before = -1;
};

// Players strike beats more often than what lies between.
double rarity(const GridLine& line, const Grid& grid)
{
    const double beats = (line.at - grid.map().startOfBar(line.bar)).count();
    const double halves = beats * 2.0;
    if (std::abs(beats - std::round(beats)) < 0.02) {
        return 0.0;
    }
    return std::abs(halves - std::round(halves)) < 0.02 ? 0.1 : 0.35;
}

std::vector<State> statesOf(Seconds at, Seconds expected, const Grid& grid)
{
    std::vector<State> states;
    const auto add = [&](std::int64_t index) {
        const GridLine line = grid.line(index);
        State state;
        state.line = index;
        state.deviation = (at - line.time).count();
        states.push_back(state);
    };
    const std::int64_t middle = grid.nearest(at - expected).index;
    const auto reach = std::max<std::int64_t>(
        2, static_cast<std::int64_t>(std::ceil(kReachBeats / grid.stepLength().count()))
    );
    for (std::int64_t index = middle - reach; index <= middle + reach; ++index) {
        add(index);
    }
    return states;
}

double stepCost(double from, double to, double beats)
{
    const double change = to - from;
    const double variance = 2.0 * kLoose * kLoose + kDriftPerBeat * kDriftPerBeat * beats;
    return std::min(0.5 * change * change / variance, kDearest);
}

double startCost(State& state)
{
    state.reference = state.deviation;
    return 0.5 * state.deviation * state.deviation / (kFirstHit * kFirstHit);
}

// The cheapest way to a state from the column before, and what it costs. `beats` lie between the
// two hits; `step` is the grid's, in seconds.
double reach(State& state, const std::vector<State>& past, double beats, double step)
{
    double best = std::numeric_limits<double>::max();
    for (std::size_t k = 0; k < past.size(); ++k) {
        if (past[k].line > state.line) {
            continue;
        }
        const double same = past[k].line == state.line ? kSameLine : 0.0;
        const double onGrid = stepCost(past[k].reference, state.deviation, beats);
        // Off the grid it goes to the line nearest to where the player is taken to be.
        const bool isNearest = std::abs(state.deviation - past[k].reference) <= 0.5 * step;
        const bool isOff = isNearest && kOffGrid < onGrid;
        const double cost = past[k].cost + same + (isOff ? kOffGrid : onGrid);
        if (cost < best) {
            best = cost;
            state.before = static_cast<int>(k);
            state.reference = isOff ? past[k].reference : state.deviation;
        }
    }
    return best;
}

// Sets the line of every main hit that has none by hand, on a grid at least as fine as what is
// played.
void followLines(
    std::vector<JudgedHit>& hits,
    const std::vector<std::size_t>& mains,
    const Grid& grid,
    Hertz rate
)
{
    const double step = grid.stepLength().count();
    std::vector<std::vector<State>> columns;
    Seconds expected{0.0};
    for (std::size_t n = 0; n < mains.size(); ++n) {
        const Seconds at = toSeconds(hits[mains[n]].played.beatPoint, rate);
        auto states = statesOf(at, expected, grid);
        const double bpm = grid.map().bpmAt(grid.map().beatsAt(at));
        const double apart =
            n > 0 ? toSeconds(
                        hits[mains[n]].played.beatPoint - hits[mains[n - 1]].played.beatPoint, rate
                    )
                        .count()
                  : 0.0;
        for (State& state : states) {
            const double inBeats = state.deviation * bpm / 60.0;
            const double best =
                n == 0 ? startCost(state)
                       : reach(state, columns[n - 1], apart * bpm / 60.0, step * 60.0 / bpm);
            state.cost = best + kHomesick * inBeats * inBeats + rarity(grid.line(state.line), grid);
        }
        const auto cheapest = std::ranges::min_element(states, {}, &State::cost);
        expected = Seconds(cheapest->reference);
        columns.push_back(std::move(states));
    }
    int k = 0;
    if (!mains.empty()) {
        const auto& last = columns.back();
        k = static_cast<int>(std::ranges::min_element(last, {}, &State::cost) - last.begin());
    }
    for (std::size_t n = mains.size(); n-- > 0;) {
        const State& state = columns[n][static_cast<std::size_t>(std::max(k, 0))];
        hits[mains[n]].line = grid.line(state.line);
        k = state.before;
    }
}

// Where the player is around each main hit: the middle deviation of its neighbours.
std::vector<Seconds>
whereabouts(const std::vector<JudgedHit>& hits, const std::vector<std::size_t>& mains, Hertz rate)
{
    constexpr std::size_t kReach = 3;
    std::vector<Seconds> around;
    for (std::size_t n = 0; n < mains.size(); ++n) {
        std::vector<Seconds> near;
        for (std::size_t k = n > kReach ? n - kReach : 0;
             k < std::min(mains.size(), n + kReach + 1);
             ++k) {
            const JudgedHit& hit = hits[mains[k]];
            near.push_back(toSeconds(hit.played.beatPoint, rate) - hit.line.time);
        }
        const auto middle = near.begin() + static_cast<std::ptrdiff_t>(near.size() / 2);
        std::ranges::nth_element(near, middle);
        around.push_back(*middle);
    }
    return around;
}

}  // namespace

void assignLines(std::vector<JudgedHit>& hits, const Grid& grid, Hertz rate)
{
    std::vector<std::size_t> mains;
    for (std::size_t i = 0; i < hits.size(); ++i) {
        if (hits[i].role != HitRole::Main) {
            continue;
        }
        if (hits[i].played.line) {
            // Given by hand, it says nothing of its neighbours.
            hits[i].line = grid.line(*hits[i].played.line);
        } else {
            mains.push_back(i);
        }
    }
    // What lies between the lines of a coarse grid looks like drift. The player is followed on
    // sixteenths, and each hit then goes to the coarse line nearest to where it was meant. Lines that
    // swing far lie between straight sixteenths: there the player is followed on the grid itself.
    constexpr int kFineEnough = 16;
    constexpr double kFar = 57.5;  // %: a third of a sixteenth from the straight one
    const bool isSwung = grid.settings().swing > kFar;
    if (grid.settings().division < kFineEnough && !grid.settings().triplet && !isSwung) {
        followLines(hits, mains, Grid(grid.map(), {kFineEnough, false, 50.0}), rate);
        const std::vector<Seconds> around = whereabouts(hits, mains, rate);
        for (std::size_t n = 0; n < mains.size(); ++n) {
            JudgedHit& hit = hits[mains[n]];
            hit.line = grid.nearest(toSeconds(hit.played.beatPoint, rate) - around[n]);
        }
    } else {
        followLines(hits, mains, grid, rate);
    }
    for (std::size_t n = 1; n < mains.size(); ++n) {
        JudgedHit& a = hits[mains[n - 1]];
        JudgedHit& b = hits[mains[n]];
        if (a.line.index == b.line.index) {
            b.role = HitRole::Attached;
            b.main = hits[mains[n - 1]].main;
        }
    }
    for (JudgedHit& hit : hits) {
        while (hits[hit.main].main != hit.main) {
            hit.main = hits[hit.main].main;
        }
        hit.line = hits[hit.main].line;
    }
}

}  // namespace orthochron
