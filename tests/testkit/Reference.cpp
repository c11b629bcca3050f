#include "testkit/Reference.h"

#include <fmt/format.h>
#include <gtest/gtest.h>

#include <cmath>
#include <cstdlib>
#include <filesystem>
#include <fstream>
#include <vector>

namespace orthochron::testkit {

namespace {

// The first few places where two answers differ by more than the last digits of a sum do.
void compare(
    const Json& was,
    const Json& now,
    const std::string& where,
    std::vector<std::string>& differences
)
{
    if (was.is_number() && now.is_number()) {
        const auto a = was.get<double>();
        const auto b = now.get<double>();
        if (!(std::abs(a - b) <= 0.002 + 3e-6 * std::abs(a))) {
            differences.push_back(where + ": " + was.dump() + " is " + now.dump());
        }
    } else if (was.is_structured() && was.type() == now.type() && was.size() == now.size()) {
        for (auto a = was.begin(), b = now.begin(); a != was.end(); ++a, ++b) {
            const std::string name = was.is_object() ? a.key() : std::to_string(a - was.begin());
            compare(*a, *b, where + "/" + name, differences);
        }
    } else if (was != now) {
        differences.push_back(
            where + (was.is_structured() ? fmt::format(": {} are {}", was.size(), now.size())
                                         : ": " + was.dump() + " is " + now.dump())
        );
    }
}

}  // namespace

void expectAsBefore(const std::string& name, const Json& now)
{
    const std::filesystem::path path =
        std::filesystem::path(ORTHOCHRON_REFERENCE) / (name + ".json");
    if (std::getenv("ORTHOCHRON_ANEW") != nullptr) {
        std::ofstream file(path);
        file << "{";
        for (auto each = now.begin(); each != now.end(); ++each) {
            file << (each == now.begin() ? "\n" : ",\n") << Json(each.key()) << ":[";
            for (std::size_t i = 0; i < each->size(); ++i) {
                file << (i == 0 ? "\n" : ",\n") << (*each)[i].dump();
            }
            file << "]";
        }
        file << "}\n";
    }
    std::ifstream file(path);
    std::vector<std::string> differences;
    compare(Json::parse(file), now, name, differences);
    for (std::size_t i = 0; i < std::min<std::size_t>(differences.size(), 5); ++i) {
        ADD_FAILURE() << differences[i];
    }
    EXPECT_EQ(differences.size(), 0U);
}

}  // namespace orthochron::testkit
