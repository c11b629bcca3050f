#include <gtest/gtest.h>

#include "core/onset/LeadHits.h"
#include "testkit/Rate.h"

namespace orthochron {
namespace {

std::vector<Onset> onsetsAt(std::initializer_list<std::int64_t> frames)
{
    std::vector<Onset> onsets;
    for (const std::int64_t at : frames) {
        onsets.push_back({Frames(at), 0.8});
    }
    return onsets;
}

TEST(MergeLeads, GivesABlowHeardByTwoMicrophonesOfOneDrumToTheNearerOne)
{
    const auto merged = mergeLeads(
        {onsetsAt({10050, 30051, 50049, 70050, 90050}),
         onsetsAt({10000, 30000, 50000, 70000, 90000})},
        kRate
    );

    ASSERT_EQ(merged.size(), 5U);
    for (const LeadOnset& hit : merged) {
        EXPECT_EQ(hit.lead, 1);
    }
}

TEST(MergeLeads, KeepsBothDrumsWhereTheyFallTogether)
{
    // A kick and a snare that meet now and then, never by the same delay.
    const auto merged = mergeLeads(
        {onsetsAt({10000, 20000, 30000, 40000, 50000, 60000}),
         onsetsAt({10090, 29850, 50200, 75000, 85000, 95000})},
        kRate
    );

    EXPECT_EQ(merged.size(), 12U);
    EXPECT_TRUE(std::ranges::is_sorted(merged, {}, [](const LeadOnset& hit) {
        return hit.onset.at;
    }));
}

TEST(MergeLeads, OfNothingIsNothing)
{
    EXPECT_TRUE(mergeLeads({}, kRate).empty());
    EXPECT_TRUE(mergeLeads({{}, {}}, kRate).empty());
    EXPECT_EQ(mergeLeads({onsetsAt({5}), {}}, kRate).size(), 1U);
}

TEST(MergeLeads, OneThatEndsEarlyIsReadNoFurther)
{
    std::vector<std::vector<Onset>> leads(2);
    for (int i = 0; i < 12; ++i) {
        leads[0].push_back({Frames(48000 * i), 0.9});
        if (i < 5) {
            leads[1].push_back({Frames(48000 * i + 40), 0.9});
        }
    }
    const auto merged = mergeLeads(leads, Hertz(48000.0));
    // The later of the two is dropped wherever they meet, and nothing else.
    EXPECT_EQ(merged.size(), 12U);
    for (const LeadOnset& hit : merged) {
        EXPECT_EQ(hit.lead, 0);
    }
}

}  // namespace
}  // namespace orthochron
