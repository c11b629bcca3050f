#include "core/fit/Lines.h"

#include "core/fit/Roles.h"

#include <algorithm>
#include <cmath>
#include <limits>
#include <map>
#include <set>
#include <utility>

namespace orthochron {

namespace {

// Costs are negative logarithms of likelihood; times are in seconds.
constexpr double kLoose =
    0.016;  // how far hits stray from where the player is (standard deviation)
constexpr double kAstray = 0.035;     // the same of a hit that went astray
constexpr double kAstrayCosts = 3.2;  // one hit in 25
constexpr double kDriftPerBeat =
    0.018;                           // how far a player drifts within a beat (standard deviation)
constexpr double kDearest = 22.0;    // of a jump: a take may have been edited before
constexpr double kFirstHit = 0.040;  // how far off the first hit may be (half width)
constexpr double kHomesick = 0.2;    // for each beat of deviation squared, while it is small
constexpr double kSameLine = 4.0;    // two main hits for one line, of one drum
constexpr double kTogether = 1.0;    // of two drums: mostly both were meant for it
constexpr double kReachBeats = 1.3;  // lines this far from where a hit is expected are considered

// Where the player is taken to be, as far from the grid, and how sure that is.
struct Whereabouts {
    double deviation = 0.0;  // seconds
    double variance = kLoose * kLoose;
};

struct State {
    std::int64_t line = 0;
    double deviation = 0.0;  // seconds
    Whereabouts player;
    double cost = 0.0;
    int before = -1;
};

// Players strike beats more often than what lies between.
double rarity(const GridLine& line, const Grid& grid)
{
    const Beats within = line.at - grid.map().startOfBar(line.bar);
    const Meter meter = grid.map().meterOfBar(line.bar);
    const auto isOn = [&](Beats raster) {
        const double parts = within / raster;
        return std::abs(parts - std::round(parts)) * raster.count() < 0.02;
    };
    if (isOn(meter.feltBeat())) {
        return 0.0;
    }
    const bool isByThrees = meter.feltBeat() > meter.beatLength();
    return isOn(isByThrees ? meter.beatLength() : meter.beatLength() / 2.0) ? 0.1 : 0.35;
}

// The grid is meant as laid; but who is a beat away may as well be two.
double homesickness(double beats)
{
    return kHomesick * beats * beats / (1.0 + 4.0 * beats * beats);
}

// At which steps of the bar each lead mostly plays, as its main hits lie by now: who plays a song repeats himself, and a hit
// halfway between two lines rather belongs to the one that is struck in other bars.
class Habits {
public:
    Habits() = default;  // nothing is known
    Habits(const std::vector<JudgedHit>& hits, const std::vector<std::size_t>& mains)
    {
        std::map<int, std::set<int>> bars;
        for (const std::size_t main : mains) {
            const JudgedHit& hit = hits[main];
            if (lines_.insert({hit.played.lead, hit.line.index}).second) {
                ++struck_[{hit.played.lead, hit.line.step}];
            }
            bars[hit.played.lead].insert(hit.line.bar);
        }
        for (const auto& [lead, of] : bars) {
            bars_[lead] = static_cast<double>(of.size());
        }
    }

