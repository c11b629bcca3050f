#pragma once

#include "core/stretch/StretchPlan.h"

#include <map>
#include <mutex>
#include <optional>

namespace orthochron {

// A run of a take as a stretched sound has it, sample for sample but for its gain.
struct Splice {
    Frames from;   // sound time from which it is heard alone, until the next one's fade begins
    Frames fade;   // before that it comes in over these frames
    Frames shift;  // sound time less take time
    // It repeats what had died away meanwhile, and goes on as quiet as that had become; otherwise it
    // has its own level.
    bool diesAway = false;

    [[nodiscard]] Frames begin() const { return from - fade; }
};

// Where a sound whose attacks pass untouched is spliced: the *hits* material.
//
// Every attack, from its lead-in on, lies to the sample where the map puts it. What lies between two is
// shortened or drawn out by leaving out or repeating stretches of at most some tens of milliseconds:
// as late as can be, for there it is quietest and the next attack hides it, where the two sides go
// over into each other best on all witnesses, measured as a join is, and so that no attack is lost
// or heard twice. What is repeated is turned down, in each take by itself, to where the sound had
// died away to, so that a drum rings on instead of swelling. Where nothing yields the take plays on
// untouched.
class SplicePlan {
public:
    SplicePlan(const Treatment& treatment, std::vector<Channel> witnesses, Hertz rate);

    // The splices heard in [from, to) of sound time, ascending; the first begins at or before it.
    // Errors: the witnesses'. Threads: any.
    [[nodiscard]] Result<std::vector<Splice>> splices(Frames from, Frames to);

private:
    // An attack with its lead-in, or a pin where there is none, or a place between.
    struct Fixed {
        Frames take;
        Frames sound;
        Frames rigid;   // from there on nothing is touched for so long
        Frames leadIn;  // 0 where there is no attack
        bool isHeld;    // only because the next place is far

        [[nodiscard]] Frames shift() const { return sound - take; }
    };

    class Between;
    struct Place {
        Frames take;
        bool isAttack;
        bool isHeld;
    };
    void fix(const Treatment& treatment);
    [[nodiscard]] std::vector<Place> heldBetween(const std::vector<Place>& places) const;
    [[nodiscard]] Splice firstOf(std::size_t index) const;
    [[nodiscard]] Result<const std::vector<Splice>*> between(std::size_t index);

    std::vector<Channel> witnesses_;
    Hertz rate_;
    Frames before_;             // the shift of what lies before all
    std::vector<Fixed> fixed_;  // ascending in both times
    std::mutex mutex_;
    std::map<std::size_t, std::vector<Splice>> found_;  // after which of them
};

[[nodiscard]] std::shared_ptr<StretchPlan>
planHits(const Treatment& treatment, std::vector<Channel> witnesses, Hertz rate);

}  // namespace orthochron
