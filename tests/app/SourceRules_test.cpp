#include <gmock/gmock.h>
#include <gtest/gtest.h>

#include <filesystem>
#include <fstream>
#include <regex>
#include <string>
#include <vector>

namespace {

// What is read of the song by address, and by place in what was made of it: an edit ends it.
const std::regex kBorrowed(
    R"(\b(?:const )?(?:auto|Song|MicSet|Take|Track)[&*] ?(\w+) ?=.*(?:song\(|\.set\(|Of\(|preview\(|findings\(|troubles\())"
);
const std::regex kModal(
    R"(\bexec\(|\baskYes\(|\baskFor\w*\(|\baskName\(|QInputDialog::get|QMessageBox::question\()"
);

struct Function {
    std::string place;
    std::vector<std::string> lines;
};

// The functions of a file, told by their braces in the first column.
std::vector<Function> functionsOf(const std::filesystem::path& file)
{
    std::vector<Function> functions;
    std::ifstream lines(file);
    bool isIn = false;
    int number = 0;
    for (std::string line; std::getline(lines, line);) {
        ++number;
        if (line == "{") {
            isIn = true;
            functions.push_back({file.filename().string() + ":" + std::to_string(number), {}});
        } else if (line == "}") {
            isIn = false;
        } else if (isIn) {
            functions.back().lines.push_back(line);
        }
    }
    return functions;
}

// What a function uses of the song after a question that it had borrowed before.
std::vector<std::string> heldAcrossAQuestion(const Function& function)
{
    std::vector<std::string> held;
    std::vector<std::pair<std::string, bool>> borrowed;  // and whether a question came since
    for (const std::string& line : function.lines) {
        for (const auto& [name, isAsked] : borrowed) {
            if (isAsked && std::regex_search(line, std::regex("(^|[^.>\\w])" + name + "\\b"))) {
                held.push_back(function.place + " " + name);
            }
        }
        std::smatch found;
        if (std::regex_search(line, found, kBorrowed)) {
            std::erase_if(borrowed, [&](const auto& each) { return each.first == found[1].str(); });
            borrowed.emplace_back(found[1].str(), false);
        }
        // After one that is the last of its way nothing follows.
        if (std::regex_search(line, kModal) && line.find("return") == std::string::npos) {
            for (auto& each : borrowed) {
                each.second = true;
            }
        }
    }
    return held;
}

// The headers of the standard library that give what a file calls by name.
const std::vector<std::pair<std::string, std::string>> kStandard{
    {"vector", "vector"},
    {"string|to_string", "string"},
    {"string_view", "string_view"},
    {"optional|nullopt", "optional"},
    {"function", "functional"},
    {"unique_ptr|shared_ptr|make_shared|make_unique|weak_ptr|enable_shared_from_this", "memory"},
    {"span", "span"},
    {"array", "array"},
    {"map", "map"},
    {"set", "set"},
    {"list", "list"},
    {"deque", "deque"},
    {"mutex|scoped_lock|unique_lock", "mutex"},
    {"filesystem", "filesystem"},
    {"atomic", "atomic"},
    {"thread|jthread", "thread"},
    {"numeric_limits", "limits"},
    {"variant|visit", "variant"},
    {"tuple|tie", "tuple"},
};

std::string textOf(const std::filesystem::path& file)
{
    std::ifstream lines(file);
    std::string text;
    for (std::string line; std::getline(lines, line);) {
        text += line.substr(0, line.find("//")) + '\n';
    }
    return text;
}

}  // namespace

// The core is compiled with these precompiled, so that the compiler does not miss one of them.
TEST(SourceRules, HeadersOfTheCoreIncludeWhatTheyNameOfTheStandardLibrary)
{
    std::vector<std::string> missing;
    std::size_t headers = 0;
    for (const auto& entry :
         std::filesystem::recursive_directory_iterator(ORTHOCHRON_SOURCE "/src/core")) {
        if (entry.path().extension() != ".h") {
            continue;
        }
        ++headers;
        const std::string text = textOf(entry.path());
        for (const auto& [names, header] : kStandard) {
            const bool isNamed = std::regex_search(text, std::regex("\\bstd::(" + names + ")\\b"));
            if (isNamed && text.find("#include <" + header + ">") == std::string::npos) {
                missing.push_back(entry.path().filename().string() + " <" + header + ">");
            }
        }
    }
    EXPECT_GT(headers, 150U);
    EXPECT_THAT(missing, testing::IsEmpty());
}

// While a question stands jobs end and the song becomes another: what was looked up before is of the old one.
TEST(SourceRules, NothingOfTheSongIsHeldAcrossAQuestion)
{
    std::vector<std::string> held;
    std::size_t questions = 0;
    for (const auto& entry :
         std::filesystem::recursive_directory_iterator(ORTHOCHRON_SOURCE "/src/app")) {
        if (entry.path().extension() != ".cpp") {
            continue;
        }
        for (const Function& function : functionsOf(entry.path())) {
            for (const std::string& line : function.lines) {
                questions += std::regex_search(line, kModal) ? 1U : 0U;
            }
            const auto some = heldAcrossAQuestion(function);
            held.insert(held.end(), some.begin(), some.end());
        }
    }
    EXPECT_GT(questions, 20U);
    EXPECT_THAT(held, testing::IsEmpty());
}

TEST(SourceRules, AReferenceHeldAcrossAQuestionIsSeen)
{
    const Function function{
        "here",
        {"    const Song& song = session_.song();",
         "    if (askYes(bench_, a, b)) {",
         "        apply(makeSet(song, added));"}};
    EXPECT_THAT(heldAcrossAQuestion(function), testing::ElementsAre("here song"));
}
