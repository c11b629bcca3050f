#include "core/onset/AttackShapes.h"

#include <gtest/gtest.h>

#include "testkit/Rate.h"

#include <algorithm>
#include <cmath>
#include <numbers>
#include <random>

namespace orthochron {
namespace {

// A stroke of 64 ms that begins `begins` after the middle, over noise.
std::vector<float> stroke(double begins, double hertz, double attack, unsigned seed)
{
    std::mt19937 random(seed);
    std::normal_distribution<double> noise(0.0, 1e-4);
    std::vector<float> samples(6144);
    for (std::size_t n = 0; n < samples.size(); ++n) {
        const double t = (static_cast<double>(n) - 3072.0) / kRate.count() - begins;
        const double tone = t < 0.0 ? 0.0
                                    : 0.5 * (1.0 - std::exp(-t / attack)) * std::exp(-t / 0.05) *
                                          std::sin(2.0 * std::numbers::pi * hertz * t);
        samples[n] = static_cast<float>(tone + noise(random));
    }
    return samples;
}

std::vector<FoundAttack> foundAtTheirCentres(const std::vector<AttackTrace>& traces)
{
    std::vector<FoundAttack> attacks;
    for (const AttackTrace& trace : traces) {
        attacks.push_back({&trace, Seconds(0.0)});
    }
    return attacks;
}

TEST(AttackShapes, ATraceSaysTheLevelInSteps)
{
    const auto samples = stroke(0.0, 800.0, 0.0005, 1);
    const AttackTrace trace = traceOf(samples, kRate, Frames(3072));
    const auto& levels = trace.levels[0];
    const std::size_t middle = AttackTrace::kBefore;
    // Of noise at -80 dB before, of half of full scale after.
    EXPECT_LT(levels[middle - 4], 110);
    EXPECT_GT(levels[middle + 8], 180);
    // What lies outside the samples is silence.
    EXPECT_EQ(traceOf(samples, kRate, Frames(-100000)).levels[0][0], 0);
    EXPECT_EQ(traceOf({}, kRate, Frames(0)).levels[1][AttackTrace::kSteps - 1], 0);
}

TEST(AttackShapes, FewStrokesSayNothingOfEachOther)
{
    const AttackTrace trace = traceOf(stroke(0.0, 800.0, 0.0005, 1), kRate, Frames(3072));
    const std::vector<FoundAttack> attacks(5, FoundAttack{&trace, Seconds(0.0)});
    for (const auto& start : startsByShape(attacks)) {
        EXPECT_FALSE(start);
    }
    EXPECT_TRUE(startsByShape({}).empty());
}

TEST(AttackShapes, AStrokeFoundLateBeginsAsTheOthersOfItsKind)
{
    std::vector<AttackTrace> traces;
    for (unsigned i = 0; i < 40; ++i) {
        // Two kinds by turns. Every fifth was found 5 ms late, and its trace lies there.
        const double late = i % 5 == 0 ? 0.005 : 0.0;
        const auto samples =
            i % 2 == 0 ? stroke(-late, 800.0, 0.0005, i) : stroke(-late, 210.0, 0.004, i);
        traces.push_back(traceOf(samples, kRate, Frames(3072)));
    }
    std::vector<FoundAttack> attacks = foundAtTheirCentres(traces);
    // One that nothing was learned from is placed all the same.
    attacks[20].isSure = false;
    const auto starts = startsByShape(attacks);
    for (std::size_t i = 0; i < starts.size(); ++i) {
        const double start = starts[i].value_or(Seconds(0.0)).count();
        EXPECT_NEAR(start, i % 5 == 0 ? -0.005 : 0.0, 0.0006) << i;
    }
}

// Noise that begins `begins` after the middle and dies away, as a cymbal's does.
void addCymbal(std::vector<float>& samples, double begins, unsigned seed, double loud = 0.02)
{
    std::mt19937 random(seed);
    std::normal_distribution<double> noise(0.0, loud);
    for (std::size_t n = 0; n < samples.size(); ++n) {
        const double t = (static_cast<double>(n) - 3072.0) / kRate.count() - begins;
        samples[n] += t < 0.0 ? 0.0F : static_cast<float>(noise(random) * std::exp(-t / 0.2));
    }
}

// Where strokes of one kind begin of which every fifth was found so much late, under what rings on.
std::vector<double> startsOfThoseFoundLate(double late, double hertz = 210.0, double attack = 0.004)
{
    std::vector<AttackTrace> traces;
    for (unsigned i = 0; i < 40; ++i) {
        auto samples = stroke(i % 5 == 0 ? -late : 0.0, hertz, attack, i);
        if (i % 5 == 0) {
            addCymbal(samples, -0.05, i + 100, 0.08);
        }
        traces.push_back(traceOf(samples, kRate, Frames(3072)));
    }
    std::vector<FoundAttack> attacks = foundAtTheirCentres(traces);
    const auto all = startsByShape(attacks);
    std::vector<double> starts;
    for (std::size_t i = 0; i < all.size(); i += 5) {
        starts.push_back(all[i].value_or(Seconds(0.0)).count());
    }
    return starts;
}

TEST(AttackShapes, AStrokeFoundAtItsBodyBeginsAsFarAheadAsItsKind)
{
    for (const double start : startsOfThoseFoundLate(0.011)) {
        EXPECT_NEAR(start, -0.011, 0.0011);
    }
}

// The ring leaves little of how it rises, but what it is made of is explained.
TEST(AttackShapes, AStrokeItsKindExplainsIsMovedFarAhead)
{
    for (const double start : startsOfThoseFoundLate(0.0105, 800.0, 0.0005)) {
        EXPECT_NEAR(start, -0.0105, 0.0011);
    }
}

TEST(AttackShapes, WhatLiesFurtherAheadThanIsLookedForStaysWhereItWasFound)
{
    const auto starts = startsOfThoseFoundLate(0.0145);
    EXPECT_LE(std::ranges::count_if(starts, [](double start) { return start < -0.003; }), 1);
}

TEST(AttackShapes, ALowDrumBeginsWithItselfAndNotWithTheCymbalBeforeIt)
{
    std::vector<AttackTrace> traces;
    std::vector<double> cymbals;
    for (unsigned i = 0; i < 40; ++i) {
        auto samples = stroke(0.0, 70.0, 0.0005, i);
        cymbals.push_back(i % 6 == 0 ? -0.003 - 0.0006 * (i / 6) : 0.0);
        if (cymbals.back() < 0.0) {
            addCymbal(samples, cymbals.back(), i);
        }
        traces.push_back(traceOf(samples, kRate, Frames(3072)));
    }
    std::vector<FoundAttack> attacks;
    for (std::size_t i = 0; i < traces.size(); ++i) {
        attacks.push_back({&traces[i], Seconds(cymbals[i])});
    }
    const auto starts = startsByShape(attacks);
    for (std::size_t i = 0; i < starts.size(); ++i) {
        EXPECT_NEAR(starts[i].value_or(attacks[i].start).count(), 0.0, 0.0011) << i;
    }
}

TEST(AttackShapes, AStrokeHardlyBeginsWhereAnotherDrumIsKnownToArrive)
{
    std::vector<AttackTrace> traces;
    std::vector<double> hats;
    for (unsigned i = 0; i < 40; ++i) {
        // Half of them follow a hat that is loud beside them, and were found where that comes.
        auto samples = stroke(0.0, 300.0, 0.002, i);
        hats.push_back(i % 2 == 0 ? -0.004 - 0.0001 * i : 0.0);
        if (hats.back() < 0.0) {
            addCymbal(samples, hats.back(), i);
        }
        traces.push_back(traceOf(samples, kRate, Frames(3072)));
    }
    const auto worst = [&](bool isToldOfHats) {
        std::vector<FoundAttack> attacks;
        for (std::size_t i = 0; i < traces.size(); ++i) {
            attacks.push_back({&traces[i], Seconds(hats[i])});
            if (isToldOfHats && hats[i] < 0.0) {
                attacks.back().othersBlows.push_back(Seconds(hats[i] - 0.001));
            }
        }
        const auto starts = startsByShape(attacks);
        double most = 0.0;
        for (std::size_t i = 0; i < starts.size(); ++i) {
            most = std::max(most, std::abs(starts[i].value_or(attacks[i].start).count()));
        }
        return most;
    };
    EXPECT_GT(worst(false), 0.003);
    EXPECT_LT(worst(true), 0.0011);
}

TEST(AttackShapes, AKindWhoseClickIsHiddenBeginsAsTheSameStrokesInTheClear)
{
    constexpr double kClickAhead = 0.0025;
    std::vector<AttackTrace> traces;
    std::vector<FoundAttack> attacks;
    for (unsigned i = 0; i < 48; ++i) {
        auto samples = stroke(0.0, 300.0, 0.001, i);
        const auto click = stroke(-kClickAhead, 3000.0, 0.0002, i);
        std::ranges::transform(samples, click, samples.begin(), [](float body, float ahead) {
            return body + 0.05F * ahead;
        });
        // Just before every third something else is struck, under which it was found at its body.
        if (i % 3 == 0) {
            addCymbal(samples, -0.006 - 0.0001 * (i % 7), i, 0.1);
        }
        traces.push_back(traceOf(samples, kRate, Frames(3072)));
    }
    for (unsigned i = 0; i < 48; ++i) {
        attacks.push_back({&traces[i], Seconds(i % 3 == 0 ? 0.0 : -kClickAhead)});
    }
    const auto starts = startsByShape(attacks);
    for (std::size_t i = 0; i < starts.size(); ++i) {
        EXPECT_NEAR(starts[i].value_or(attacks[i].start).count(), -kClickAhead, 0.0008) << i;
    }
}

TEST(AttackShapes, AFewFoundTooEarlyAreOutvotedByTheSameStrokesOfAnotherLevel)
{
    constexpr unsigned kLoud = 40;
    constexpr unsigned kSoft = 13;
    std::vector<AttackTrace> traces;
    for (unsigned i = 0; i < kLoud + kSoft; ++i) {
        auto samples = stroke(0.0, 210.0, 0.004, i);
        for (float& sample : samples) {
            sample *= i < kLoud ? 1.0F : 0.2F;
        }
        traces.push_back(traceOf(samples, kRate, Frames(3072)));
    }
    std::vector<FoundAttack> attacks = foundAtTheirCentres(traces);
    // Of the soft ones alone it is enough of them to say where their kind begins.
    for (unsigned i = kLoud; i < kLoud + 5; ++i) {
        attacks[i].start = milliseconds(-3.5);
    }
    const auto starts = startsByShape(attacks);
    for (std::size_t i = 0; i < starts.size(); ++i) {
        EXPECT_NEAR(starts[i].value_or(attacks[i].start).count(), 0.0, 0.0006) << i;
    }
}

TEST(AttackShapes, AKindBeginsWhereManyOfItRiseAhead)
{
    constexpr double kAhead = -0.005;
    std::vector<AttackTrace> traces;
    for (unsigned i = 0; i < 30; ++i) {
        auto samples = stroke(0.0, 400.0, 0.0005, i);
        const auto touch = stroke(kAhead, 900.0, 0.0005, i + 100);
        for (std::size_t n = 0; n < samples.size(); ++n) {
            samples[n] += 0.1F * touch[n];
        }
        traces.push_back(traceOf(samples, kRate, Frames(3072)));
    }
    const auto startsWhen = [&](unsigned every) {
        std::vector<FoundAttack> attacks;
        for (unsigned i = 0; i < traces.size(); ++i) {
            attacks.push_back({&traces[i], Seconds(0.0)});
            if (i % every == 0) {
                attacks.back().ahead.push_back(Seconds(kAhead));
            }
        }
        return startsByShape(attacks);
    };
    for (const auto& start : startsWhen(2)) {
        EXPECT_NEAR(start.value_or(Seconds(0.0)).count(), kAhead, 0.0006);
    }
    // What rises ahead of a few says nothing of the others.
    for (const auto& start : startsWhen(6)) {
        EXPECT_NEAR(start.value_or(Seconds(0.0)).count(), 0.0, 0.0006);
    }
}

// From the middle on, as loud as a stroke and quiet again before `over` seconds have gone.
void addFirstSwing(std::vector<float>& samples, double over)
{
    for (std::size_t n = 3072;
         toSeconds(Frames(static_cast<std::int64_t>(n) - 3072), kRate).count() < over;
         ++n) {
        const double t = static_cast<double>(n - 3072) / kRate.count();
        const double level = 0.5 * std::cos(0.5 * std::numbers::pi * t / over);
        samples[n] +=
            static_cast<float>(level * level * 2.0 * std::sin(2.0 * std::numbers::pi * 210.0 * t));
    }
}

// A slap among plain strokes: it speaks at once, holds its breath and sounds like the others 2 ms later.
// What is louder there than in its kind could be bleed; that it begins then would be said of no slap.
TEST(AttackShapes, AStrokeThatIsUnderWayInFullBeginsWhereItWasFound)
{
    const auto startOfSlap = [](double click) {
        std::vector<AttackTrace> traces;
        for (unsigned i = 0; i < 40; ++i) {
            const bool isSlap = i % 10 == 0;
            auto samples = stroke(isSlap ? 0.002 : 0.0, 800.0, 0.0003, i);
            for (std::size_t n = 3072; isSlap && n < 3072 + 96; ++n) {
                const double t = static_cast<double>(n - 3072) / kRate.count();
                samples[n] += static_cast<float>(
                    click * std::exp(-t / 0.0006) * std::sin(2.0 * std::numbers::pi * 900.0 * t)
                );
            }
            traces.push_back(traceOf(samples, kRate, Frames(3072)));
        }
        std::vector<FoundAttack> attacks = foundAtTheirCentres(traces);
        const auto starts = startsByShape(attacks);
        std::vector<double> slaps;
        for (std::size_t i = 0; i < starts.size(); ++i) {
            const double start = starts[i].value_or(Seconds(0.0)).count();
            if (i % 10 == 0) {
                slaps.push_back(start);
            } else {
                EXPECT_NEAR(start, 0.0, 0.0006) << i;
            }
        }
        return slaps;
    };
    for (const double start : startOfSlap(0.35)) {
        EXPECT_NEAR(start, 0.0, 0.0006);
    }
    // So soft a click is somebody else's.
    for (const double start : startOfSlap(0.02)) {
        EXPECT_NEAR(start, 0.002, 0.0006);
    }
}

// A kick that sways: the others mostly follow something that rings, so that a swing of one out of silence, with a quiet
// as deep as theirs before it, looks more like them than its beginning does.
TEST(AttackShapes, AStrokeThatSwaysBeginsWithItsFirstSwing)
{
    constexpr double kSwing = 0.008;
    std::vector<AttackTrace> traces;
    for (unsigned i = 0; i < 40; ++i) {
        const bool isSwaying = i % 10 == 0;
        auto samples = stroke(isSwaying ? kSwing : 0.0, 210.0, 0.0005, i);
        if (isSwaying) {
            addFirstSwing(samples, kSwing);
        } else {
            addCymbal(samples, -0.05, i + 100, 0.03);
        }
        traces.push_back(traceOf(samples, kRate, Frames(3072)));
    }
    const auto starts = startsByShape(foundAtTheirCentres(traces));
    for (std::size_t i = 0; i < starts.size(); i += 10) {
        EXPECT_NEAR(starts[i].value_or(Seconds(0.0)).count(), 0.0, 0.0006) << i;
    }
}

// Two modes that beat, from `begins` after the middle on.
void addBeating(std::vector<float>& samples, double begins, double beats, double loud, double dying)
{
    for (std::size_t n = 0; n < samples.size(); ++n) {
        const double t = (static_cast<double>(n) - 3072.0) / kRate.count() - begins;
        const double tone =
            std::sin(2.0 * std::numbers::pi * 1000.0 * t) * std::cos(std::numbers::pi * beats * t);
        samples[n] += t < 0.0 ? 0.0F : static_cast<float>(loud * std::exp(-t / dying) * tone);
    }
}

// Soft strokes of a roll, in what rings of a loud one 48 ms and more before: they are of no kind there is.
TEST(AttackShapes, WhatNoKindExplainsIsNotMovedFarAhead)
{
    std::vector<AttackTrace> traces;
    for (unsigned i = 0; i < 64; ++i) {
        std::vector<float> samples(6144);
        addCymbal(samples, -1.0, i, 0.01);
        if (i % 8 == 0) {
            addBeating(samples, -0.048 - 0.0007 * (i / 8), 350.0, 0.4, 0.2);
            addBeating(samples, 0.0, 300.0, 0.1, 0.05);
        } else {
            addBeating(samples, 0.0, 350.0, 0.4, 0.05);
        }
        traces.push_back(traceOf(samples, kRate, Frames(3072)));
    }
    const auto starts = startsByShape(foundAtTheirCentres(traces));
    for (std::size_t i = 0; i < starts.size(); i += 8) {
        EXPECT_GT(starts[i].value_or(Seconds(0.0)).count(), -0.004) << i;
    }
}

// A hat that is played on, so that nearly every stroke follows another's ring: what is before them says nothing of one
// that is struck out of silence.
TEST(AttackShapes, AStrokeOutOfSilenceBeginsWhereItWasFoundWhenItsKindIsAlwaysHidden)
{
    std::vector<AttackTrace> traces;
    for (unsigned i = 0; i < 48; ++i) {
        std::vector<float> samples(6144);
        if (i % 12 != 0) {
            addCymbal(samples, -0.03, i + 50, 0.1);
        }
        addCymbal(samples, 0.0, 7, 0.1);  // the stick, and then the foot
        addCymbal(samples, 0.004, 8, 0.06);
        traces.push_back(traceOf(samples, kRate, Frames(3072)));
    }
    const auto starts = startsByShape(foundAtTheirCentres(traces));
    for (std::size_t i = 0; i < starts.size(); i += 12) {
        EXPECT_NEAR(starts[i].value_or(Seconds(0.0)).count(), 0.0, 0.0006) << i;
    }
}

// Strokes whose soft touch drowns in what always rings: of half it was found, as near as that can be heard there, the others
// were found at their body.
TEST(AttackShapes, WhatIsAlwaysHiddenBeginsWhereItWasFoundHereAndThere)
{
    constexpr double kTouch = 0.003;
    std::vector<AttackTrace> traces;
    std::vector<double> begins;
    for (unsigned i = 0; i < 48; ++i) {
        const double off = 0.00025 * static_cast<double>(i / 2 % 9) - 0.001;
        begins.push_back(i % 2 == 0 ? -kTouch : -off);
        auto samples = stroke(begins.back() + kTouch, 800.0, 0.0005, i);
        addCymbal(samples, -0.05, i + 100, 0.09);
        traces.push_back(traceOf(samples, kRate, Frames(3072)));
    }
    const auto starts = startsByShape(foundAtTheirCentres(traces));
    for (std::size_t i = 0; i < starts.size(); ++i) {
        EXPECT_NEAR(starts[i].value_or(Seconds(0.0)).count(), begins[i], 0.0016) << i;
    }
}

}  // namespace
}  // namespace orthochron
