#include "core/files/GrooveLibrary.h"

#include <gtest/gtest.h>

#include "testkit/Folder.h"

#include <fstream>

namespace orthochron {
namespace {

Groove groove(const std::string& name, double offset = 0.02)
{
    return {name, {4, 4}, {{Beats(1.0), Beats(offset), 0.8, Beats(0.004)}}};
}

TEST(GrooveLibrary, KeepsGroovesByNameAndGivesThemBackInOrder)
{
    const testkit::Folder folder;
    const auto library = folder / "grooves";
    EXPECT_TRUE(groovesIn(library).empty());

    ASSERT_TRUE(keepGroove(groove("Kit"), library));
    ASSERT_TRUE(keepGroove(groove("Brushes, late", 0.05), library));

    const auto kept = groovesIn(library);
    ASSERT_EQ(kept.size(), 2U);
    EXPECT_EQ(kept[0], groove("Brushes, late", 0.05));
    EXPECT_EQ(kept[1], groove("Kit"));
}

TEST(GrooveLibrary, ReplacesOneOfTheSameNameAndForgetsItAgain)
{
    const testkit::Folder folder;
    ASSERT_TRUE(keepGroove(groove("Kit", 0.01), folder.path()));
    ASSERT_TRUE(keepGroove(groove("Kit", 0.03), folder.path()));
    ASSERT_EQ(groovesIn(folder.path()).size(), 1U);
    EXPECT_EQ(groovesIn(folder.path())[0].steps[0].offset, Beats(0.03));

    EXPECT_TRUE(forgetGroove("Kit", folder.path()));
    EXPECT_TRUE(groovesIn(folder.path()).empty());
    EXPECT_FALSE(forgetGroove("Kit", folder.path()));
}

TEST(GrooveLibrary, NamesNeverLeaveTheFolder)
{
    const testkit::Folder folder;
    const auto library = folder / "grooves";
    for (const std::string name : {"../outside", "/absolute", ".hidden", "a\\b", "tab\tbed"}) {
        ASSERT_TRUE(keepGroove(groove(name), library)) << name;
        EXPECT_TRUE(forgetGroove(name, library)) << name;
    }
    EXPECT_FALSE(std::filesystem::exists(folder / "outside.json"));
    EXPECT_FALSE(keepGroove(groove(""), library));
    EXPECT_FALSE(keepGroove(Groove{"empty", {}, {}}, library));
    EXPECT_FALSE(forgetGroove("", library));
}

TEST(GrooveLibrary, ABadFileHidesNoneOfTheOthers)
{
    const testkit::Folder folder;
    ASSERT_TRUE(keepGroove(groove("Kit"), folder.path()));
    std::ofstream(folder / "broken.json") << "{ not json";
    std::ofstream(folder / "other.json") << R"({"format": "something else"})";
    std::ofstream(folder / "notes.txt") << "no groove";
    EXPECT_EQ(groovesIn(folder.path()).size(), 1U);
}

TEST(GrooveLibrary, SaysSoWhenTheFolderCannotBeMade)
{
    const testkit::Folder folder;
    std::ofstream(folder / "file") << "in the way";
    const auto kept = keepGroove(groove("Kit"), folder / "file");
    ASSERT_FALSE(kept);
    EXPECT_EQ(kept.error().kind, ErrorKind::Failed);
}

}  // namespace
}  // namespace orthochron
