#pragma once

#include "core/song/Song.h"

#include <algorithm>
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
inline void layLater(Clip& clip, Frames shift)
{
    clip.at += shift;
}
inline void layLater(Mark&, Frames) {}

template<class T>
[[nodiscard]] bool isLaidLater(const T& older, Frames shift, const T& newer)
{
    if (older.id != newer.id || placeOf(older) + shift != placeOf(newer)) {
        return false;
    }
    if (shift == Frames(0)) {
        return older == newer;
    }
    T moved = older;
    layLater(moved, shift);
    return moved == newer;
}

}  // namespace list_diff

// Linear in the lengths of both; items are known by their ids.
template<class T>
[[nodiscard]] ListDiff<T> diffOf(std::span<const T> older, std::span<const T> newer)
{
    std::unordered_map<std::uint32_t, std::size_t> places;  // filled when first asked
    std::size_t next = 0;                                   // where the item is likely to be
    const auto placeOfId = [&](const T& item) -> std::optional<std::size_t> {
        for (std::size_t near = next; near < std::min(older.size(), next + 3); ++near) {
            if (older[near].id == item.id) {
                return near;
            }
        }
        if (places.empty()) {
            for (std::size_t i = 0; i < older.size(); ++i) {
                places.emplace(older[i].id.value, i);
            }
        }
        const auto found = places.find(item.id.value);
        return found == places.end() ? std::nullopt : std::optional(found->second);
    };
    ListDiff<T> diff;
    ListRun* run = nullptr;  // the last part, when it is one
    for (const T& item : newer) {
        if (run != nullptr && next < older.size() &&
            list_diff::isLaidLater(older[next], run->shift, item)) {
            ++run->count;
            ++next;
            continue;
        }
        run = nullptr;
        if (const auto place = placeOfId(item)) {
            next = *place + 1;
            const Frames shift = list_diff::placeOf(item) - list_diff::placeOf(older[*place]);
            if (list_diff::isLaidLater(older[*place], shift, item)) {
                const auto first = static_cast<std::uint32_t>(*place);
                run = &std::get<ListRun>(diff.emplace_back(ListRun{first, 1, shift}));
                continue;
            }
        }
        diff.emplace_back(item);
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
        const auto same = older.subspan(run.first, run.count);
        newer.insert(newer.end(), same.begin(), same.end());
        for (T& item : std::span(newer).last(same.size())) {
            list_diff::layLater(item, run.shift);
        }
    }
    return newer;
}

}  // namespace orthochron
