#include <gtest/gtest.h>

#include "core/audit/Findings.h"

#include <algorithm>
#include <array>
#include <cmath>

namespace orthochron {
namespace {

// Two seconds of a decaying pattern, cut at one second: what follows is moved by 100 samples.
class Checking : public testing::Test {
protected:
    Checking()
    {
        map_.length = Frames(96000);
        map_.joins = {{Frames(48000), Frames(240)}};
        map_.pieces = {
            {Frames(0), Frames(48240), Frames(0)}, {Frames(48000), Frames(96000), Frames(100)}};
        map_.hits = {{Frames(24000), Frames(0)}, {Frames(60000), Frames(100)}};
        recorded_.resize(96000);
        for (std::size_t i = 0; i < recorded_.size(); ++i) {
            const auto since = static_cast<double>(i % 12000) / 48000.0;
            recorded_[i] = static_cast<float>(
                0.4 * std::exp(-since / 0.05) * std::sin(900.0 * since) +
                0.01 * std::sin(0.31 * static_cast<double>(i))
            );
        }
        edited_.resize(96000);
        for (std::size_t i = 0; i < edited_.size(); ++i) {
            const double part = std::clamp((static_cast<double>(i) - 48000.0) / 240.0, 0.0, 1.0);
            const float before = recorded_[i];
            const float after = i >= 100 ? recorded_[i - 100] : 0.0F;
            edited_[i] = static_cast<float>(
                (1.0 - part) * static_cast<double>(before) + part * static_cast<double>(after)
            );
        }
    }
    static Result<void> give(const std::vector<float>& from, Frames at, std::span<float> into)
    {
        for (std::size_t i = 0; i < into.size(); ++i) {
            const std::int64_t place = at.count() + static_cast<std::int64_t>(i);
            into[i] = place >= 0 && place < 96000 ? from[static_cast<std::size_t>(place)] : 0.0F;
        }
        return {};
    }
    [[nodiscard]] std::vector<Finding> check() const
    {
        const AuditInput input{
            map_,
            1,
            [this](int, Frames at, std::span<float> into) { return give(edited_, at, into); },
            [this](int, Frames at, std::span<float> into) { return give(recorded_, at, into); }};
        return *checkWhole(input);
    }
    [[nodiscard]] const Finding* find(const std::vector<Finding>& all, FindingKind kind) const
    {
        const auto found = std::ranges::find(all, kind, &Finding::kind);
        return found == all.end() ? nullptr : &*found;
    }

