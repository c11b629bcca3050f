#pragma once

#include "core/time/TempoMap.h"

#include <string>
#include <string_view>

namespace orthochron {

// The song's musical raster: which note value it counts, and how far every second step is held
// back. A swing of 50 is straight, 66.7 puts the second of two steps on the triplet.
struct GridSettings {
    int division = 16;  // 1/4, 1/8, 1/16, 1/32, 1/64
    bool triplet = false;
    double swing = 50.0;  // 50..75 %; triplets are not swung

    bool operator==(const GridSettings&) const = default;
};

// Reads "1/16", "1/8t". Errors: BadArgument, naming what was read.
[[nodiscard]] Result<GridSettings> parseGrid(std::string_view text);
[[nodiscard]] std::string gridName(const GridSettings& settings);

struct GridLine {
    std::int64_t index = 0;  // counts through the song; line 0 is the first downbeat
    int bar = 1;
    int step = 0;  // within the bar, from 0
    Beats at;      // swung
    Seconds time;  // song time
};

// The lines of a tempo map. Each bar starts its steps anew, so a division that does not divide
// the bar leaves a short last step.
class Grid {
public:
    Grid(TempoMap map, GridSettings settings);

    [[nodiscard]] GridLine line(std::int64_t index) const;
    [[nodiscard]] GridLine nearest(Seconds songTime) const;
    [[nodiscard]] int stepsInBar(int bar) const;
    [[nodiscard]] Beats stepLength() const { return step_; }
    [[nodiscard]] const TempoMap& map() const { return map_; }
    [[nodiscard]] const GridSettings& settings() const { return settings_; }

private:
    [[nodiscard]] std::int64_t indexOfBar(int bar) const;

    TempoMap map_;
    GridSettings settings_;
    Beats step_;
};

}  // namespace orthochron
