#include "core/fit/Groove.h"

#include "core/fit/Performance.h"

#include <algorithm>
#include <cmath>
#include <map>

namespace orthochron {

Beats Groove::offsetAt(Beats position) const
{
    constexpr double kSamePlace = 1.0 / 16.0;  // a 64th note, in quarter notes
    for (const GrooveStep& step : steps) {
        if (std::abs((step.position - position).count()) < kSamePlace) {
            return step.offset;
        }
    }
    return Beats(0.0);
}

Groove grooveOf(const Performance& performance, const Grid& grid, std::string name)
{
    struct Found {
        std::vector<double> offsets;
        double weight = 0.0;
    };
    std::map<int, Found> bySteps;
    for (const JudgedHit& hit : performance.hits) {
        if (hit.role != HitRole::Main) {
            continue;
        }
        const double bpm = grid.map().bpmAt(hit.line.at);
        Found& found = bySteps[hit.line.step];
        found.offsets.push_back((hit.feel + hit.stray).count() * bpm / 60.0);
        found.weight += hit.played.strength;
    }
    Groove groove;
    groove.name = std::move(name);
    groove.meter = grid.map().meterOfBar(1);
    for (auto& [step, found] : bySteps) {
        if (found.offsets.size() < 2) {
            continue;
        }
        std::ranges::sort(found.offsets);
        // The middle half: a mistake is no habit.
        const std::size_t quarter = found.offsets.size() / 4;
        double sum = 0.0;
        double squares = 0.0;
        const std::size_t count = found.offsets.size() - 2 * quarter;
        for (std::size_t i = quarter; i < quarter + count; ++i) {
            sum += found.offsets[i];
            squares += found.offsets[i] * found.offsets[i];
        }
        const double mean = sum / static_cast<double>(count);
        const double variance = std::max(0.0, squares / static_cast<double>(count) - mean * mean);
        groove.steps.push_back(
            {grid.stepLength() * step,
             Beats(mean),
             std::min(1.0, found.weight / static_cast<double>(found.offsets.size())),
             Beats(std::sqrt(variance))}
        );
    }
    return groove;
}

}  // namespace orthochron
