#pragma once

#include "core/audio/Channel.h"

#include <optional>
#include <vector>

namespace orthochron {

// An attack with its lead-in, and where the next begins with its own; take time.
struct Struck {
    Frames at;
    Frames next;
    Frames leadIn;  // of the next
    Frames shift;   // sound time less take time of the attack
};

// A run of a take as a stretched sound has it, sample for sample but for its gain.
struct Splice {
    Frames from;   // sound time from which it is heard alone, until the next one's fade begins
    Frames fade;   // before that it comes in over these frames
    Frames shift;  // sound time less take time
    // It is of what rings of this, as quiet as that has become by now. Otherwise it has its own level.
    std::optional<Struck> rings = {};

    [[nodiscard]] Frames begin() const { return from - fade; }
};

// What lies between two places whose sound time is given; in between time runs evenly.
struct SpliceSection {
    const std::vector<Channel>& witnesses;
    Hertz rate;
    Frames from;  // take time
    Frames to;
    Frames shiftFrom;  // sound time less take time at its ends
    Frames shiftTo;
    Frames rigid;                   // from its beginning on nothing is touched for so long
    bool isStruck;                  // it begins with an attack
    Frames nextLeadIn = Frames(0);  // 0 where it ends with none
};

// The splices of a section, beginning with `first`; the last has the shift of its end. Each leaves
// the take as late as can be and goes on where the two sides go over into each other best on all
// witnesses, measured as a join is, and so that no attack is lost or heard twice. Between two attacks
// what is drawn out rings on, as long as nothing else is struck there, so that a drum dies away
// instead of swelling. Errors: the witnesses'.
[[nodiscard]] Result<std::vector<Splice>> hitSplices(const SpliceSection& section, Splice first);

// The same for one note at a time: leaves out and repeats whole periods, as soon as time has run on
// by about one, where both sides are most alike; waits where they are not, at the start of notes
// and in consonants, and makes up for it after. Within 25 ms of the even course of time; exact at
// the end. After Verhelst and Roelands (1993), but splices only where it must. Errors: the witnesses'.
[[nodiscard]] Result<std::vector<Splice>> lineSplices(const SpliceSection& section, Splice first);

}  // namespace orthochron
