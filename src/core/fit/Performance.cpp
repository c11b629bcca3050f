#include "core/fit/Performance.h"

#include "core/fit/Lines.h"
#include "core/fit/Roles.h"

#include <algorithm>
#include <cmath>
#include <limits>
#include <map>
#include <optional>
#include <tuple>

namespace orthochron {

namespace {

// How quickly a player's drift changes its course: spectral density of the random walk of its
// slope, (s/s)^2/s. About 3 ms/s of change within a second; from player to player it is twice or half as
// much, and where a passage asks for more it is raised there (see bend).
constexpr double kUsualCourse = 8e-6;
constexpr double kMostCourse = 4e-3;
constexpr double kMostBend = kMostCourse / kUsualCourse;
constexpr double kLeastStray =
    0.0015;                           // s; no player is steadier, so the drift never chases samples
constexpr double kTailFreedom = 4.0;  // of Student's t for strays: a mistake pulls little
constexpr int kRounds = 10;

struct Sample {
    double time = 0.0;
    double value = 0.0;  // deviation less feel
    double weight = 1.0;
    double bend = 1.0;  // times the course of the whole, between this and the one before
    // Of the last pass:
    double expected = 0.0;  // variance of the value, to the filter
    double surprise = 0.0;  // squared, against that; about 1 is usual
};

// A level and its slope with their covariance.
struct Course {
    double level = 0.0, slope = 0.0;
    double p00 = 1.0, p01 = 0.0, p11 = 1.0;
};

Course predicted(const Course& c, double dt, double q)
{
    Course next;
    next.level = c.level + dt * c.slope;
    next.slope = c.slope;
    next.p00 = c.p00 + 2.0 * dt * c.p01 + dt * dt * c.p11 + q * dt * dt * dt / 3.0;
    next.p01 = c.p01 + dt * c.p11 + q * dt * dt / 2.0;
    next.p11 = c.p11 + q * dt;
    return next;
}

// The filter's forward pass over samples in order of time: what it expects at each, and what it knows then.
struct Pass {
    std::vector<Course> before;
    std::vector<Course> after;
};

Pass filtered(std::vector<Sample>& samples, double variance, double course)
{
    Pass pass;
    pass.before.reserve(samples.size());
    pass.after.reserve(samples.size());
    Course state;
    state.level = samples.front().value;
    state.p00 = 0.25;    // (0.5 s)^2: nothing is known of where the player starts
    state.p11 = 0.0004;  // (20 ms/s)^2
    for (std::size_t i = 0; i < samples.size(); ++i) {
        if (i > 0) {
            const double q = std::min(course * samples[i].bend, kMostCourse);
            state = predicted(state, samples[i].time - samples[i - 1].time, q);
        }
        pass.before.push_back(state);
        const double noise = variance / samples[i].weight;
        const double total = state.p00 + noise;
        const double g0 = state.p00 / total;
        const double g1 = state.p01 / total;
        const double surprise = samples[i].value - state.level;
        samples[i].expected = total;
        samples[i].surprise = surprise * surprise / total;
        state.level += g0 * surprise;
        state.slope += g1 * surprise;
        state.p11 -= g1 * state.p01;
        state.p01 -= g0 * state.p01;
        state.p00 -= g0 * state.p00;
        pass.after.push_back(state);
    }
    return pass;
}

// Forward filter and backward smoother.
std::vector<Course> smoothed(std::vector<Sample>& samples, double variance, double course)
{
    const auto [before, after] = filtered(samples, variance, course);
    std::vector<Course> smooth = after;
    for (std::size_t i = samples.size() - 1; i-- > 0;) {
        const Course& p = before[i + 1];
        const double dt = samples[i + 1].time - samples[i].time;
        // gain = P F' inv(P predicted)
        const double f00 = after[i].p00 + dt * after[i].p01;
        const double f01 = after[i].p01;
        const double f10 = after[i].p01 + dt * after[i].p11;
        const double f11 = after[i].p11;
        const double det = std::max(p.p00 * p.p11 - p.p01 * p.p01, 1e-30);
        const double g00 = (f00 * p.p11 - f01 * p.p01) / det;
        const double g01 = (f01 * p.p00 - f00 * p.p01) / det;
        const double g10 = (f10 * p.p11 - f11 * p.p01) / det;
        const double g11 = (f11 * p.p00 - f10 * p.p01) / det;
        const double dLevel = smooth[i + 1].level - p.level;
        const double dSlope = smooth[i + 1].slope - p.slope;
        smooth[i].level = after[i].level + g00 * dLevel + g01 * dSlope;
        smooth[i].slope = after[i].slope + g10 * dLevel + g11 * dSlope;
    }
    return smooth;
}

// The course under which what was played is likeliest, by the filter's own predictions (Schweppe 1965); how players
// differ is known beforehand to an octave (standard deviation).
double likeliestCourse(std::vector<Sample>& samples, double variance)
{
    constexpr double kFurthest = 3.0;  // octaves
    constexpr double kStep = 0.5;
    constexpr std::size_t kSettled = 2;  // samples: from two a course is known at all
    double best = kUsualCourse;
    double most = -std::numeric_limits<double>::max();
    for (double octave = -kFurthest; octave <= kFurthest; octave += kStep) {
        const double course = kUsualCourse * std::exp2(octave);
        (void)filtered(samples, variance, course);
        double likelihood = -0.5 * octave * octave;
        for (std::size_t i = kSettled; i < samples.size(); ++i) {
            likelihood -= 0.5 * (std::log(samples[i].expected) + samples[i].surprise);
        }
        if (likelihood > most) {
            most = likelihood;
            best = course;
        }
    }
    return best;
}

// Lets the course bend more where several hits in a row surprise the filter, and less again where
// none does: the filter's own check of consistency (Bar-Shalom et al. 2001) used to set its noise.
void bend(std::vector<Sample>& samples)
{
    constexpr double kReach = 2.5;    // s to each side
    constexpr double kMuch = 3.0;     // mean surprise that asks for more freedom
    constexpr double kMistake = 9.0;  // one stray counts no more than this
    std::size_t first = 0;
    std::size_t last = 0;
    double sum = 0.0;
    for (Sample& sample : samples) {
        while (last < samples.size() && samples[last].time <= sample.time + kReach) {
            sum += std::min(samples[last++].surprise, kMistake);
        }
        while (samples[first].time < sample.time - kReach) {
            sum -= std::min(samples[first++].surprise, kMistake);
        }
        const double mean = sum / static_cast<double>(last - first);
        const double change = mean > kMuch ? std::min(mean * mean, 8.0) : 0.6;
        sample.bend = std::clamp(sample.bend * change, 1.0, kMostBend);
    }
}

double medianOf(std::vector<double> values)
{
    const auto middle = values.begin() + static_cast<std::ptrdiff_t>(values.size() / 2);
    std::ranges::nth_element(values, middle);
    return *middle;
}

// The mean of the values that lie within three median deviations of their median.
double robustMean(const std::vector<double>& values)
{
    const double middle = medianOf(values);
    std::vector<double> away;
    away.reserve(values.size());
    for (const double value : values) {
        away.push_back(std::abs(value - middle));
    }
    const double limit = 4.5 * medianOf(away) + 1e-6;
    double sum = 0.0;
    int count = 0;
    for (const double value : values) {
        if (std::abs(value - middle) <= limit) {
            sum += value;
            ++count;
        }
    }
    return sum / count;
}

using StepKey = std::tuple<int, int, int, bool>;  // section, lead, step, whether it is attached

// What says where the player is: a main hit, or another that was played for a line.
struct Told {
    double time = 0.0;
    double value = 0.0;  // deviation from that line
    StepKey key;
};

// A ghost stroke goes with its main hit, but it was played for a line of its own, whole steps away; graces and what a
// roll has between the lines were not.
std::optional<Told>
ofOwnLine(const JudgedHit& hit, const JudgedHit& main, const Grid& grid, Hertz rate)
{
    constexpr double kNear =
        0.2;  // of a step: what lies a sixteenth off a quarter note has no line there
    const Seconds at = toSeconds(hit.played.beatPoint, rate);
    const Seconds deviation = toSeconds(main.played.beatPoint, rate) - main.line.time;
    const GridLine own = grid.nearest(at - deviation);
    const double bpm = grid.map().bpmAt(grid.map().beatsAt(at));
    const double step = grid.stepLength().count() * 60.0 / bpm;
    if (own.index == main.line.index ||
        std::abs((at - deviation - own.time).count()) > kNear * step) {
        return std::nullopt;
    }
    return Told{
        at.count(), (at - own.time).count(), {hit.section, hit.played.lead, own.step, true}};
}

class Splitter {
public:
    Splitter(std::vector<JudgedHit>& hits, const Grid& grid, Hertz rate) : hits_(hits)
    {
        for (const JudgedHit& hit : hits) {
            const JudgedHit& mainHit = hits[hit.main];
            // A roll's strokes have no line of their own; a hit for the same moment has.
            const Seconds at = toSeconds(hit.played.beatPoint, rate);
            const Seconds main = toSeconds(mainHit.played.beatPoint, rate);
            const bool counts =
                hit.role == HitRole::Main || std::abs((at - main).count()) <= kOneMoment.count();
            times_.push_back(main.count());
            values_.push_back((at - hit.line.time).count());
            keys_.emplace_back(hit.section, hit.played.lead, hit.line.step, false);
            if (counts) {
                told_.push_back({times_.back(), values_.back(), keys_.back()});
            } else if (const auto own = ofOwnLine(hit, mainHit, grid, rate)) {
                told_.push_back(*own);
            }
        }
        std::ranges::stable_sort(told_, {}, &Told::time);
    }

