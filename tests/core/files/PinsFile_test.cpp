#include "core/files/PinsFile.h"

#include <gtest/gtest.h>

#include "testkit/Folder.h"
#include "testkit/Rate.h"

#include <fstream>

namespace orthochron {
namespace {

Result<TimeMap> read(const std::string& text)
{
    const testkit::Folder folder;
    std::ofstream(folder / "pins.json") << text;
    return readPins(folder / "pins.json", kRate);
}

TEST(PinsFile, SaysWhereEachMomentOfATakeGoes)
{
    const auto map = read("[[0, 0.5], [1.0, 2.0], [86399, 86400]]");
    ASSERT_TRUE(map) << map.error().message;
    EXPECT_EQ(map->soundTimeOf(Frames(0)), atSeconds(0.5));
    EXPECT_EQ(map->soundTimeOf(atSeconds(1.0)), atSeconds(2.0));
    EXPECT_EQ(map->soundTimeOf(atSeconds(0.5)), atSeconds(1.25));
    EXPECT_EQ(read("[[2, 3]]")->soundTimeOf(atSeconds(5.0)), atSeconds(6.0));
}

TEST(PinsFile, WhatIsNoListOfPinsIsRefusedByTheNumberOfThePin)
{
    for (const char* bad :
         {"",
          "{}",
          "[]",
          "7",
          "[[1,2],3]",
          "[[1,2,3]]",
          "[[1]]",
          "[[-0.1,2]]",
          "[[1,\"2\"]]",
          "[[1,86401.5]]"}) {
        const auto map = read(bad);
        ASSERT_FALSE(map) << bad;
        EXPECT_EQ(map.error().kind, ErrorKind::BadInput) << bad;
        EXPECT_NE(map.error().message.find("pins.json"), std::string::npos) << bad;
    }
    // Out of order, or two on one frame, in the take or where they go.
    for (const char* bad : {"[[1,1],[2,1]]", "[[1,1],[1,2]]", "[[2,1],[1,2]]", "[[1,2],[2,1]]"}) {
        EXPECT_FALSE(read(bad)) << bad;
    }
    EXPECT_NE(read("[[1,1],[3,3],[2,4]]").error().message.find('3'), std::string::npos);
    EXPECT_FALSE(readPins("/nowhere/pins.json", kRate));
}

}  // namespace
}  // namespace orthochron
