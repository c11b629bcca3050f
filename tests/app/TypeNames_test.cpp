#include <gmock/gmock.h>
#include <gtest/gtest.h>

#include <filesystem>
#include <fstream>
#include <map>
#include <regex>
#include <string>

namespace {

// Of every type a file defines for others, with its namespace: where.
void addTypes(const std::filesystem::path& file, std::multimap<std::string, std::string>& types)
{
    static const std::regex kNamespace(R"(^namespace ([\w:]*) ?\{)");
    static const std::regex kType(
        R"(^(?:struct|class|enum class|enum) (\w+)(?: final)?(?: :.*|)(?: \{.*)?$)"
    );
    std::ifstream lines(file);
    std::string within;
    std::smatch found;
    for (std::string line; std::getline(lines, line);) {
        if (std::regex_search(line, found, kNamespace)) {
            within =
                found[1].length() == 0 ? "" : found[1].str() + "::";  // nameless: the file's own
        } else if (line == "}  // namespace") {
            within = "orthochron::";
        } else if (!within.empty() && std::regex_match(line, found, kType)) {
            types.emplace(within + found[1].str(), file.filename().string());
        }
    }
}

}  // namespace

// Two types of one name in one program: the linker takes the functions of one for both, and what is in
// memory is read as what it is not. No compiler says so.
TEST(TypeNames, NoTwoFilesDefineATypeOfOneName)
{
    std::multimap<std::string, std::string> types;
    for (const auto& entry :
         std::filesystem::recursive_directory_iterator(ORTHOCHRON_SOURCE "/src")) {
        if (entry.path().extension() == ".h" || entry.path().extension() == ".cpp") {
            addTypes(entry.path(), types);
        }
    }
    EXPECT_GT(types.size(), 300U);
    for (auto at = types.begin(); at != types.end(); ++at) {
        const auto next = std::next(at);
        if (next != types.end()) {
            EXPECT_NE(at->first, next->first) << at->second << " and " << next->second;
        }
    }
}
