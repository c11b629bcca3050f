#pragma once

#include "core/stretch/Treatment.h"

#include <vector>

namespace orthochron {

// How far a treatment moves the pitch, and whether the formants too, by sound time.
class PitchMove {
public:
    explicit PitchMove(const Treatment& treatment);

    // 1 where it stays, exactly.
    [[nodiscard]] double factorAt(double soundTime) const;
    [[nodiscard]] bool movesFormantsAt(double soundTime) const;

private:
    double semitones_;
    bool movesFormants_;
    std::vector<PitchPoint> points_;  // sound time
};

}  // namespace orthochron
