#include "core/pitch/Notes.h"

#include <gtest/gtest.h>

#include "core/pitch/AnyVoice.h"
#include "core/tune/KeyGuess.h"
#include "testkit/Rate.h"
#include "testkit/Voice.h"

#include <cmath>
#include <numbers>
#include <random>

// Where notes begin and end, on sounds whose truth is known.
namespace orthochron {
namespace {

// A tone of twelve harmonics whose level is given by the second.
AudioBuffer tone(double hertz, double seconds, const std::function<double(double)>& level)
{
    AudioBuffer sound(1, toFrames(Seconds(seconds), kRate));
    for (std::size_t i = 0; i < sound.channel(0).size(); ++i) {
        const double time = static_cast<double>(i) / kRate.count();
        double value = 0.0;
        for (int k = 1; k <= 12; ++k) {
            value += std::sin(2.0 * std::numbers::pi * k * hertz * time + 0.5 * k) / k;
        }
        sound.channel(0)[i] = static_cast<float>(0.2 * level(time) * value);
    }
    return sound;
}

std::vector<Note> notesIn(const AudioBuffer& sound)
{
    return notesOf(*pitchOfAnyVoice(channelOver(sound.channel(0)), kRate), kRate);
}

double startOf(const Note& note)
{
    return toSeconds(note.start, kRate).count();
}

// 1 at a moment, and dying away to both sides of it.
double bulge(double time, double middle, double width)
{
    return std::exp(-0.5 * std::pow((time - middle) / width, 2.0));
}

// A tone of which so much is missing for a moment in its middle, and the breath of a tongue there.
AudioBuffer tongued(double hertz, double seconds, double missing, double width, double breath)
{
    const double middle = 0.5 * seconds;
    auto sound = tone(hertz, seconds, [&](double time) {
        return 1.0 - missing * bulge(time, middle, width);
    });
    std::mt19937 random(3);
    std::normal_distribution<double> noise;
    for (std::size_t i = 0; i < sound.channel(0).size(); ++i) {
        const double time = static_cast<double>(i) / kRate.count();
        sound.channel(0)[i] +=
            static_cast<float>(breath * noise(random) * bulge(time, middle, width));
    }
    return sound;
}

TEST(Notes, AToneThatIsTonguedAnewIsAnotherNote)
{
    // 6 dB down for a moment at 0.5 s, and its pitch lost in breath.
    const auto notes = notesIn(tongued(330.0, 1.0, 0.5, 0.012, 0.05));
    ASSERT_EQ(notes.size(), 2U);
    EXPECT_NEAR(startOf(notes[1]), 0.5, 0.02);
    EXPECT_EQ(notes[0].midi, notes[1].midi);
    // Or nearly silent for a moment, however clear it stays.
    const auto stopped = notesIn(tongued(330.0, 1.0, 0.8, 0.012, 0.0));
    ASSERT_EQ(stopped.size(), 2U);
    EXPECT_NEAR(startOf(stopped[1]), 0.5, 0.02);
}

TEST(Notes, AToneThatSwellsAgainByItselfIsOneNote)
{
    // What a bowed string's partials do to each other: 5 dB down for a moment, its pitch as clear as ever.
    EXPECT_EQ(notesIn(tongued(196.0, 1.2, 0.45, 0.015, 0.0)).size(), 1U);
    // Where its pitch starts a little to the side of it, it was begun anew.
    const auto dips = [](double cents) {
        std::vector<PitchFrame> curve(200, {Hertz(196.0), 1.0, 0.02});
        curve[100].power = 0.006;
        curve[101].pitch = Hertz(196.0 * std::exp2(cents / 1200.0));
        return notesOf(curve, kRate).size();
    };
    EXPECT_EQ(dips(5.0), 1U);
    EXPECT_EQ(dips(20.0), 2U);
    // Up again within 40 ms, after it had died away; as sure of its pitch as said at a frame.
    const auto rises = [](double quiet, double confidence, std::size_t at, std::size_t frames) {
        std::vector<PitchFrame> curve(frames, {Hertz(196.0), 1.0, 0.02});
        for (std::size_t n = 60; n < 108; ++n) {
            const double part = n < 100 ? 0.0 : static_cast<double>(n - 99) / 8.0;
            curve[n].power = quiet + (0.02 - quiet) * part;
        }
        curve[at].confidence = confidence;
        return notesOf(curve, kRate).size();
    };
    EXPECT_EQ(rises(0.004, 1.0, 103, 200), 1U);  // by 7 dB
    EXPECT_EQ(rises(0.004, 0.6, 103, 200), 2U);
    EXPECT_EQ(rises(0.004, 0.6, 110, 200), 2U);
    EXPECT_EQ(rises(0.002, 1.0, 103, 200), 2U);  // by 10 dB
    // Likewise where the recording ends with it.
    EXPECT_EQ(rises(0.004, 1.0, 103, 110), 1U);
}

TEST(Notes, ALowToneThatIsTonguedAnewBeginsWhereItDips)
{
    for (const double hertz : {49.0, 65.4, 98.0}) {
        const auto notes = notesIn(tongued(hertz, 1.4, 0.75, 0.016, 0.0));
        ASSERT_EQ(notes.size(), 2U) << hertz;
        EXPECT_NEAR(startOf(notes[1]), 0.7, 0.008) << hertz;
    }
}

TEST(Notes, AConsonantOnTheWayIntoAnotherPitchBeginsNoNoteOfItsOwn)
{
    // A dip of 4 dB at half a second, and so many frames later another pitch.
    const auto sung = [](std::size_t later) {
        std::vector<PitchFrame> curve(240, {Hertz(330.0), 1.0, 0.01});
        for (std::size_t n = 98; n <= 102; ++n) {
            curve[n].power = n == 100 ? 0.003 : 0.004;
            curve[n].confidence = 0.7;
        }
        for (std::size_t n = 100 + later; n < curve.size(); ++n) {
            curve[n].pitch = Hertz(415.3);
        }
        return notesOf(curve, kRate);
    };
    const auto soon = sung(13);
    ASSERT_EQ(soon.size(), 2U);
    EXPECT_NEAR(startOf(soon[1]), 0.565, 0.011);
    // Where the pitch stays for a while, what is tongued is a note.
    const auto late = sung(40);
    ASSERT_EQ(late.size(), 3U);
    EXPECT_NEAR(startOf(late[1]), 0.5, 0.011);
    EXPECT_NEAR(startOf(late[2]), 0.7, 0.011);
}

TEST(Notes, HangOffTheConcertPitchTheyAreAskedFor)
{
    const std::vector<PitchFrame> curve(200, {Hertz(442.0), 1.0, 0.01});
    const auto plain = notesOf(curve, kRate);
    const auto higher = notesOf(curve, kRate, Hertz(442.0));
    ASSERT_EQ(plain.size(), 1U);
    ASSERT_EQ(higher.size(), 1U);
    EXPECT_EQ(plain[0].midi, 69);
    EXPECT_EQ(higher[0].midi, 69);
    EXPECT_NEAR(plain[0].cents, 1200.0 * std::log2(442.0 / 440.0), 0.01);
    EXPECT_NEAR(higher[0].cents, 0.0, 0.01);
    EXPECT_EQ(plain[0].start, higher[0].start);
}

TEST(Notes, WhatSlidesIntoANoteBelongsToIt)
{
    const auto sung = [](double scoop, std::size_t frames) {
        std::vector<PitchFrame> curve(200, {Hertz(440.0), 1.0, 0.01});
        for (std::size_t n = 0; n < frames; ++n) {
            curve[n].pitch = Hertz(440.0 * std::exp2(scoop / 12.0));
        }
        return notesOf(curve, kRate);
    };
    const auto slid = sung(-1.0, 14);
    ASSERT_EQ(slid.size(), 1U);
    EXPECT_EQ(slid[0].midi, 69);
    EXPECT_EQ(slid[0].start, sung(0.0, 0)[0].start);
    // As long as a note is, or from further away, it is one of its own.
    EXPECT_EQ(sung(-1.0, 80).size(), 2U);
    EXPECT_EQ(sung(-1.0, 80)[1].start, sung(-3.0, 80)[1].start);
}

TEST(Notes, ATremoloIsOneNote)
{
    // 3 dB either way, as quick as anybody does it.
    for (const double often : {4.0, 5.5, 7.0}) {
        const auto notes = notesIn(tone(330.0, 2.0, [often](double time) {
            return std::pow(10.0, 3.0 / 20.0 * std::sin(2.0 * std::numbers::pi * often * time));
        }));
        EXPECT_EQ(notes.size(), 1U) << often;
    }
}

TEST(Notes, ALowToneDoesNotSwingItselfApart)
{
    EXPECT_EQ(notesIn(tone(41.2, 2.0, [](double) { return 1.0; })).size(), 1U);
    EXPECT_EQ(notesIn(tone(62.0, 2.0, [](double) { return 1.0; })).size(), 1U);
}

TEST(Notes, BeginWithTheirSoundHoweverLowTheyAre)
{
    for (const double hertz : {41.2, 98.0, 440.0}) {
        const auto notes = notesIn(tone(hertz, 1.5, [](double time) {
            return time < 0.4 || time > 1.2 ? 0.0 : std::min((time - 0.4) / 0.01, 1.0);
        }));
        ASSERT_EQ(notes.size(), 1U) << hertz;
        EXPECT_NEAR(startOf(notes[0]), 0.4, 0.025) << hertz;
        EXPECT_NEAR(toSeconds(notes[0].end, kRate).count(), 1.2, 0.06) << hertz;
    }
}

TEST(AnyVoice, LooksDeepOnlyWhereThereAreLowNotes)
{
    const auto low = *pitchOfAnyVoice(
        channelOver(tone(36.7, 1.0, [](double) { return 1.0; }).channel(0)), kRate
    );
    EXPECT_NEAR(low[low.size() / 2].pitch.count(), 36.7, 0.1);
    // Of a voice it is what the usual range finds, frame for frame.
    const testkit::Voice voice = testkit::sing({.seconds = 3.0});
    const Channel channel = channelOver(voice.sound.channel(0));
    EXPECT_EQ(*pitchOfAnyVoice(channel, kRate), *pitchOf(channel, kRate));
    // One low note among high ones and breath is found as well; breath alone is none.
    AudioBuffer mixed = tone(440.0, 3.0, [](double time) { return time < 1.2 ? 1.0 : 0.0; });
    std::mt19937 random(3);
    std::normal_distribution<float> breath(0.0F, 0.05F);
    for (std::size_t i = 60000; i < 84000; ++i) {
        mixed.channel(0)[i] += breath(random);
    }
    const auto without = *pitchOfAnyVoice(channelOver(mixed.channel(0)), kRate);
    EXPECT_EQ(without, *pitchOf(channelOver(mixed.channel(0)), kRate));
    const AudioBuffer deep = tone(36.7, 3.0, [](double time) { return time > 2.0 ? 1.0 : 0.0; });
    for (std::size_t i = 0; i < deep.channel(0).size(); ++i) {
        mixed.channel(0)[i] += deep.channel(0)[i];
    }
    const auto with = *pitchOfAnyVoice(channelOver(mixed.channel(0)), kRate);
    EXPECT_NEAR(with[500].pitch.count(), 36.7, 0.1);
    EXPECT_NEAR(with[100].pitch.count(), 440.0, 0.5);
}

TEST(KeyGuess, NamesTheKeyOfAMelodyFirst)
{
    std::vector<SungNote> notes;
    const auto sing = [&](int midi, int beats) {
        SungNote note;
        note.start = Frames(0);
        note.end = Frames(24000 * beats);
        note.centre = midi + 0.2;
        notes.push_back(note);
    };
    EXPECT_TRUE(keysOf(notes).empty());
    for (const auto& [midi, beats] :
         {std::pair{69, 4}, {71, 1}, {72, 2}, {74, 1}, {76, 3}, {77, 1}, {79, 1}, {81, 4}}) {
        sing(midi, beats);
    }
    const auto keys = keysOf(notes);
    ASSERT_EQ(keys.size(), 24U);
    EXPECT_EQ(keyName(keys[0]), "A minor");
    double sum = 0.0;
    for (const KeyReading& key : keys) {
        sum += key.score;
    }
    EXPECT_NEAR(sum, 1.0, 1e-9);
    EXPECT_GT(keys[0].score, 0.4);  // so much of it lies on the tonic, the third and the fifth
    EXPECT_LT(keys[23].score, 1e-4);
    // A fifth higher all of it is a fifth higher.
    for (SungNote& note : notes) {
        note.centre += 7.0;
    }
    EXPECT_EQ(keyName(keysOf(notes)[0]), "E minor");
}

}  // namespace
}  // namespace orthochron
