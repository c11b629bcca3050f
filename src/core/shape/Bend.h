#pragma once

namespace orthochron {

// A piece of a line may be bent by as much to either side; 0 is straight.
constexpr double kMostBend = 0.95;

// How far a bent piece has come from its first value (0) to its second (1) at a part (0..1) of its
// length. It has come half way and half of `bend` at the middle, rises everywhere, and bends to one
// side only.
[[nodiscard]] double bentPart(double part, double bend);

// What lies under it up to there: the integral of bentPart from 0 to `part`.
[[nodiscard]] double bentArea(double part, double bend);

// The bend with which a piece has come `reached` (0..1) of the way at a part of its length.
[[nodiscard]] double bendThrough(double part, double reached);

}  // namespace orthochron
