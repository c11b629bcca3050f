#pragma once

#include <gtest/gtest.h>
#include <nlohmann/json.hpp>

#include "testkit/Folder.h"

#include <array>
#include <cstdio>
#include <string>

// Runs the real binary, as a script would.
namespace orthochron {

using testkit::Folder;
using Json = nlohmann::json;

struct Outcome {
    int code = 0;
    std::string out;
};

inline Outcome run(const std::string& arguments)
{
    const std::string command = std::string(ORTHOCHRON_CLI) + " " + arguments + " 2>/dev/null";
    FILE* pipe = ::popen(command.c_str(), "r");
    Outcome outcome;
    std::array<char, 4096> block{};
    while (const std::size_t got = std::fread(block.data(), 1, block.size(), pipe)) {
        outcome.out.append(block.data(), got);
    }
    outcome.code = WEXITSTATUS(::pclose(pipe));
    return outcome;
}

inline std::string quoted(const std::filesystem::path& path)
{
    return "'" + path.string() + "'";
}

}  // namespace orthochron
