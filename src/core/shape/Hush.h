#pragma once

#include "core/base/Id.h"
#include "core/shape/HeldPlace.h"

#include <span>
#include <string>

namespace orthochron {

// A span of a track that is silent, whatever clips are there. Both edges lie before its ends: what
// would begin where it begins is not heard, and what begins where it ends is heard from its first
// frame.
struct Hush {
    HushId id;          // those laid over several tracks at once share it, and are changed together
    std::string label;  // "hush" until it is named
    HeldPlace from;
    HeldPlace to;
    Keeps keeps = Keeps::Bars;
    Seconds edge = milliseconds(5.0);
    bool goesWithClips = false;  // moved with the clips under it; else it keeps its place

    bool operator==(const Hush&) const = default;
};

constexpr Seconds kLongestHushEdge{10.0};

struct FrameSpan {
    Frames from;
    Frames to;

    bool operator==(const FrameSpan&) const = default;
};

[[nodiscard]] FrameSpan spanOf(const Hush& hush, const TempoMap& map, Hertz rate);

// That one of them leaves nothing at all of [from, to).
[[nodiscard]] bool
isSilent(std::span<const Hush> hushes, const TempoMap& map, Hertz rate, Frames from, Frames to);

// Silences where the hushes are what begins at song time `from`: a channel of sound, or gains.
void applyHushes(
    std::span<const Hush> hushes,
    const TempoMap& map,
    Hertz rate,
    Frames from,
    std::span<float> values
);

}  // namespace orthochron
