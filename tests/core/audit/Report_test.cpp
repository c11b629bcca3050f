#include "core/audit/Report.h"

#include <gtest/gtest.h>
#include <nlohmann/json.hpp>

#include "core/files/AtomicFile.h"
#include "testkit/Folder.h"
#include "testkit/MarkedKit.h"

namespace orthochron {
namespace {

using Json = nlohmann::json;

// The demo drummer fitted, with one join pulled into an attack.
class Report : public testing::Test {
protected:
    Report()
    {
        song_ = fitSet(kit_.song, kit_.set, {}, *kit_.sources)->song;
        song_.name = "Tom & \"Jo\" <live>";
        const auto joins = joinsOf(song_, song_.sets[0]);
        const SetJoin& join = joins[7];
        const Frames attack = *nextAttack(hitsOf(song_, song_.sets[0]), join);
        song_ = *changeJoin(song_, kit_.set, join.id, {.length = Frames(96), .at = attack});
        report_ = *reportOf(song_, kit_.set, *kit_.sources);
    }

    const testkit::MarkedKit& kit_ = testkit::markedKit();
    Song song_;
    EditReport report_;
};

TEST_F(Report, SaysWhatWasMovedAndWhatIsLeft)
{
    EXPECT_EQ(report_.hits.size(), hitsOf(song_, song_.sets[0]).hits.size());
    EXPECT_EQ(report_.joins.size(), joinsOf(song_, song_.sets[0]).size());
    ASSERT_FALSE(report_.left.empty());
    const auto cut = std::ranges::find_if(report_.left, [](const EditReport::Left& left) {
        return left.finding.kind == FindingKind::CutInAttack;
    });
    ASSERT_NE(cut, report_.left.end());
    // A cut through a drum's attack is about as loud as the music, or louder.
    EXPECT_GT(cut->finding.loudness, -12.0);
    EXPECT_LT(cut->finding.loudness, 30.0);
    EXPECT_EQ(cut->picture.size(), 3840U);
    for (const EditReport::Hit& hit : report_.hits) {
        if (hit.isMain && std::abs(hit.leftMs) > 60.0) {
            ADD_FAILURE() << hit.lead << " bar " << hit.bar << " is " << hit.leftMs << " ms off";
        }
    }
}

TEST_F(Report, LeavesOutWhatWasAccepted)
{
    const auto before = report_.left.size();
    const Song accepted = acceptFinding(song_, report_.left.front().finding);

    const EditReport after = *reportOf(accepted, kit_.set, *kit_.sources);

    EXPECT_GE(after.accepted, 1);
    EXPECT_EQ(after.left.size() + static_cast<std::size_t>(after.accepted), before);
}

TEST_F(Report, IsAPageATableAndADocumentOfTheSameThings)
{
    const testkit::Folder folder;
    for (const char* name : {"r.html", "r.csv", "r.json"}) {
        ASSERT_TRUE(writeReport(report_, folder / name)) << name;
    }
    EXPECT_FALSE(writeReport(report_, folder / "r.txt"));
    EXPECT_FALSE(writeReport(report_, folder / "none" / "r.csv"));

    const std::string page = *readWhole(folder / "r.html", 10'000'000);
    EXPECT_NE(page.find("Tom &amp; &quot;Jo&quot; &lt;live&gt;"), std::string::npos);
    EXPECT_NE(page.find("cut in attack"), std::string::npos);
    EXPECT_NE(page.find("<svg"), std::string::npos);
    const std::string table = *readWhole(folder / "r.csv", 10'000'000);
    EXPECT_EQ(
        static_cast<std::size_t>(std::ranges::count(table, '\n')),
        1 + report_.hits.size() + report_.left.size()
    );
    for (std::size_t at = 0; at < table.size();) {
        const std::size_t end = table.find('\n', at);
        EXPECT_EQ(
            std::count(
                table.begin() + static_cast<std::ptrdiff_t>(at),
                table.begin() + static_cast<std::ptrdiff_t>(end),
                ','
            ),
            12
        );
        at = end + 1;
    }
    const Json json = Json::parse(*readWhole(folder / "r.json", 10'000'000));
    EXPECT_EQ(json["findings"].size(), report_.left.size());
    EXPECT_EQ(json["hits"].size(), report_.hits.size());
    EXPECT_EQ(json["song"], song_.name);
}

TEST_F(Report, ANameIsNoFormula)
{
    const testkit::Folder folder;
    report_.hits.front().lead = "=HYPERLINK(1)";
    ASSERT_TRUE(writeReport(report_, folder / "r.csv"));
    const std::string table = *readWhole(folder / "r.csv", 10'000'000);
    EXPECT_NE(table.find(",\"'=HYPERLINK(1)\","), std::string::npos);
}

TEST_F(Report, RefusesASetThatIsNotThere)
{
    EXPECT_FALSE(reportOf(song_, SetId{999}, *kit_.sources));
}

}  // namespace
}  // namespace orthochron
