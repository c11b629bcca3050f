#include "core/time/Grid.h"

#include <fmt/format.h>

#include <cmath>

namespace orthochron {

Result<GridSettings> parseGrid(std::string_view text)
{
    GridSettings settings;
    std::string_view rest = text;
    if (rest.ends_with('t')) {
        settings.triplet = true;
        rest.remove_suffix(1);
    }
    for (const int division : {4, 8, 16, 32, 64}) {
        if (rest == fmt::format("1/{}", division)) {
            settings.division = division;
            return settings;
        }
    }
    return badArgument(fmt::format(
        "unknown grid '{}'; use 1/4, 1/8, 1/16, 1/32 or 1/64, with t for triplets", text
    ));
}

std::string gridName(const GridSettings& settings)
{
    return fmt::format("1/{}{}", settings.division, settings.triplet ? "t" : "");
}

Grid::Grid(TempoMap map, GridSettings settings)
    : map_(std::move(map)),
      settings_(settings),
      step_(4.0 / settings.division * (settings.triplet ? 2.0 / 3.0 : 1.0))
{}

int Grid::stepsInBar(int bar) const
{
    const double steps = map_.meterOfBar(bar).barLength() / step_;
    return std::max(1, static_cast<int>(std::ceil(steps - 1e-6)));
}

std::int64_t Grid::indexOfBar(int bar) const
{
    std::int64_t index = 0;
    const auto& meters = map_.meters();
    std::size_t i = 0;
    while (i + 1 < meters.size() && meters[i + 1].bar <= bar) {
        index += std::int64_t{stepsInBar(meters[i].bar)} * (meters[i + 1].bar - meters[i].bar);
        ++i;
    }
    return index + std::int64_t{stepsInBar(meters[i].bar)} * (bar - meters[i].bar);
}

GridLine Grid::line(std::int64_t index) const
{
    const auto& meters = map_.meters();
    std::int64_t left = index;
    std::size_t i = 0;
    while (i + 1 < meters.size()) {
        const std::int64_t lines =
            std::int64_t{stepsInBar(meters[i].bar)} * (meters[i + 1].bar - meters[i].bar);
        if (left < lines) {
            break;
        }
        left -= lines;
        ++i;
    }
    const std::int64_t steps = stepsInBar(meters[i].bar);
    const std::int64_t bars = left >= 0 ? left / steps : -((-left + steps - 1) / steps);

    GridLine line;
    line.index = index;
    line.bar = meters[i].bar + static_cast<int>(bars);
    line.step = static_cast<int>(left - bars * steps);
    line.at = map_.startOfBar(line.bar) + step_ * line.step;
    if (!settings_.triplet && line.step % 2 == 1) {
        line.at += step_ * (settings_.swing / 50.0 - 1.0);
    }
    line.time = map_.timeAt(line.at);
    return line;
}

GridLine Grid::nearest(Seconds songTime) const
{
    const Beats musical = map_.beatsAt(songTime);
    const int bar = map_.barAt(musical);
    const double steps = (musical - map_.startOfBar(bar)) / step_;
    const std::int64_t guess = indexOfBar(bar) + static_cast<std::int64_t>(std::floor(steps));
    GridLine best = line(guess - 1);
    for (std::int64_t index = guess; index <= guess + 2; ++index) {
        const GridLine other = line(index);
        if (std::abs((other.time - songTime).count()) < std::abs((best.time - songTime).count())) {
            best = other;
        }
    }
    return best;
}

}  // namespace orthochron
