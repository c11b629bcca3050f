#include <gtest/gtest.h>

#include "core/demo/Random.h"
#include "core/onset/AttackStart.h"
#include "core/onset/LeadHits.h"
#include "testkit/Rate.h"

#include <cmath>
#include <limits>
#include <utility>

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

// An attack over noise and a ringing low tone, with bleed of another drum ahead of it.
std::vector<float>
attackAt(std::size_t start, double ringing, double bleed, std::size_t bleedAhead, double rate)
{
    demo::Random random(11);
    std::vector<float> sound(9600);
    for (std::size_t i = 0; i < sound.size(); ++i) {
        const double t = static_cast<double>(i) / rate;
        double value = 0.0003 * random.bell() + ringing * std::sin(350.0 * t);
        const auto strike = [&](std::size_t from, double level) {
            if (i >= from) {
                const double since = static_cast<double>(i - from) / rate;
                value += level * std::exp(-since / 0.03) *
                         (0.6 * std::sin(1200.0 * since) + 0.4 * random.between(-1.0, 1.0));
            }
        };
        strike(start - bleedAhead, bleed);
        strike(start, 0.8);
        sound[i] = static_cast<float>(value);
    }
    return sound;
}

TEST(AttackStart, IsFoundToAFewSamplesOverNoiseRingingAndBleed)
{
    for (const double ringing : {0.0, 0.05, 0.3}) {
        for (const double bleed : {0.0, 0.1}) {
            const auto sound = attackAt(5000, ringing, bleed, 140, kRate.count());
            for (const std::int64_t guess : {4900, 5000, 5150}) {
                const Frames start = attackStart(sound, kRate, Frames(guess));
                EXPECT_NEAR(static_cast<double>(start.count()), 5000.0, 12.0)
                    << ringing << " " << bleed << " " << guess;
            }
        }
    }
}

TEST(AttackStart, StaysWithinWhatItIsGiven)
{
    const std::vector<float> silence(1000, 0.0F);
    for (const std::int64_t guess : {0, 5, 500, 999}) {
        const Frames start = attackStart(silence, kRate, Frames(guess));
        EXPECT_GE(start, Frames(0));
        EXPECT_LE(start, Frames(1000));
    }
    EXPECT_EQ(attackStart({}, kRate, Frames(0)), Frames(0));
    EXPECT_EQ(attackStart(std::vector<float>(3, 0.5F), kRate, Frames(1)), Frames(1));
}

// A level that is held for a while rises equally at several places: which of them it is must not depend on how the
// last digit is rounded.
TEST(AttackStart, IsTheSameHoweverLoudTheRecordingIs)
{
    demo::Random random(11);
    std::vector<float> sound(96000);
    double ring = 0.0;
    double before = 0.0;
    for (float& sample : sound) {
        const double next = 1.995 * ring - 0.9955 * before + 0.001 * random.bell();
        before = std::exchange(ring, next);
        sample = static_cast<float>(ring);
    }
    int tried = 0;
    for (std::size_t at = 5000; at + 5000 < sound.size(); at += 31, ++tried) {
        const auto around = std::span<const float>(sound).subspan(at - 4800, 9600);
        std::vector<float> softer(around.begin(), around.end());
        for (float& sample : softer) {
            sample *= 0.37F;
        }
        const Frames guess(4800);
        const Frames start = attackStart(around, kRate, guess, milliseconds(6.0));
        const Frames ofSofter = attackStart(softer, kRate, guess, milliseconds(6.0));
        EXPECT_EQ(start, ofSofter) << "around " << at;
    }
    EXPECT_GT(tried, 2000);
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