    EditMap map_;
    std::vector<float> recorded_;
    std::vector<float> edited_;
};

TEST_F(Checking, FindsNothingInAnEditThatIsAsItSays)
{
    EXPECT_TRUE(check().empty());
}

TEST_F(Checking, MeasuresAGapByItsLength)
{
    std::fill_n(edited_.begin() + 24500, 480, 0.0F);

    const auto found = check();
    const Finding* gap = find(found, FindingKind::Gap);

    ASSERT_NE(gap, nullptr);
    EXPECT_NEAR(gap->value, 10.0, 1.1);
    EXPECT_NEAR(static_cast<double>(gap->at.count()), 24500.0, 48.0);
}

TEST_F(Checking, MeasuresSkewInSamplesAndItsSide)
{
    for (const int shift : {-9, 5, 60}) {
        auto kept = edited_;
        for (std::size_t i = 60000; i < 90000; ++i) {
            edited_[i] = kept[i - static_cast<std::size_t>(shift + 100) + 100];
        }
        const auto found = check();
        const Finding* skew = find(found, FindingKind::Skew);
        ASSERT_NE(skew, nullptr) << shift;
        EXPECT_EQ(skew->value, shift);
        edited_ = kept;
    }
}

TEST_F(Checking, MeasuresADipByItsDepth)
{
    for (std::size_t i = 72000; i < 76800; ++i) {
        edited_[i] *= 0.5F;
    }

    const auto found = check();
    const Finding* dip = find(found, FindingKind::Dip);

    ASSERT_NE(dip, nullptr);
    EXPECT_NEAR(dip->value, -6.0, 0.3);
}

// What is repeated by stretching and had died away is turned down: no dip, nor is it one sound twice.
TEST_F(Checking, WhatDiesAwayMayBeQuieterButNothingElseMayBeAmiss)
{
    for (std::size_t i = 48000; i < edited_.size(); ++i) {
        const double in = std::clamp((static_cast<double>(i) - 48000.0) / 240.0, 0.0, 1.0);
        const double back = std::clamp((static_cast<double>(i) - 48240.0) / 30000.0, 0.0, 1.0);
        const double gone = 0.5 * (1.0 - back) * static_cast<double>(recorded_[i - 100]);
        edited_[i] -= static_cast<float>(in * gone);
    }
    EXPECT_FALSE(check().empty());
    map_.pieces[1].diesAway = true;
    EXPECT_TRUE(check().empty());

    const auto kept = edited_;
    std::fill_n(edited_.begin() + 62500, 480, 0.0F);
    EXPECT_NE(find(check(), FindingKind::Gap), nullptr);
    edited_ = kept;
    for (std::size_t i = 0; i < 2400; ++i) {
        edited_[64000 + i] += recorded_[60000 + i];
    }
    EXPECT_FALSE(check().empty());
    edited_ = kept;
    for (std::size_t i = 72200; i < 74600; ++i) {
        edited_[i] *= 1.5F;
    }
    EXPECT_FALSE(check().empty());
    edited_ = kept;
    for (std::size_t i = 72200; i < 74600; ++i) {
        edited_[i] *= 0.05F;
    }
    EXPECT_FALSE(check().empty());
}

// Its gain may fall as fast as a drum dies away, and goes back at once where the next stroke begins.
TEST_F(Checking, WhatDiesAwayMayFallFastAndIsBackWhereTheNextStrokeBegins)
{
    const Frames next(60000);
    map_.pieces = {
        map_.pieces[0], {Frames(48000), next, Frames(100)}, {next, Frames(96000), Frames(100)}};
    map_.pieces[1].diesAway = true;
    for (std::size_t i = 49200; i < 60000; ++i) {
        const double since = (static_cast<double>(i) - 49200.0) / 48000.0;
        const double dying = std::max(std::exp(-since / 0.04), 0.04);
        const double back = std::clamp((static_cast<double>(i) - 59930.0) / 48.0, 0.0, 1.0);
        edited_[i] *= static_cast<float>(std::lerp(dying, 1.0, back));
    }
    EXPECT_TRUE(check().empty());

    for (std::size_t i = 59600; i < 59700; ++i) {
        edited_[i] += 0.05F;
    }
    EXPECT_FALSE(check().empty());
}

TEST(EditMap, WhatDiesAwayIsAtMostAsLoudAsItsTakeAndNoMoreThan30DecibelsSofter)
{
    const std::vector<float> take{0.5F, -0.25F, 0.125F, 0.5F};
    for (const auto& [first, last, begins, ends] :
         {std::array{0.7, 0.7, 0.7, 0.7},
          {0.9, 0.3, 0.9, 0.3},
          {1.6, 0.7, 1.0, 0.7},
          {0.7, 0.01, 0.7, 0.03},
          {-1.0, -1.0, 0.03, 0.03}}) {
        std::vector<float> edited = take;
        for (std::size_t i = 0; i < edited.size(); ++i) {
            edited[i] *= static_cast<float>(std::lerp(first, last, static_cast<double>(i) / 3.0));
        }
        const DecayGain gain = decayGain(edited, take);
        EXPECT_NEAR(gain.at(0), begins, 1e-6) << first;
        EXPECT_NEAR(gain.at(3), ends, 1e-6) << last;
    }
    EXPECT_EQ(decayGain({}, {}).at(0), 0.03);
}

TEST_F(Checking, FindsAClickAtAJoinAndElsewhere)
{
    edited_[30000] += 0.3F;
    const auto elsewhere = check();
    const Finding* single = find(elsewhere, FindingKind::Click);
    ASSERT_NE(single, nullptr);
    // As high as it stands, against the level of the millisecond it stands in.
    double sum = 0.0;
    for (std::size_t i = 30000; i < 30048; ++i) {
        sum += static_cast<double>(recorded_[i]) * static_cast<double>(recorded_[i]);
    }
    EXPECT_NEAR(single->value, toDecibels(0.3 / std::sqrt(sum / 48.0)), 0.01);
    edited_[30000] -= 0.3F;

    // A hard step in the middle of the crossfade.
    for (std::size_t i = 48100; i < 48104; ++i) {
        edited_[i] += 0.1F;
    }
    const auto found = check();
    const Finding* click = find(found, FindingKind::Click);
    ASSERT_NE(click, nullptr);
    EXPECT_EQ(click->join, 0U);
    // A step of a tenth; what either side bends by itself counts for little.
    double power = 0.0;
    for (std::size_t i = 47760; i < 48480; ++i) {
        power += static_cast<double>(edited_[i]) * static_cast<double>(edited_[i]) / 720.0;
    }
    EXPECT_NEAR(click->value, toDecibels(0.1 / std::sqrt(power)), 1.5);
}

TEST_F(Checking, AClickBesideAJoinIsNotTheJoins)
{
    for (const std::size_t at : {47930U, 48300U}) {
        edited_[at] += 0.3F;
        const auto found = check();
        const Finding* click = find(found, FindingKind::Click);
        ASSERT_NE(click, nullptr) << at;
        EXPECT_FALSE(click->join) << at;
        EXPECT_EQ(std::ranges::count(found, FindingKind::Click, &Finding::kind), 1) << at;
        edited_[at] -= 0.3F;
    }
}

TEST_F(Checking, FindsWhatIsOverFullScale)
{
    edited_[80000] = -1.5F;

    const auto found = check();
    const Finding* over = find(found, FindingKind::OverFullScale);

    ASSERT_NE(over, nullptr);
    EXPECT_EQ(over->at, Frames(80000));
    EXPECT_NEAR(over->value, toDecibels(1.5), 0.01);
}

TEST_F(Checking, FindsAJoinInAnAttackAndAnAttackHeardTwice)
{
    map_.hits = {{Frames(48020), Frames(100)}};
    EXPECT_NE(find(check(), FindingKind::CutInAttack), nullptr);

    // Its old attack sounds from the earlier side, and again from the later.
    map_.joins = {{Frames(48400), Frames(240)}};
    map_.pieces = {
        {Frames(0), Frames(48640), Frames(0)}, {Frames(48400), Frames(96000), Frames(500)}};
    map_.hits = {{Frames(48100), Frames(500)}};
    const auto found = check();
    EXPECT_NE(find(found, FindingKind::DoubleHit), nullptr);
}

TEST(Finding, AreOrderedWorstFirstAndNamed)
{
    const Finding twice{FindingKind::DoubleHit, Frames(9), -3.0};
    const Finding click{FindingKind::Click, Frames(1), -30.0};
    const Finding quiet{FindingKind::Click, Frames(0), -55.0};
    const Finding dip{FindingKind::Dip, Frames(0), -9.0};

    EXPECT_TRUE(isWorse(twice, click));
    EXPECT_TRUE(isWorse(click, dip));
    EXPECT_TRUE(isWorse(dip, {FindingKind::Dip, Frames(0), -4.0}));
    EXPECT_NE(isWorse(click, quiet), isWorse(quiet, click));
    EXPECT_EQ(wordOf(FindingKind::CutInAttack), "cut in attack");
    EXPECT_EQ(unitOf(FindingKind::Skew), "samples");
}

TEST(EditMap, SaysWhereARecordedMomentIsHeard)
{
    EditMap map;
    map.pieces = {
        {Frames(0), Frames(1000), Frames(0)},
        {Frames(900), Frames(2000), Frames(-50)},
        {Frames(1950), Frames(3000), Frames(80)}};

    EXPECT_EQ(map.heardAt(Frames(500)), Frames(500));
    EXPECT_EQ(map.heardAt(Frames(1200)), Frames(1150));
    EXPECT_EQ(map.heardAt(Frames(2500)), Frames(2580));
    EXPECT_FALSE(map.heardAt(Frames(5000)));
    EXPECT_FALSE(EditMap{}.heardAt(Frames(0)));
}

}  // namespace
}  // namespace orthochron
