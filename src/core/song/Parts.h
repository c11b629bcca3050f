#pragma once

#include "core/song/Song.h"

#include <map>
#include <span>
#include <vector>

// What belongs together: the clips of a set's microphones that are one part of the performance.
namespace orthochron {

// Gives the ids an edit needs. What cuts make of a part gets a new one: the same to all that came of
// one part by one cut, so that the microphones of a set stay together.
class NewIds {
public:
    explicit NewIds(std::uint32_t& lastId) : lastId_(&lastId) {}
    [[nodiscard]] ClipId clip() { return ClipId{++*lastId_}; }
    // `cut` tells the cuts of one edit apart: a song time, a number.
    [[nodiscard]] PartId part(PartId of, std::int64_t cut)
    {
        PartId& fresh = given_[{of, cut}];
        if (!fresh.isValid()) {
            fresh = PartId{++*lastId_};
        }
        return fresh;
    }

private:
    std::uint32_t* lastId_;
    std::map<std::pair<PartId, std::int64_t>, PartId> given_;
};

// Gives clips of tracks about to become a set, or of a song that did not say what belongs together,
// the parts of those of the earlier tracks they belong to: what begins or ends together, or has
// most of its time in common. Answers how many had to be guessed, none being exactly alike.
int joinParts(std::span<std::vector<Clip>* const> tracks);

}  // namespace orthochron
