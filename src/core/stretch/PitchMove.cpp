#include "core/stretch/PitchMove.h"

#include <algorithm>
#include <cmath>

namespace orthochron {

PitchMove::PitchMove(const Treatment& treatment)
    : semitones_(treatment.semitones),
      movesFormants_(treatment.movesFormants),
      points_(treatment.pitch)
{
    for (PitchPoint& point : points_) {
        point.at = treatment.time.soundTimeOf(point.at);
    }
}

double PitchMove::factorAt(double soundTime) const
{
    double semitones = semitones_;
    if (!points_.empty()) {
        const auto next =
            std::ranges::upper_bound(points_, soundTime, {}, [](const PitchPoint& point) {
                return static_cast<double>(point.at.count());
            });
        if (next == points_.begin()) {
            semitones += points_.front().semitones;
        } else if (next == points_.end()) {
            semitones += points_.back().semitones;
        } else {
            const PitchPoint& before = *std::prev(next);
            const auto begin = static_cast<double>(before.at.count());
            const auto length = static_cast<double>((next->at - before.at).count());
            const double part = (soundTime - begin) / length;
            semitones += before.semitones + (next->semitones - before.semitones) * part;
        }
    }
    return semitones == 0.0 ? 1.0 : std::exp2(semitones / 12.0);
}

bool PitchMove::movesFormantsAt(double soundTime) const
{
    const auto next = std::ranges::upper_bound(points_, soundTime, {}, [](const PitchPoint& point) {
        return static_cast<double>(point.at.count());
    });
    return movesFormants_ || (next != points_.begin() && std::prev(next)->movesFormants);
}

}  // namespace orthochron
