#include "core/pitch/StrayHarmonics.h"

#include <gtest/gtest.h>

#include "core/pitch/Notes.h"
#include "testkit/Folder.h"
#include "testkit/Rate.h"

#include <cmath>
#include <numbers>

namespace orthochron {
namespace {

// Frames in a row of one pitch and power.
struct Held {
    std::size_t frames;
    double hertz;
    double power = 1.0;
};

std::vector<PitchFrame> curveOf(const std::vector<Held>& all)
{
    std::vector<PitchFrame> curve;
    for (const Held& held : all) {
        curve.insert(curve.end(), held.frames, {Hertz(held.hertz), 1.0, held.power});
    }
    return curve;
}

std::vector<double> takenIn(const std::vector<Held>& all)
{
    auto curve = curveOf(all);
    takeInStrayHarmonics(curve);
    std::vector<double> pitches;
    for (const PitchFrame& frame : curve) {
        pitches.push_back(frame.pitch.count());
    }
    return pitches;
}

std::vector<double> asFound(const std::vector<Held>& all)
{
    std::vector<double> pitches;
    for (const PitchFrame& frame : curveOf(all)) {
        pitches.push_back(frame.pitch.count());
    }
    return pitches;
}

TEST(StrayHarmonics, AnOctaveOrATwelfthAheadOfALongerNoteIsOfIt)
{
    for (const auto& [stray, taken] :
         {std::pair{110.0, 220.0},
          {111.0, 222.0},
          {220.0 / 3.0, 220.0},
          {440.0, 220.0},
          {660.0, 220.0}}) {
        const auto pitches = takenIn({{30, stray}, {60, 220.0}});
        for (std::size_t n = 0; n < 90; ++n) {
            EXPECT_NEAR(pitches[n], n < 30 ? taken : 220.0, 1e-9) << stray << ' ' << n;
        }
    }
}

TEST(StrayHarmonics, ANoteThatStartsALittleOffIsHeldByWhereItGoes)
{
    EXPECT_NEAR(takenIn({{30, 110.0}, {3, 231.0}, {57, 220.0}})[0], 220.0, 1e-9);
}

TEST(StrayHarmonics, AShortGapBetweenIsNoBeginning)
{
    EXPECT_NEAR(takenIn({{30, 110.0}, {4, 0.0}, {60, 220.0}})[0], 220.0, 1e-9);
    EXPECT_NEAR(takenIn({{30, 110.0}, {5, 0.0}, {60, 220.0}})[0], 110.0, 1e-9);
}

TEST(StrayHarmonics, WhatBeginsAnewIsANote)
{
    for (const auto& played :
         {std::vector<Held>{{30, 110.0}, {60, 220.0, 4.5}},
          {{30, 110.0}, {2, 110.0, 0.4}, {60, 220.0}}}) {
        EXPECT_EQ(takenIn(played), asFound(played));
    }
}

TEST(StrayHarmonics, AnotherIntervalALongOneOneThatGoesOnForLessAndOneBehindAreNotes)
{
    for (const auto& played :
         {std::vector<Held>{{30, 220.0}, {60, 330.0}},
          {{30, 55.0}, {60, 220.0}},
          {{30, 105.0}, {60, 220.0}},
          {{37, 110.0}, {60, 220.0}},
          {{11, 110.0}, {11, 220.0}},
          {{30, 110.0}, {29, 220.0}, {60, 165.0}},
          {{60, 220.0}, {30, 110.0}}}) {
        EXPECT_EQ(takenIn(played), asFound(played));
    }
}

// A reed whose every second period is a little weaker for 120 ms: it sounds an octave low, and is one note.
TEST(StrayHarmonics, AReedThatSpeaksAnOctaveLowAtFirstIsOneNote)
{
    const AudioBuffer sound = testkit::soundOf(1.2, [](std::int64_t n) {
        const double time = static_cast<double>(n) / kRate.count() - 0.2;
        if (time < 0.0 || time > 0.8) {
            return 0.0;
        }
        const double low = time < 0.12 ? 0.8 : 0.0;
        double value = 0.0;
        for (int k = 1; k <= 16; ++k) {
            const double size = k % 2 == 0 ? 2.0 : 2.0 * low;
            value += size / k * std::sin(2.0 * std::numbers::pi * 116.5 * k * time + 0.3 * k);
        }
        return 0.1 * value * std::min(1.0, time / 0.02);
    });
    const auto notes = notesOf(*pitchOf(channelOver(sound.channel(0)), kRate), kRate);
    ASSERT_EQ(notes.size(), 1U);
    EXPECT_EQ(notes.front().midi, 58);
    EXPECT_NEAR(toSeconds(notes.front().start, kRate).count(), 0.2, 0.03);
}

}  // namespace
}  // namespace orthochron
