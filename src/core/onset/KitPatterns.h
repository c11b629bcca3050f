#pragma once

#include "core/onset/AttackLevels.h"
#include "core/onset/Mixing.h"

#include <array>
#include <span>
#include <vector>

namespace orthochron {

// What of the attacks that a microphone hears is its own drum's, and what that of others.
struct OwnParts {
    std::vector<BandPowers> own;  // of each attack, mean square added by the microphone's own drum
    std::vector<BandPowers> bleed;  // by all others
    // Of each attack, the second most that another microphone hears of its own drum and of those without one, against its
    // drum's loud blows: one may be struck at the same time.
    std::vector<BandPowers> elsewhere;
    double loud = 0.0;                      // power of one of the own drum's loud blows
    BandPowers pattern{};                   // the part of it in each band
    std::size_t witnesses = 0;              // other microphones that had something to say
    std::vector<std::int64_t> othersBlows;  // hops, ascending: when those hear their own drums
};

// How loud each microphone hears each drum, band by band.
using InBands = std::array<Mixing, kBands>;

// A kit as its loud blows teach it, for taking apart what is heard in one of its microphones. `others` are the other
// microphones of the set; those of the same drum, of a room (all is late there), those that hear nothing but noise and those
// that have no drum of their own but hear this one's best are passed over.
//
// Each microphone stands for the drum it hears best. The loud blows that stand out in it more than
// anywhere else teach how strongly, band by band, every microphone hears that drum; to these come the drums that no
// microphone stands at (UnmikedDrums). An attack is then explained as the sum of those patterns that comes nearest to what
// all microphones hear at that moment, none of them negative (Lee and Seung 2001, each value weighted by its inverse).
// Gains of microphones do not matter. What was heard must outlive it.
class LearnedKit {
public:
    // `clear`: hops of attacks that stand out by 6 dB and are no ring.
    LearnedKit(
        const BandEnvelope& heard,
        std::span<const std::int64_t> clear,
        std::span<const BandEnvelope* const> others
    );

    // Takes apart the attacks at `hops`.
    [[nodiscard]] OwnParts partsOf(std::span<const std::int64_t> hops) const;

private:
    std::vector<const BandEnvelope*> microphones_;  // that which is asked about first
    std::vector<double> loud_;                      // power of a loud blow of each one's drum
    InBands mixing_;
    std::vector<Unmixing> unmixing_;  // in each band
    std::vector<std::int64_t> othersBlows_;
};

}  // namespace orthochron
