#pragma once

#include "core/song/Song.h"

#include <cstdint>
#include <optional>
#include <span>
#include <unordered_map>
#include <variant>
#include <vector>

// What differs between two versions of a track's clips or marks: an edit changes a few of
// thousands, or lays them later as they are.
namespace orthochron {

// Items of the older list, one after the other, laid later by `shift`.
struct ListRun {
    std::uint32_t first = 0;
    std::uint32_t count = 0;
    Frames shift;

    bool operator==(const ListRun&) const = default;
};

// The newer list in order: what it takes from the older one, and what is new.
template<class T>
using ListDiff = std::vector<std::variant<ListRun, T>>;

namespace list_diff {

// Marks lie in their take and are never laid later as they are.
inline Frames placeOf(const Clip& clip)
{
    return clip.at;
}
inline Frames placeOf(const Mark&)
{
    return Frames(0);
}
inline Clip laidLater(Clip clip, Frames shift)
{
    clip.at += shift;
    return clip;
}
inline Mark laidLater(Mark mark, Frames)
{
    return mark;
}

}  // namespace list_diff

// Linear in the lengths of both; items are known by their ids.
template<class T>
[[nodiscard]] ListDiff<T> diffOf(std::span<const T> older, std::span<const T> newer)
{
    std::unordered_map<std::uint32_t, std::uint32_t> places;  // filled when first asked
    const auto placeOfId = [&](const T& item) -> std::optional<std::uint32_t> {
        if (places.empty()) {
            for (std::uint32_t i = 0; i < older.size(); ++i) {
                places.emplace(older[i].id.value, i);
            }
        }
        const auto found = places.find(item.id.value);
        return found == places.end() ? std::nullopt : std::optional(found->second);
    };
    const auto isLaidLater = [&](std::size_t place, Frames shift, const T& item) {
        return place < older.size() && list_diff::laidLater(older[place], shift) == item;
    };
    ListDiff<T> diff;
    for (const T& item : newer) {
        auto* run = diff.empty() ? nullptr : std::get_if<ListRun>(&diff.back());
        if (run == nullptr && diff.empty()) {
            run = std::get_if<ListRun>(&diff.emplace_back(ListRun{}));
        }
        if (run != nullptr && isLaidLater(run->first + run->count, run->shift, item)) {
            ++run->count;
            continue;
        }
        if (const auto place = placeOfId(item)) {
            const Frames shift = list_diff::placeOf(item) - list_diff::placeOf(older[*place]);
            if (isLaidLater(*place, shift, item)) {
                diff.push_back(ListRun{*place, 1, shift});
                continue;
            }
        }
        diff.push_back(item);
    }
    if (!diff.empty() && std::holds_alternative<ListRun>(diff.front()) &&
        std::get<ListRun>(diff.front()).count == 0) {
        diff.erase(diff.begin());
    }
    return diff;
}

// The newer list; none when the difference is not one of this older list.
template<class T>
[[nodiscard]] std::optional<std::vector<T>>
patched(std::span<const T> older, const ListDiff<T>& diff)
{
    std::vector<T> newer;
    for (const auto& part : diff) {
        if (const auto* item = std::get_if<T>(&part)) {
            newer.push_back(*item);
            continue;
        }
        const auto& run = std::get<ListRun>(part);
        if (run.first > older.size() || run.count > older.size() - run.first) {
            return std::nullopt;
        }
        for (const T& item : older.subspan(run.first, run.count)) {
            newer.push_back(list_diff::laidLater(item, run.shift));
        }
    }
    return newer;
}

}  // namespace orthochron
