#pragma once

#include "core/fit/FitSettings.h"
#include "core/fit/Performance.h"

#include <array>
#include <vector>

namespace orthochron {

struct FittedHit {
    Frames target;  // song time its beat point comes to
    Frames move;    // target less where it was played; the same for a main hit and all attached
    Seconds left;   // deviation from its line that remains; for an attached hit, its main hit's
};

struct PartFigures {
    Seconds before;  // mean absolute, over the main hits
    Seconds after;

    bool operator==(const PartFigures&) const = default;
};

struct FitFigures {
    int hits = 0;
    int mains = 0;
    PartFigures drift, feel, stray;
    Seconds furthestMove{0.0};
    Seconds meanMove{0.0};

    bool operator==(const FitFigures&) const = default;
};

struct Moves {
    std::vector<FittedHit> hits;  // one for each hit of the performance
    FitFigures figures;
};

// Where every hit of a judged performance goes. Linear and quick: called while a slider moves.
[[nodiscard]] Moves planMoves(const Performance& performance, const FitSettings& settings);

}  // namespace orthochron
