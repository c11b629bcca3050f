#pragma once

#include <nlohmann/json.hpp>

#include <string_view>

namespace orthochron {

// Parses JSON of unknown origin. Text that is no JSON, or nested deeper than any file of ours,
// gives a discarded value: writing a deeply nested one back would exhaust the stack.
[[nodiscard]] nlohmann::json parseJson(std::string_view text);

}  // namespace orthochron
