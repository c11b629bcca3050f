#pragma once

#include "core/audio/Channel.h"
#include "core/base/Result.h"
#include "core/base/Work.h"

#include <array>
#include <vector>

namespace orthochron {

constexpr std::size_t kPitchClasses = 12;

// How much sounds of each of the twelve notes, whatever the octave (A first), over time: what chords are
// told apart by.
class Chroma {
public:
    Seconds step;   // from one value to the next
    Seconds first;  // the middle of the first value's window
    std::vector<std::array<float, kPitchClasses>> values;

    // The sum of two of one step, value by value: of takes that start together.
    void add(const Chroma& other);
    // How much the notes of [middle, to) differ from those of [from, middle): 0 the same, 1 nothing in common.
    // 0 where one of them is too short to hear.
    [[nodiscard]] double change(Seconds from, Seconds middle, Seconds to) const;
};

// From 55 Hz to 2 kHz, in windows of a quarter of a second. In passes.
// Errors: the channel's; Failed when there is no memory for it; Cancelled.
[[nodiscard]] Result<Chroma> chromaOf(const Channel& channel, Hertz rate, const Work& work = {});

}  // namespace orthochron