    std::vector<FeelStep> split()
    {
        if (told_.empty()) {
            return {};
        }
        std::vector<Sample> samples(told_.size());
        for (std::size_t n = 0; n < told_.size(); ++n) {
            samples[n].time = told_[n].time;
        }
        double spread = 0.006;
        std::vector<Course> smooth;
        for (int round = 0; round < kRounds; ++round) {
            for (std::size_t n = 0; n < told_.size(); ++n) {
                samples[n].value = told_[n].value - feelOf(told_[n].key);
            }
            const double variance = spread * spread;
            smooth = smoothed(samples, variance, likeliestCourse(samples, variance));
            measureFeel(smooth);
            spread = weigh(samples, smooth);
            bend(samples);
        }
        store(samples, smooth);
        return steps();
    }

private:
    double feelOf(StepKey key) const
    {
        const auto found = feel_.find(key);
        return found == feel_.end() ? 0.0 : found->second;
    }

    void measureFeel(const std::vector<Course>& smooth)
    {
        std::map<StepKey, std::vector<double>> left;
        for (std::size_t n = 0; n < told_.size(); ++n) {
            left[told_[n].key].push_back(told_[n].value - smooth[n].level);
        }
        feel_.clear();
        counts_.clear();
        std::map<int, std::pair<std::size_t, double>> zeros;  // by section: hits, feel
        for (const auto& [key, values] : left) {
            const auto count = static_cast<double>(values.size());
            // What was played once or twice says little of a habit.
            feel_[key] = robustMean(values) * count / (count + 1.0);
            counts_[key] = static_cast<int>(values.size());
            auto& zero = zeros[std::get<0>(key)];
            if (std::get<2>(key) == 0 && !std::get<3>(key) && values.size() > zero.first) {
                zero = {values.size(), feel_[key]};
            }
        }
        for (auto& [key, feel] : feel_) {
            feel -= zeros[std::get<0>(key)].second;
        }
    }

