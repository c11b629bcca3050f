#include "core/files/MapTable.h"

#include <gtest/gtest.h>
#include <nlohmann/json.hpp>

#include "core/files/AtomicFile.h"
#include "testkit/Folder.h"

#include <sstream>

namespace orthochron {
namespace {

// 120 bpm from 1 s, a 3/4 bar after two of 4/4, and 90 bpm from there on, pinned.
TempoMap map()
{
    TempoPoint slower;
    slower.at = Beats(8.0);
    slower.bpm = 90.0;
    slower.isPinned = true;
    return *TempoMap::create(Seconds(1.0), {TempoPoint{}, slower}, {{1, {4, 4}}, {3, {3, 4}}});
}

std::vector<std::string> rows(const std::string& text)
{
    std::vector<std::string> all;
    std::istringstream lines(text);
    for (std::string line; std::getline(lines, line);) {
        all.push_back(line);
    }
    return all;
}

TEST(MapTable, HasEveryBeatOfTheSongWithItsTimeAndTempo)
{
    const testkit::Folder folder;
    ASSERT_TRUE(writeMapTable(map(), Seconds(7.2), folder / "map.csv"));
    const auto table = rows(*readWhole(folder / "map.csv", 100'000));
    // Two beats before bar 1, eight of bars 1 and 2, three of bar 3 (two thirds of a second each).
    ASSERT_EQ(table.size(), 1U + 2U + 8U + 4U);
    EXPECT_EQ(table[0], "bar,beat,seconds,bpm,meter,pinned");
    EXPECT_EQ(table[1], "0,3,0.000000,120.000000,4/4,");
    EXPECT_EQ(table[3], "1,1,1.000000,120.000000,4/4,");
    EXPECT_EQ(table[11], "3,1,5.000000,90.000000,3/4,pinned");
    EXPECT_EQ(table[12], "3,2,5.666667,90.000000,3/4,");
    EXPECT_EQ(table[14], "4,1,7.000000,90.000000,3/4,");
}

TEST(MapTable, IsWrittenAsJsonTooAndNeverOverATake)
{
    const testkit::Folder folder;
    ASSERT_TRUE(writeMapTable(map(), Seconds(7.2), folder / "map.json"));
    const auto json = nlohmann::json::parse(*readWhole(folder / "map.json", 100'000));
    EXPECT_EQ(json["first_downbeat"], 1.0);
    ASSERT_EQ(json["beats"].size(), 14U);
    EXPECT_EQ(json["beats"][10]["bar"], 3);
    EXPECT_EQ(json["beats"][10]["pinned"], true);
    EXPECT_NEAR(json["beats"][11]["seconds"].get<double>(), 5.0 + 2.0 / 3.0, 1e-9);
    EXPECT_EQ(json["meters"][1]["meter"], "3/4");
    const auto refused = writeMapTable(map(), Seconds(7.2), folder / "Kick.wav");
    ASSERT_FALSE(refused);
    EXPECT_EQ(refused.error().kind, ErrorKind::BadArgument);
}

}  // namespace
}  // namespace orthochron
