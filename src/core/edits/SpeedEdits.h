#pragma once

#include "core/edits/ClipChoice.h"
#include "core/shape/Spin.h"

#include <optional>
#include <vector>

// How fast clips run: spins of their ends, and speed lines.
namespace orthochron {

// Gives the chosen clips, on all microphones of their sets, a spin at their end or start, or none.
// Each keeps its length; what is not reached becomes spare. Errors: BadArgument for a spin longer than
// a clip, locked or reversed clips.
[[nodiscard]] Result<Song>
spinClips(const Song& song, const ClipChoice& choice, bool isDown, std::optional<Spin> spin);
// Whether the level of their spins falls with the speed. Errors: BadArgument when they have none.
[[nodiscard]] Result<Song> spinLevel(const Song& song, const ClipChoice& choice, bool followsLevel);
[[nodiscard]] Spins spinsOf(const Clip& clip);

// A line that moves the pitch alone does so by at most so many semitones, down or up.
constexpr double kMostPitch = 24.0;
constexpr double kLeastPitchSpeed = 0.25;  // that much lower

// In semitones; those of a standstill are the least.
[[nodiscard]] double pitchOfSpeed(double speed);
[[nodiscard]] double speedOfPitch(double semitones);

// What a clip keeps when its speed is changed.
enum class SpeedKeeps {
    Length,                // what is left over becomes spare
    Content,               // it grows or shrinks at its end
    ContentWithFollowers,  // and what comes later moves along
    Time,                  // all is heard when it was: only the pitch moves, 24 semitones at most
};
struct ClipSpeed {
    std::vector<SpeedPoint> points;  // counted from the clip's start, as it is heard; none for 1:1
    bool followsLevel = false;
    SpeedKeeps keeps = SpeedKeeps::Length;
};
// Gives the chosen clips, on all microphones of their sets, a speed line; a clip that is shorter takes of it
// what it reaches. It stands instead of their spins. Errors: as SpeedLine::through; BadArgument for
// locked or reversed clips.
[[nodiscard]] Result<Song>
setSpeed(const Song& song, const ClipChoice& choice, const ClipSpeed& speed);
// The points of a clip's speed line, its spins' too, counted from its start.
[[nodiscard]] std::vector<SpeedPoint> speedPointsOf(const Clip& clip);
// Whether that line moves the pitch alone.
[[nodiscard]] bool keepsTime(const Clip& clip);

}  // namespace orthochron
