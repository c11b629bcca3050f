#include "core/tempo/BeatPlaces.h"

#include <algorithm>
#include <array>
#include <cmath>

namespace orthochron {

namespace {

constexpr int kRounds = 10;
constexpr int kWideRounds = 3;      // first, while beats may still be 20 ms off
constexpr double kScatter = 0.006;  // seconds; of a player's strokes around the beat
constexpr double kWander = 0.006;   // seconds; from the length of one beat to the next
constexpr double kFar = 0.012;      // seconds; what is this far off counts half
constexpr double kTurn = 2.5;       // times the wander: a change of tempo that is meant counts half
constexpr double kNearest = 0.02;   // seconds around a beat where attacks are its own, at least
constexpr double kFurthest = 0.05;  // at most
constexpr double kPart = 0.1;       // of a beat, between them
constexpr double kClearRise = 12.0;  // dB
constexpr double kMostRise = 1.5;    // of the clear one; what is more counts no more
constexpr std::array<double, kBands> kSharpness{0.3, 0.5, 0.8, 1.0};  // of a band's attacks

struct Seen {
    double at = 0.0;
    double weight = 0.0;
};

Seen around(double beat, double within, double far, std::span<const BandAttack> attacks)
{
    const auto first =
        std::ranges::lower_bound(attacks, Seconds(beat - within), {}, &BandAttack::at);
    double weight = 0.0;
    double sum = 0.0;
    for (auto attack = first; attack != attacks.end(); ++attack) {
        const double off = attack->at.count() - beat;
        if (off > within) {
            break;
        }
        const double each = kSharpness[static_cast<std::size_t>(attack->band)] *
                            std::min(attack->riseDecibels / kClearRise, kMostRise) /
                            (1.0 + off * off / (far * far));
        weight += each;
        sum += each * attack->at.count();
    }
    return weight > 0.0 ? Seen{sum / weight, std::min(1.0, weight)} : Seen{beat, 0.0};
}

// The beats that are nearest to what is seen and bend least: a symmetric system with five diagonals, solved
// by elimination.
std::vector<double>
bentLeast(std::span<const double> beats, std::span<const Seen> seen, double wander)
{
    constexpr double kStay = 1e-6;  // where nothing is seen for long the beats stay where they were
    const std::size_t count = beats.size();
    std::vector<std::array<double, 3>> rows(
        count, {kStay, 0.0, 0.0}
    );  // the diagonal and two above
    std::vector<double> right(count);
    for (std::size_t k = 0; k < count; ++k) {
        const double weight = seen[k].weight / (kScatter * kScatter);
        rows[k][0] += weight;
        right[k] = weight * seen[k].at + kStay * beats[k];
    }
    for (std::size_t k = 0; k + 2 < count; ++k) {
        const double bend = (beats[k + 2] - 2.0 * beats[k + 1] + beats[k]) / (kTurn * wander);
        const double weight = 1.0 / (1.0 + bend * bend) / (wander * wander);
        rows[k][0] += weight;
        rows[k][1] -= 2.0 * weight;
        rows[k][2] += weight;
        rows[k + 1][0] += 4.0 * weight;
        rows[k + 1][1] -= 2.0 * weight;
        rows[k + 2][0] += weight;
    }
    for (std::size_t k = 0; k < count; ++k) {
        for (std::size_t below = 1; below <= 2 && k + below < count; ++below) {
            const double part = rows[k][below] / rows[k][0];
            for (std::size_t j = below; j <= 2; ++j) {
                rows[k + below][j - below] -= part * rows[k][j];
            }
            right[k + below] -= part * right[k];
        }
    }
    std::vector<double> bent(count);
    for (std::size_t k = count; k-- > 0;) {
        double value = right[k];
        for (std::size_t above = 1; above <= 2 && k + above < count; ++above) {
            value -= rows[k][above] * bent[k + above];
        }
        bent[k] = value / rows[k][0];
    }
    return bent;
}

}  // namespace

std::vector<PlacedBeat>
placeBeats(std::span<const Seconds> beats, std::span<const BandAttack> attacks)
{
    std::vector<double> places;
    for (const Seconds beat : beats) {
        places.push_back(beat.count());
    }
    const auto windowOf = [&](std::size_t k) {
        const std::size_t from = k > 0 ? k - 1 : k;
        const std::size_t to = k + 1 < beats.size() ? k + 1 : k;
        const double beat =
            to > from ? (beats[to] - beats[from]).count() / static_cast<double>(to - from) : 0.0;
        return std::clamp(kPart * beat, kNearest, kFurthest);
    };
    std::vector<Seen> seen(beats.size());
    for (int round = 0; round < kRounds; ++round) {
        const bool isWide = round < kWideRounds;
        for (std::size_t k = 0; k < beats.size(); ++k) {
            seen[k] = around(places[k], windowOf(k), isWide ? kNearest : kFar, attacks);
            const double off = (seen[k].at - places[k]) / kFar;
            seen[k].weight /= isWide ? 1.0 : 1.0 + off * off;
        }
        if (beats.size() >= 3) {
            const double wander = kWander * (isWide ? 4.0 : round < kWideRounds + 2 ? 2.0 : 1.0);
            places = bentLeast(places, seen, wander);
        }
    }
    std::vector<PlacedBeat> placed;
    for (std::size_t k = 0; k < beats.size(); ++k) {
        const double off = seen[k].weight > 0.0 ? seen[k].at - places[k] : 0.0;
        placed.push_back({Seconds(places[k]), seen[k].weight, Seconds(off)});
    }
    return placed;
}

}  // namespace orthochron
