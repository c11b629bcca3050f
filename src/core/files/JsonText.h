#pragma once

#include <nlohmann/json.hpp>

#include <cstddef>
#include <functional>
#include <string_view>

namespace orthochron {

// What lists of pins and of notes may hold.
inline constexpr std::size_t kMostBytesOfText = std::size_t{1} << 26U;
inline constexpr double kLatestSeconds = 86400.0;  // a day

// Looks at each object as it ends, `depth` objects and lists inside the outermost, and may put
// something smaller in its place. `key` is the field of the outermost object it lies in.
using JsonShrink = std::function<void(std::string_view key, int depth, nlohmann::json& object)>;

// Parses JSON of unknown origin. Text that is no JSON, nested deeper than any file of ours, or of
// so many values that they would fill the memory gives a discarded value.
[[nodiscard]] nlohmann::json parseJson(std::string_view text, const JsonShrink& shrink = {});

}  // namespace orthochron
