#include "core/fit/Roles.h"

#include <gtest/gtest.h>

#include "testkit/Rate.h"

#include <algorithm>
#include <cmath>

// Which blow is meant for a line, and which goes with another.
namespace orthochron {
namespace {

constexpr Seconds kStep{0.163};  // a sixteenth at 92 bpm

PlayedHit at(double seconds, double strength = 1.0, int lead = 0)
{
    PlayedHit hit;
    hit.lead = lead;
    hit.start = toFrames(Seconds(seconds), kRate);
    hit.beatPoint = hit.start;
    hit.strength = strength;
    return hit;
}

// Bars of four beats from the start of the song.
GridThere there(Seconds at, Seconds step)
{
    return {step, std::fmod(at / step, 16.0)};
}

std::vector<JudgedHit> roles(std::vector<PlayedHit> hits)
{
    return assignRoles(
        std::move(hits), [](Seconds at) { return there(at, kStep); }, kRate
    );
}

TEST(Roles, ABlowOnItsOwnIsMain)
{
    const auto hits = roles({at(1.0), at(2.0, 0.6), at(3.0, 0.9)});
    for (std::size_t i = 0; i < hits.size(); ++i) {
        EXPECT_EQ(hits[i].role, HitRole::Main);
        EXPECT_EQ(hits[i].main, i);
    }
}

TEST(Roles, AGhostGoesWithAFullBlow)
{
    const auto hits = roles({at(1.0), at(1.326, 0.04), at(1.652), at(2.304)});
    EXPECT_EQ(hits[1].role, HitRole::Attached);
    EXPECT_EQ(hits[hits[1].main].role, HitRole::Main);
}

TEST(Roles, AGhostIsOneWhereItsDrumPlaysNothingElseToo)
{
    // For ten seconds the snare whispers beside the kick, where it plays no full blow otherwise; a section that is played
    // somewhat softer is none of ghosts.
    std::vector<PlayedHit> played;
    for (int bar = 0; bar < 12; ++bar) {
        const double at0 = 2.6 * bar;
        const bool isWhispered = bar >= 4 && bar < 8;
        played.push_back(at(at0, 0.9, 0));
        played.push_back(isWhispered ? at(at0 + 0.815, 0.2, 1) : at(at0 + 0.652, 0.9, 1));
        played.push_back(at(at0 + 1.3, bar >= 8 ? 0.47 : 0.9, 0));
    }
    const auto hits = roles(played);
    for (const JudgedHit& hit : hits) {
        const bool isGhost = hit.played.strength == 0.2;
        EXPECT_EQ(hit.role, isGhost ? HitRole::Attached : HitRole::Main);
    }
}

TEST(Roles, GhostsAreToldByTheGapBelowFullBlows)
{
    // Backbeats, and between them strokes of one of two strengths: how many of these are ghosts.
    const auto ghostsAmong = [](double softer, double softest) {
        std::vector<PlayedHit> played;
        for (int beat = 2; beat < 42; ++beat) {
            played.push_back(at(0.652 * beat, beat % 4 < 2 ? 0.85 : 1.0));
            played.push_back(at(0.652 * beat + 0.326, beat % 2 == 0 ? softer : softest));
        }
        return std::ranges::count(roles(played), HitRole::Attached, &JudgedHit::role);
    };
    // 8.4 and 9.6 dB, and nothing between them and the blows.
    EXPECT_EQ(ghostsAmong(0.38, 0.33), 40);
    // Blows 6.5 dB softer, and a gap below them.
    EXPECT_EQ(ghostsAmong(0.47, 0.25), 20);
    EXPECT_EQ(ghostsAmong(0.6, 0.55), 0);
    EXPECT_EQ(ghostsAmong(0.2, 0.15), 40);
}

// A verse with the side stick: as soft as ghosts, but on the backbeats that the snare has elsewhere.
TEST(Roles, SoftBlowsThatTakeThePlaceOfFullOnesAreMain)
{
    constexpr double kBeat = 4 * kStep.count();
    const auto softAndMain = [&](int softBars, bool isBesideFull) {
        std::vector<PlayedHit> played;
        for (int bar = 0; bar < 16; ++bar) {
            const bool isSoft = bar >= 4 && bar < 4 + softBars;
            for (const int beat : {1, 3}) {
                const double backbeat = (4 * bar + beat) * kBeat;
                played.push_back(at(backbeat, isSoft ? 0.2 : 0.9));
                played.push_back(at(backbeat + 0.75 * kBeat, 0.15));
                if (isSoft && isBesideFull) {
                    played.push_back(at(backbeat + 0.5 * kBeat, 0.9));
                }
            }
        }
        return std::ranges::count_if(roles(played), [](const JudgedHit& hit) {
            return hit.played.strength == 0.2 && hit.role == HitRole::Main;
        });
    };
    EXPECT_EQ(softAndMain(6, false), 12);
    // Where a full blow is near they are ghosts beside it.
    EXPECT_EQ(softAndMain(6, true), 0);
    // Where the drum is mostly soft it is no place of full blows.
    EXPECT_EQ(softAndMain(10, false), 0);
}

TEST(Roles, OneOrTwoSoftStrokesAmongHundredAreBlowsToo)
{
    const auto ghostsOf = [](int soft) {
        std::vector<PlayedHit> played;
        for (int beat = 2; beat < 102; ++beat) {
            const bool isSoft = beat % 20 == 7 && beat < 20 * soft;
            played.push_back(isSoft ? at(0.652 * beat + 0.326, 0.3) : at(0.652 * beat, 1.0));
        }
        return std::ranges::count(roles(played), HitRole::Attached, &JudgedHit::role);
    };
    EXPECT_EQ(ghostsOf(2), 0);
    EXPECT_EQ(ghostsOf(5), 5);
}

TEST(Roles, AreGivenInOrderOfTimeWhateverTheOrderTheyCome)
{
    const auto hits = roles({at(3.0), at(1.0), at(2.0)});
    ASSERT_EQ(hits.size(), 3U);
    EXPECT_LT(hits[0].played.start, hits[1].played.start);
    EXPECT_LT(hits[1].played.start, hits[2].played.start);
}

TEST(Roles, AGraceStrokeGoesWithTheBlowAfterIt)
{
    const auto hits = roles({at(1.0), at(1.970, 0.25), at(2.0), at(3.0)});
    EXPECT_EQ(hits[1].role, HitRole::Attached);
    EXPECT_EQ(hits[1].main, 2U);
    EXPECT_EQ(hits[2].role, HitRole::Main);
}

TEST(Roles, WhatAnotherDrumIsStruckWithIsTheBlowAfterADragHeardAsFull)
{
    const auto mainOf = [](double kick, double second) {
        const auto hits =
            roles({at(1.0), at(2.0, 0.9), at(2.06, second), at(kick, 1.0, 1), at(3.0)});
        const auto drag = std::ranges::find_if(hits, [](const JudgedHit& hit) {
            return hit.played.strength == 0.9;
        });
        return hits[drag->main].played.start;
    };
    EXPECT_EQ(mainOf(2.063, 0.8), toFrames(Seconds(2.06), kRate));
    EXPECT_EQ(mainOf(2.003, 0.8), toFrames(Seconds(2.0), kRate));
    // What is much softer bounced.
    EXPECT_EQ(mainOf(2.063, 0.4), toFrames(Seconds(2.0), kRate));
}

TEST(Roles, TheLouderStrokeOfAFlamIsTheBlowByHoweverLittle)
{
    const auto mainOf = [](double apart, double first, double second) {
        return roles({at(1.0), at(2.0, first), at(2.0 + apart, second), at(3.0)})[1].main;
    };
    EXPECT_EQ(mainOf(0.030, 0.8, 0.85), 2U);
    EXPECT_EQ(mainOf(0.030, 0.85, 0.8), 1U);
    // Further apart two of about the same strength are a short roll.
    EXPECT_EQ(mainOf(0.080, 0.8, 0.85), 1U);
    EXPECT_EQ(mainOf(0.080, 0.5, 0.85), 2U);
}

TEST(Roles, TwoLeadsOfOneMomentAreOneAndTheFirstNamedRules)
{
    const auto hits = roles({at(1.0, 1.0, 1), at(1.008, 0.8, 0), at(2.0, 1.0, 1)});
    EXPECT_EQ(hits[0].role, HitRole::Attached);
    EXPECT_EQ(hits[0].main, 1U);
    EXPECT_EQ(hits[1].role, HitRole::Main);
    // Just beyond one moment both are meant.
    const auto apart = roles({at(1.0, 1.0, 1), at(1.08, 0.8, 0)});
    EXPECT_EQ(apart[0].role, HitRole::Main);
    EXPECT_EQ(apart[1].role, HitRole::Main);
}

TEST(Roles, AnAttachedHitNeverHasAnAttachedMain)
{
    std::vector<PlayedHit> played;
    for (int i = 0; i < 200; ++i) {
        const double jitter = 0.01 * static_cast<double>(i * 7919 % 13);
        played.push_back(at(0.05 * i + jitter, 0.1 + 0.07 * (i * 31 % 13), i % 3));
    }
    const auto hits = roles(std::move(played));
    int mains = 0;
    for (const JudgedHit& hit : hits) {
        EXPECT_EQ(hits[hit.main].role, HitRole::Main);
        mains += hit.role == HitRole::Main ? 1 : 0;
    }
    EXPECT_GT(mains, 20);
    EXPECT_TRUE(roles({}).empty());
}

TEST(Roles, ARollGoesWithTheBlowItLeadsUpToAtItsOwnPace)
{
    // The last gap is longer than three fifths of a step, but not than the roll's own pace nearly half over.
    const auto hits =
        roles({at(1.0), at(1.500, 0.5), at(1.580, 0.45), at(1.662, 0.55), at(1.765), at(2.4)});
    for (std::size_t i = 1; i < 4; ++i) {
        EXPECT_EQ(hits[i].role, HitRole::Attached) << i;
        EXPECT_EQ(hits[i].main, 4U) << i;
    }
    EXPECT_EQ(hits[4].role, HitRole::Main);
    EXPECT_EQ(hits[4].main, 4U);
    // A stroke a whole step later is one of its own.
    const auto apart =
        roles({at(1.0), at(1.500, 0.5), at(1.580, 0.45), at(1.662, 0.55), at(1.825), at(2.4)});
    EXPECT_EQ(apart[4].main, 4U);
    EXPECT_EQ(apart[1].main, 1U);
    EXPECT_EQ(apart[3].main, 1U);
}

TEST(Roles, ALongRollLeadsUpToALastStrokeThatLiesWholeStepsAfterItsFirst)
{
    const auto hits = roles(
        {at(1.0),
         at(1.5, 0.5),
         at(1.58, 0.4),
         at(1.66, 0.48),
         at(1.74, 0.4),
         at(1.825, 0.47),
         at(2.4)}
    );
    EXPECT_EQ(hits[5].role, HitRole::Main);
    EXPECT_EQ(hits[1].main, 5U);
    EXPECT_EQ(hits[4].main, 5U);
    // Half a step off it lies on no line, and a soft one is led up to by nothing.
    const auto even =
        roles({at(1.0), at(1.5, 0.5), at(1.58, 0.4), at(1.66, 0.48), at(1.74, 0.47), at(2.4)});
    EXPECT_EQ(even[1].role, HitRole::Main);
    EXPECT_EQ(even[4].main, 1U);
    const auto soft = roles(
        {at(1.0),
         at(1.5, 0.5),
         at(1.58, 0.4),
         at(1.66, 0.48),
         at(1.74, 0.4),
         at(1.825, 0.3),
         at(2.4)}
    );
    EXPECT_EQ(soft[1].role, HitRole::Main);
}

TEST(Roles, ASoftRollMayLeadUpToAnotherDrum)
{
    const auto hits =
        roles({at(1.0), at(1.500, 0.5), at(1.580, 0.45), at(1.662, 0.5), at(1.745, 1.0, 1), at(2.4)}
        );
    for (std::size_t i = 1; i < 4; ++i) {
        EXPECT_EQ(hits[i].role, HitRole::Attached) << i;
        EXPECT_EQ(hits[i].main, 4U) << i;
    }
    // Its own last stroke, drowned in the other drum's blow, arrives with that.
    const auto together = roles(
        {at(1.0),
         at(1.500, 0.5),
         at(1.580, 0.45),
         at(1.662, 0.5),
         at(1.745, 1.0, 1),
         at(1.751, 0.55),
         at(2.4)}
    );
    for (const std::size_t i : {1U, 2U, 3U, 5U}) {
        EXPECT_EQ(together[i].main, 4U) << i;
    }
    // A loud blow with strokes after it rules them, whatever drum follows.
    const auto after =
        roles({at(1.0), at(1.500), at(1.580, 0.45), at(1.662, 0.5), at(1.745, 1.0, 1), at(2.4)});
    EXPECT_EQ(after[1].role, HitRole::Main);
    EXPECT_EQ(after[3].main, 1U);
    // Another drum that is late for it is none that it leads to, nor is a ghost.
    const auto late =
        roles({at(1.0), at(1.500, 0.5), at(1.580, 0.45), at(1.662, 0.5), at(1.795, 1.0, 1), at(2.4)}
        );
    EXPECT_EQ(late[3].main, 1U);
    const auto ghost = roles(
        {at(1.0, 1.0, 1),
         at(1.500, 0.5),
         at(1.580, 0.45),
         at(1.662, 0.5),
         at(1.745, 0.1, 1),
         at(2.0),
         at(2.4, 1.0, 1)}
    );
    EXPECT_EQ(ghost[3].main, ghost[1].main);
    EXPECT_NE(ghost[3].main, 4U);
}

// Eight bars at 158 bpm of a blow every second step, and after that of some step another at once.
std::vector<JudgedHit> withASecond(const std::vector<double>& of, Seconds after, double strength)
{
    constexpr Seconds kShort{0.095};
    std::vector<PlayedHit> played;
    for (int step = 16; step < 16 * 9; step += 2) {
        const double time = step * kShort.count();
        played.push_back(at(time));
        if (std::ranges::find(of, step) != of.end()) {
            played.push_back(at(time + after.count(), strength));
        }
    }
    return assignRoles(
        std::move(played), [](Seconds time) { return there(time, kShort); }, kRate
    );
}

std::ptrdiff_t attachedOf(const std::vector<JudgedHit>& hits)
{
    return std::ranges::count(hits, HitRole::Attached, &JudgedHit::role);
}

TEST(Roles, OfTwoFullBlowsOneMayHaveGoneAstray)
{
    const auto hits = withASecond({36}, milliseconds(52.0), 0.9);
    EXPECT_EQ(attachedOf(hits), 0);
    EXPECT_EQ(hits.size(), 65U);
    // A soft one is none, nor is what follows so soon that it would lie too far from the next line.
    EXPECT_EQ(attachedOf(withASecond({36}, milliseconds(52.0), 0.5)), 1);
    EXPECT_EQ(attachedOf(withASecond({36}, milliseconds(34.0), 0.9)), 1);
    // Who means it does it again, there in another bar; elsewhere in it that is another mistake.
    EXPECT_EQ(attachedOf(withASecond({36, 68}, milliseconds(52.0), 0.9)), 2);
    EXPECT_EQ(attachedOf(withASecond({36, 70}, milliseconds(52.0), 0.9)), 0);
}

TEST(Roles, AFlamIsOneHoweverFullItsGraceStroke)
{
    const auto flam = [](double ahead) {
        const double step = 0.1;
        std::vector<PlayedHit> played{at(1.6), at(2.0), at(2.4 - ahead, 0.7), at(2.4), at(2.8)};
        const auto hits = assignRoles(
            played, [&](Seconds time) { return there(time, Seconds(step)); }, kRate
        );
        return hits[2].role;
    };
    EXPECT_EQ(flam(0.043), HitRole::Attached);
    EXPECT_EQ(flam(0.052), HitRole::Main);
    // On slow steps half of one is no mistake.
    EXPECT_EQ(attachedOf(roles({at(1.0), at(2.0), at(2.09), at(3.0)})), 1);
}

// Whose second stroke was not heard.
TEST(Roles, OfTwoStrokesAtOnceThatNearerToALineIsTheBlow)
{
    // Where the player is, not where the grid is.
    for (const double late : {-0.06, 0.0, 0.07}) {
        for (const bool isSecond : {false, true}) {
            std::vector<PlayedHit> played;
            for (int step = 8; step < 24; step += 2) {
                played.push_back(at(kStep.count() * step + late));
            }
            const double line = kStep.count() * 16.0 + late;
            played.push_back(at(isSecond ? line - 0.06 : line + 0.06, 0.95));
            const auto hits = roles(played);
            EXPECT_EQ(attachedOf(hits), 1);
            EXPECT_EQ(hits[4].role == HitRole::Attached, isSecond) << late;
            EXPECT_EQ(hits[5].role == HitRole::Main, isSecond) << late;
        }
    }
}

TEST(Roles, ADragGoesWithItsBlow)
{
    const auto drag = [](double ahead, double strength, Seconds step) {
        std::vector<PlayedHit> played;
        for (int i = 1; i < 40; ++i) {  // so many that one soft stroke is no ghost
            played.push_back(at(0.4 * i));
        }
        played.push_back(at(2.4 - ahead, strength));
        return assignRoles(
                   played, [&](Seconds time) { return there(time, step); }, kRate
        )[5]
            .role;
    };
    constexpr Seconds kUsual{0.1};
    EXPECT_EQ(drag(0.065, 0.4, kUsual), HitRole::Attached);
    EXPECT_EQ(drag(0.065, 0.55, kUsual), HitRole::Main);
    EXPECT_EQ(drag(0.074, 0.4, Seconds(0.11)), HitRole::Main);
    EXPECT_EQ(drag(0.065, 0.4, Seconds(0.09)), HitRole::Main);
}

TEST(Roles, ThreeFullStrokesOrTwoAtOnceAreARollOnFastStepsToo)
{
    const auto attached = [](std::vector<PlayedHit> played) {
        constexpr Seconds kFast{0.08};
        return attachedOf(assignRoles(
            std::move(played), [](Seconds time) { return there(time, kFast); }, kRate
        ));
    };
    EXPECT_EQ(attached({at(1.6), at(2.4), at(2.445), at(3.2)}), 0);
    EXPECT_EQ(attached({at(1.6), at(2.4), at(2.43), at(3.2)}), 1);  // under two fifths of a step
    EXPECT_EQ(attached({at(1.6), at(2.4), at(2.445), at(2.485), at(3.2)}), 2);
}

TEST(Roles, SixteenthsAfterTheTempoDoublesAreNoRoll)
{
    // Sixteenths at 100 bpm, then at 200 bpm: half as far apart, and each on a line of its own.
    std::vector<PlayedHit> hits;
    Frames at(48000);
    for (int i = 0; i < 32; ++i) {
        PlayedHit hit;
        hit.start = hit.beatPoint = at;
        hits.push_back(hit);
        at += Frames(i < 16 ? 7200 : 3600);
    }
    const auto gridAt = [](Seconds time) {
        return there(time, Seconds(time.count() < 3.39 ? 0.15 : 0.075));
    };
    for (const JudgedHit& hit : assignRoles(hits, gridAt, kRate)) {
        EXPECT_EQ(hit.role, HitRole::Main);
    }
}

}  // namespace
}  // namespace orthochron