    double weigh(std::vector<Sample>& samples, const std::vector<Course>& smooth) const
    {
        std::vector<double> strays;
        for (std::size_t n = 0; n < told_.size(); ++n) {
            strays.push_back(std::abs(told_[n].value - smooth[n].level - feelOf(told_[n].key)));
        }
        const double spread = std::max(1.4826 * medianOf(strays), kLeastStray);
        for (std::size_t n = 0; n < told_.size(); ++n) {
            const double z = strays[n] / spread;
            samples[n].weight = (kTailFreedom + 1.0) / (kTailFreedom + z * z);
        }
        return spread;
    }

    void store(const std::vector<Sample>& samples, const std::vector<Course>& smooth)
    {
        for (std::size_t i = 0; i < hits_.size(); ++i) {
            const auto after = std::ranges::lower_bound(samples, times_[i], {}, &Sample::time);
            const auto n = static_cast<std::size_t>(std::min<std::ptrdiff_t>(
                after - samples.begin(), static_cast<std::ptrdiff_t>(samples.size()) - 1
            ));
            JudgedHit& hit = hits_[i];
            hit.drift = Seconds(smooth[n].level + smooth[n].slope * (times_[i] - samples[n].time));
            hit.feel = Seconds(feelOf(keys_[i]));
            hit.stray = Seconds(values_[i]) - hit.drift - hit.feel;
        }
    }

