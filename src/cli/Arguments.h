#pragma once

#include "cli/Commands.h"

#include <string>
#include <string_view>
#include <vector>

namespace orthochron::cli {

inline constexpr std::string_view kExitCodes = "Exit codes:\n"
                                               "  0    done\n"
                                               "  1    the work failed\n"
                                               "  2    wrong usage\n"
                                               "  3    an input is missing, unreadable or damaged\n"
                                               "  4    'check --strict' has findings\n"
                                               "  130  interrupted";

// Options that may be given several times ("--lead a --lead b"). Several values after one of them are
// its own only where the inputs were named before it: "fit --lead a a b c" has one lead and three inputs.
[[nodiscard]] std::vector<std::string>
spelledOut(const CLI::App& app, const std::vector<std::string>& arguments);

// One sound file, or "-": standard input, kept in a file while the command runs.
void addInput(CLI::App& command, std::string& in, Choice& choice);
// By place or as --out; "-" writes to standard output when all is done.
void addOutput(CLI::App& command, std::string& out, Choice& choice);
void mayBeStream(CLI::Option& out, Choice& choice);
// By their names in files and those on screen.
void addMaterial(CLI::App& command, std::string& material, bool withTape);
void addFormat(CLI::App& command, std::string& format);
void addJson(CLI::App& command, Choice& choice);
// The last lines of a command's help.
void addExample(CLI::App& command, const std::string& example);

}  // namespace orthochron::cli