    // That a lead strikes a line, by all other bars.
    [[nodiscard]] double cost(int lead, const GridLine& line) const
    {
        constexpr double kUsual = 0.15;   // of the bars, as long as nothing is known of a step
        constexpr double kUnknown = 2.0;  // bars that this is worth
        constexpr double kMost = 3.0;
        const auto bars = bars_.find(lead);
        if (bars == bars_.end()) {
            return 0.0;
        }
        const auto struck = struck_.find({lead, line.step});
        const double all = struck == struck_.end() ? 0.0 : struck->second;
        const double others = all - (lines_.contains({lead, line.index}) ? 1.0 : 0.0);
        const double share = (others + kUnknown * kUsual) / (bars->second - 1.0 + kUnknown);
        return std::min(-std::log(share), kMost);
    }

private:
    std::set<std::pair<int, std::int64_t>> lines_;  // of each lead
    std::map<std::pair<int, int>, double> struck_;  // in how many bars, by lead and step
    std::map<int, double> bars_;                    // of each lead
};

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

// Of a first hit so far off, by Cauchy's law: a take mostly begins on the grid, but may begin anywhere.
double startCost(double deviation)
{
    const double parts = deviation / kFirstHit;
    return std::log1p(parts * parts);
}

struct Follow {
    Whereabouts player;
    double cost = 0.0;
};

// What a hit tells of the player (a step of Kalman's filter). One that went astray, be it a mistake or played between the
// lines, tells less, as its own scatter is larger; a jump starts anew. `step` is the grid's, in seconds.
Follow follow(const Whereabouts& before, double deviation, double beats, double step)
{
    constexpr double kUsual = kLoose * kLoose;
    const double expected = before.variance + kDriftPerBeat * kDriftPerBeat * beats;
    const double surprise = deviation - before.deviation;
    const auto scattering = [&](double scatter, double cost) {
        const double sum = expected + scatter;
        const double gain = expected / sum;
        return Follow{
            {before.deviation + gain * surprise, expected * (1.0 - gain)},
            cost + 0.5 * surprise * surprise / sum + 0.5 * std::log(sum / kUsual)};
    };
    Follow best = scattering(kUsual, 0.0);
    // Astray it went from the line that is nearest to where the player is.
    if (std::abs(surprise) <= 0.5 * step) {
        const Follow astray = scattering(kAstray * kAstray, kAstrayCosts);
        if (astray.cost < best.cost) {
            best = astray;
        }
    }
    return best.cost <= kDearest ? best : Follow{{deviation, kUsual}, kDearest};
}

// Comes to a state by the cheapest way from the column before. `beats` lie between the two hits, `sameLine` is what it costs
// that both go to one line.
void reach(State& state, const std::vector<State>& past, double beats, double step, double sameLine)
{
    state.cost = std::numeric_limits<double>::max();
    for (std::size_t k = 0; k < past.size(); ++k) {
        if (past[k].line > state.line) {
            continue;
        }
        const double same = past[k].line == state.line ? sameLine : 0.0;
        const Follow way = follow(past[k].player, state.deviation, beats, step);
        const double cost = past[k].cost + same + way.cost;
        if (cost < state.cost) {
            state.cost = cost;
            state.before = static_cast<int>(k);
            state.player = way.player;
        }
    }
}

// Sets the line of every main hit that has none by hand, on a grid at least as fine as what is
// played.
void followOnce(
    std::vector<JudgedHit>& hits,
    const std::vector<std::size_t>& mains,
    const Habits& habits,
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
        for (State& state : states) {
            if (n == 0) {
                state.player.deviation = state.deviation;
                state.cost = startCost(state.deviation);
            } else {
                const PlayedHit& before = hits[mains[n - 1]].played;
                const PlayedHit& now = hits[mains[n]].played;
                const Seconds apart = toSeconds(now.beatPoint - before.beatPoint, rate);
                const double sameLine = before.lead == now.lead ? kSameLine : kTogether;
                reach(
                    state, columns[n - 1], apart.count() * bpm / 60.0, step * 60.0 / bpm, sameLine
                );
            }
            const double inBeats = state.deviation * bpm / 60.0;
            const GridLine line = grid.line(state.line);
            state.cost += homesickness(inBeats) + rarity(line, grid) +
                          habits.cost(hits[mains[n]].played.lead, line);
        }
        const auto cheapest = std::ranges::min_element(states, {}, &State::cost);
        expected = Seconds(cheapest->player.deviation);
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

void followLines(
    std::vector<JudgedHit>& hits,
    const std::vector<std::size_t>& mains,
    const Grid& grid,
    Hertz rate
)
{
    followOnce(hits, mains, {}, grid, rate);
    followOnce(hits, mains, Habits(hits, mains), grid, rate);
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

// Of main hits on one line the first stays main, or one that lies clearly nearer to it, and the others go with that: what
// strikes far ahead of a blow on its line is a grace stroke, though it may have been heard as a blow.
void attachOnOneLine(
    std::vector<JudgedHit>& hits,
    const std::vector<std::size_t>& mains,
    const std::vector<Seconds>& around,
    Hertz rate
)
{
    const auto offLine = [&](std::size_t n) {
        const JudgedHit& hit = hits[mains[n]];
        const Seconds at = toSeconds(hit.played.beatPoint, rate);
        return std::abs((at - around[n] - hit.line.time).count());
    };
    std::size_t ruler = 0;
    for (std::size_t n = 1; n < mains.size(); ++n) {
        if (hits[mains[n]].line.index != hits[mains[ruler]].line.index) {
            ruler = n;
            continue;
        }
        const bool isNearer = offLine(n) + kOneMoment.count() < offLine(ruler);
        const std::size_t loser = isNearer ? ruler : n;
        ruler = isNearer ? n : ruler;
        hits[mains[loser]].role = HitRole::Attached;
        hits[mains[loser]].main = mains[ruler];
    }
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
    std::vector<Seconds> around;
    if (grid.settings().division < kFineEnough && !grid.settings().triplet && !isSwung) {
        followLines(hits, mains, Grid(grid.map(), {kFineEnough, false, 50.0}), rate);
        around = whereabouts(hits, mains, rate);
        for (std::size_t n = 0; n < mains.size(); ++n) {
            JudgedHit& hit = hits[mains[n]];
            hit.line = grid.nearest(toSeconds(hit.played.beatPoint, rate) - around[n]);
        }
    } else {
        followLines(hits, mains, grid, rate);
        around = whereabouts(hits, mains, rate);
    }
    attachOnOneLine(hits, mains, around, rate);
    for (JudgedHit& hit : hits) {
        while (hits[hit.main].main != hit.main) {
            hit.main = hits[hit.main].main;
        }
        hit.line = hits[hit.main].line;
    }
}

}  // namespace orthochron
