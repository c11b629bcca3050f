#pragma once

#include <string>
#include <string_view>

namespace orthochron {

// A name with what file systems refuse replaced, so that it stays one file in its folder. Empty
// or hidden names (a dot in front) get `instead` before them.
[[nodiscard]] inline std::string fileNameOf(std::string_view name, std::string_view instead)
{
    std::string safe;
    for (const char c : name) {
        safe += c == '/' || c == '\\' || static_cast<unsigned char>(c) < 32 ? '-' : c;
    }
    return safe.empty() || safe.front() == '.' ? std::string(instead) + safe : safe;
}

}  // namespace orthochron
