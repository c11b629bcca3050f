#pragma once

#include "core/onset/AttackLevels.h"

#include <span>
#include <vector>

namespace orthochron {

// What of the attacks that a microphone hears is its own drum's, and what that of others.
struct OwnParts {
    std::vector<BandPowers> own;  // of each attack, mean square added by the microphone's own drum
    std::vector<BandPowers> bleed;  // by all others
    // Of each attack, the second most that another drum has in its own microphone, against that drum's loud blows: one may
    // be struck at the same time.
    std::vector<BandPowers> elsewhere;
    double loud = 0.0;                      // power of one of the own drum's loud blows
    BandPowers pattern{};                   // the part of it in each band
    std::size_t witnesses = 0;              // other microphones that had something to say
    std::vector<std::int64_t> othersBlows;  // hops, ascending: when those hear their own drums
};

// Takes apart the attacks at `hops` that are heard in `heard`. `others` are the other microphones
// of the set; those of the same drum, of a room (all is late there) and those that hear nothing
// but noise are passed over.
//
// Each microphone stands for the drum it hears best. The loud blows that stand out in it more than
// anywhere else teach how strongly, band by band, every microphone hears that drum. An attack is
// then explained as the sum of those patterns that comes nearest to what all microphones hear at
// that moment, none of them negative (Lee and Seung 2001, each value weighted by its inverse). Gains of
// microphones do not matter.
[[nodiscard]] OwnParts ownParts(
    const BandEnvelope& heard,
    std::span<const std::int64_t> hops,
    std::span<const std::int64_t> clear,  // those of them that stand out by 6 dB and are no ring
    std::span<const BandEnvelope* const> others
);

}  // namespace orthochron
