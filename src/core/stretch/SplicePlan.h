#pragma once

#include "core/stretch/SpliceSection.h"
#include "core/stretch/Treatment.h"

#include <map>
#include <mutex>
#include <vector>

namespace orthochron {

// Where a sound that is stretched by splicing is spliced, on all microphones of its set: the *hits*
// material, and *line* while its pitch stays.
//
// Every attack, from its lead-in on, lies to the sample where the map puts it; so does every pin.
// What lies between two is shortened or drawn out by leaving out or repeating short stretches
// (hitSplices, lineSplices). Where nothing yields the take plays on untouched.
class SplicePlan {
public:
    SplicePlan(const Treatment& treatment, std::vector<Channel> witnesses, Hertz rate);

    // The splices heard in [from, to) of sound time, ascending; the first begins at or before it.
    // Errors: the witnesses'. Threads: any.
    [[nodiscard]] Result<std::vector<Splice>> splices(Frames from, Frames to);

private:
    struct Place {
        Frames take;
        bool isAttack;
        Frames reach;  // of a place held only because the next one is far: how far it may move
    };
    // An attack with its lead-in, or a pin where there is none, or a place between.
    struct Fixed {
        Frames take;
        Frames sound;
        Frames rigid;   // from there on nothing is touched for so long
        Frames leadIn;  // 0 where there is no attack
        Frames reach;   // 0 once it is settled

        [[nodiscard]] Frames shift() const { return sound - take; }
    };

    void fix(const Treatment& treatment);
    [[nodiscard]] std::vector<Place> heldBetween(const std::vector<Place>& places) const;
    [[nodiscard]] std::size_t indexAfter(Frames sound) const;
    [[nodiscard]] Result<void> settle(std::size_t index);
    [[nodiscard]] Splice firstOf(std::size_t index) const;
    [[nodiscard]] Result<const std::vector<Splice>*> between(std::size_t index);

    TimeMap time_;
    Material material_;
    std::vector<Channel> witnesses_;
    Hertz rate_;
    Frames before_;             // the shift of what lies before all
    std::vector<Fixed> fixed_;  // ascending in both times
    std::mutex mutex_;
    std::map<std::size_t, std::vector<Splice>> found_;  // after which of them
};

}  // namespace orthochron
