#pragma once

#include "core/stretch/Treatment.h"

#include <vector>

namespace orthochron {

// How far a treatment moves the pitch, by sound time.
class PitchMove {
public:
    explicit PitchMove(const Treatment& treatment);

    // 1 where it stays, exactly.
    [[nodiscard]] double factorAt(double soundTime) const;

private:
    double semitones_;
    std::vector<PitchPoint> points_;  // sound time
};

}  // namespace orthochron
