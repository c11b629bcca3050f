#pragma once

#include <set>
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

// Gives every name once: what is asked for again gets a number.
class UsedNames {
public:
    [[nodiscard]] std::string unique(const std::string& name)
    {
        std::string tried = name;
        for (int number = 2; !used_.insert(tried).second; ++number) {
            tried = name + ' ' + std::to_string(number);
        }
        return tried;
    }

private:
    std::set<std::string> used_;
};

}  // namespace orthochron
