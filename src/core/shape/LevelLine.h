#pragma once

#include "core/base/Result.h"
#include "core/shape/HeldPlace.h"

#include <limits>
#include <optional>
#include <span>
#include <vector>

namespace orthochron {

class AudioBuffer;

constexpr double kSilence = -std::numeric_limits<double>::infinity();  // dB
constexpr double kLeastLevel = -96.0;                                  // dB; below it is silence
constexpr double kMostLevel = 12.0;                                    // dB
// A jump of level is smoothed over so long, and done at its point.
constexpr Seconds kJump = milliseconds(5.0);

struct LevelPoint {
    HeldPlace at;
    double level = 0.0;  // dB; kSilence for silence
    double bend = 0.0;   // of the piece to the next point: over (> 0) the straight line or under it
    bool isStep = false;  // stays at this level until the next point

    bool operator==(const LevelPoint&) const = default;
};

// How the level of a track, or of the whole song, changes. Before its first point and after its
// last it is what it is there; without points it is 0 dB.
struct LevelLine {
    std::vector<LevelPoint> points;  // ascending by `at`, no two at one place
    Keeps keeps = Keeps::Bars;

    bool operator==(const LevelLine&) const = default;
    [[nodiscard]] bool isEmpty() const { return points.empty(); }
};

// Errors: BadArgument unless the points ascend, are finite and from silence to +12 dB.
[[nodiscard]] Result<void> checkLine(const LevelLine& line);

// A level line as it is heard in a song. Between two levels a straight piece is even in dB; to or
// from silence the gain is the cube of the part that is left, so that it ends smoothly.
class HeardLine {
public:
    // All of it must outlive this.
    HeardLine(const LevelLine& line, const TempoMap& map, Hertz rate);

    [[nodiscard]] double gainAt(Frames songTime) const;
    // kSilence where nothing is heard.
    [[nodiscard]] double levelAt(Frames songTime) const;
    [[nodiscard]] Frames timeOfPoint(std::size_t point) const;
    // That nothing at all is heard in [from, to).
    [[nodiscard]] bool isSilent(Frames from, Frames to) const;
    // Gains of the frames from song time `from` on, within 0.005 dB of gainAt. The same however the
    // song is taken apart.
    void gains(Frames from, std::span<float> into) const;
    // Applies them. Costs nothing where the line is level at 0 dB.
    void apply(Frames from, AudioBuffer& sound) const;

private:
    struct Ramp;
    struct Piece;
    [[nodiscard]] Piece pieceAt(Frames songTime) const;
    // Goes through [from, to) and tells how the gain goes from one frame to another.
    void walk(Frames from, Frames to, const auto& onRamp) const;

    const LevelLine& line_;
    const TempoMap& map_;
    Hertz rate_;
};

// Lines made of others. Each leaves every point that it does not name where it is.
namespace lines {

// The same line held to another thing, at the same times as the map has it now.
[[nodiscard]] LevelLine heldTo(const LevelLine& line, Keeps keeps, const TempoMap& map);
// With a point there, in place of one that stood at the same place. What is beside it keeps its shape
// as far as its bend allows.
[[nodiscard]] LevelLine withPoint(const LevelLine& line, const LevelPoint& point);
[[nodiscard]] LevelLine withoutPoint(const LevelLine& line, std::size_t index);
// With the piece after a point bent so that it has a level at a part (0..1) of its length; as near as
// it can be bent. A piece that is even, or a step, stays.
[[nodiscard]] LevelLine
bentThrough(const LevelLine& line, std::size_t index, double part, double level);
// Without the points in [from, to], and at its ends as loud as it was there.
[[nodiscard]] LevelLine
cleared(const LevelLine& line, HeldPlace from, HeldPlace to, const TempoMap& map);
// With [from, to] of it replaced by points drawn by hand, thinned to the fewest that are within
// 0.3 dB of what was drawn.
[[nodiscard]] LevelLine
drawnOver(const LevelLine& line, std::span<const LevelPoint> drawn, const TempoMap& map);

}  // namespace lines

}  // namespace orthochron
