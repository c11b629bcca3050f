#pragma once

#include <compare>
#include <cstdint>
#include <functional>

namespace orthochron {

// A small strong identity. 0 names nothing. Ids are given out by the song and never reused in it.
template<class Tag>
struct Id {
    std::uint32_t value = 0;

    auto operator<=>(const Id&) const = default;
    [[nodiscard]] bool isValid() const { return value != 0; }
};

using TakeId = Id<struct TakeTag>;
using TrackId = Id<struct TrackTag>;
using ClipId = Id<struct ClipTag>;
using PartId = Id<struct PartTag>;
using SetId = Id<struct SetTag>;
using MarkId = Id<struct MarkTag>;
using SectionId = Id<struct SectionTag>;
using HushId = Id<struct HushTag>;

}  // namespace orthochron

template<class Tag>
struct std::hash<orthochron::Id<Tag>> {
    std::size_t operator()(orthochron::Id<Tag> id) const noexcept { return id.value; }
};