    std::vector<FeelStep> steps() const
    {
        std::vector<FeelStep> steps;
        for (const auto& [key, feel] : feel_) {
            const auto [section, lead, step, isAttached] = key;
            if (!isAttached) {
                steps.push_back({lead, step, Seconds(feel), counts_.at(key), section});
            }
        }
        return steps;
    }

    std::vector<JudgedHit>& hits_;
    std::vector<Told> told_;      // by time
    std::vector<double> times_;   // of each hit's moment
    std::vector<double> values_;  // deviation of each hit from its main hit's line
    std::vector<StepKey> keys_;
    std::map<StepKey, double> feel_;
    std::map<StepKey, int> counts_;
};

}  // namespace

Performance
judge(std::vector<PlayedHit> hits, const Grid& grid, Hertz rate, std::span<const BarRange> sections)
{
    Performance performance;
    performance.rate = rate;
    performance.step = grid.stepLength();
    performance.tempo = grid.map();
    if (hits.empty()) {
        return performance;
    }
    const auto gridAt = [&grid](Seconds at) {
        const TempoMap& map = grid.map();
        const Beats beats = map.beatsAt(at);
        const Beats since = beats - map.startOfBar(map.barAt(beats));
        return GridThere{
            Seconds(grid.stepLength().count() * 60.0 / map.bpmAt(beats)),
            since / grid.stepLength()};
    };
    performance.hits = assignRoles(std::move(hits), gridAt, rate);
    assignLines(performance.hits, grid, rate);
    for (JudgedHit& hit : performance.hits) {
        const auto found = std::ranges::find_if(sections, [&](const BarRange& bars) {
            return bars.holds(hit.line.bar);
        });
        hit.section = found == sections.end() ? JudgedHit::kNoSection
                                              : static_cast<int>(found - sections.begin());
    }
    performance.feel = Splitter(performance.hits, grid, rate).split();
    return performance;
}

void redrawDrift(Performance& performance, std::span<const DriftPoint> line)
{
    if (line.empty()) {
        return;
    }
    for (JudgedHit& hit : performance.hits) {
        const auto after = std::ranges::lower_bound(line, hit.line.at, {}, &DriftPoint::at);
        Seconds drift = after == line.end() ? line.back().drift : after->drift;
        if (after != line.begin() && after != line.end()) {
            const DriftPoint& before = *std::prev(after);
            const double part = (hit.line.at - before.at) / (after->at - before.at);
            drift = before.drift + (after->drift - before.drift) * part;
        }
        hit.stray += hit.drift - drift;
        hit.drift = drift;
    }
}

}  // namespace orthochron
