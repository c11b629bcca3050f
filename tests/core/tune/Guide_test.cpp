#include "core/tune/Guide.h"

#include <gtest/gtest.h>

#include "testkit/Rate.h"

#include <cmath>
#include <random>

// Notes that follow those of another take.
namespace orthochron {
namespace {

HeardNote heard(double from, double to, double centre)
{
    return {atSeconds(from), atSeconds(to), centre, centre - std::round(centre)};
}

std::vector<NoteTuning> asIs(const std::vector<HeardNote>& notes)
{
    std::vector<NoteTuning> asked;
    for (const HeardNote& note : notes) {
        NoteTuning own;
        own.start = note.start;
        own.end = note.end;
        asked.push_back(own);
    }
    return asked;
}

TEST(Guide, EachNoteFindsTheOneItDoublesAlsoWithSomeMissingOnEitherSide)
{
    std::mt19937 random(4);
    std::normal_distribution<double> scatter(0.0, 0.04);
    std::uniform_int_distribution<int> step(-4, 4);
    std::vector<HeardNote> guide;
    std::vector<HeardNote> notes;
    std::vector<std::optional<std::size_t>> truth;
    double pitch = 62.0;
    for (int i = 0; i < 400; ++i) {
        pitch = std::clamp(pitch + step(random), 55.0, 75.0);
        const double from = 0.4 * i;
        const bool isInGuide = i % 17 != 5;
        if (i % 23 != 7) {
            const double late = scatter(random);
            notes.push_back(heard(from + late, from + late + 0.35, pitch + 0.2));
            truth.push_back(isInGuide ? std::optional(guide.size()) : std::nullopt);
        }
        if (isInGuide) {
            guide.push_back(heard(from, from + 0.35, pitch));
        }
    }
    EXPECT_EQ(pairedWith(notes, guide, kRate), truth);
}

TEST(Guide, NotesGoPartOfTheWayInPitchAndTime)
{
    const std::vector<HeardNote> guide{heard(1.0, 1.5, 60.1), heard(1.5, 2.0, 64.0)};
    const std::vector<HeardNote> notes{heard(1.06, 1.48, 59.7), heard(1.48, 2.02, 64.3)};
    const auto drawn = drawnTowards(notes, guide, asIs(notes), {0.5, 1.0}, kRate);
    ASSERT_TRUE(drawn);
    EXPECT_NEAR((*drawn)[0].shift, 0.2, 1e-9);
    EXPECT_NEAR((*drawn)[1].shift, -0.15, 1e-9);
    EXPECT_EQ((*drawn)[0].start, atSeconds(1.0));
    EXPECT_EQ((*drawn)[0].end, atSeconds(1.5));
    EXPECT_EQ((*drawn)[1].start, atSeconds(1.5));
    EXPECT_EQ((*drawn)[1].end, atSeconds(2.0));
    // Nothing asked, nothing moved.
    EXPECT_EQ(*drawnTowards(notes, guide, asIs(notes), {}, kRate), asIs(notes));
}

TEST(Guide, AHarmonyStaysOneAndTakesTheGuidesIntonation)
{
    const std::vector<HeardNote> guide{heard(1.0, 1.5, 60.2)};
    const std::vector<HeardNote> notes{heard(1.0, 1.5, 63.9)};
    const auto drawn = drawnTowards(notes, guide, asIs(notes), {1.0, 0.0}, kRate);
    EXPECT_NEAR((*drawn)[0].shift, 0.3, 1e-9);
}

TEST(Guide, WhatHasNoneThereStaysAndNoNotePassesItsNeighbour)
{
    const std::vector<HeardNote> guide{heard(1.4, 1.9, 60.0)};
    const std::vector<HeardNote> notes{heard(1.0, 1.5, 60.0), heard(1.55, 1.9, 67.0)};
    const auto drawn = drawnTowards(notes, guide, asIs(notes), {1.0, 1.0}, kRate);
    ASSERT_TRUE(drawn);
    for (std::size_t i = 0; i < drawn->size(); ++i) {
        EXPECT_LT((*drawn)[i].start, (*drawn)[i].end);
    }
    EXPECT_LE((*drawn)[0].end, (*drawn)[1].start);
    EXPECT_EQ((*drawn)[1].shift, 0.0);
    const std::vector<HeardNote> far{heard(10.0, 11.0, 60.0)};
    EXPECT_EQ(*drawnTowards(notes, far, asIs(notes), {1.0, 1.0}, kRate), asIs(notes));
    EXPECT_FALSE(drawnTowards(notes, guide, asIs(notes), {1.5, 0.0}, kRate));
    EXPECT_FALSE(drawnTowards(notes, guide, asIs(notes), {0.0, std::nan("")}, kRate));
}

}  // namespace
}  // namespace orthochron
