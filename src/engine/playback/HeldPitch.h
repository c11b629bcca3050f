#pragma once

#include <cstdint>

namespace orthochron::engine {

// Which pitch of a trial is held, in one word, so that the audio callback reads it at once: how often one
// was held so far, whether it begins anew, and the semitones. 0 is none.
struct HeldPitch {
    static constexpr std::uint32_t kNone = 0;

    static constexpr std::uint32_t written(std::uint32_t number, bool isAnew, int semitones)
    {
        return (number << kNumberFrom) | (isAnew ? kAnew : 0U) |
               static_cast<std::uint32_t>(semitones + kNoShift);
    }
    static constexpr bool isAnew(std::uint32_t word) { return (word & kAnew) != 0; }
    static constexpr int semitones(std::uint32_t word)
    {
        return static_cast<int>(word & (kAnew - 1)) - kNoShift;
    }

private:
    static constexpr unsigned kNumberFrom = 8;
    static constexpr std::uint32_t kAnew = 0x80;
    static constexpr int kNoShift = 64;
};

}  // namespace orthochron::engine
