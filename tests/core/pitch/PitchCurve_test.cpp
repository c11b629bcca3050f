#include "core/pitch/PitchCurve.h"

#include <gtest/gtest.h>

#include "core/fit/Performance.h"
#include "core/pitch/Notes.h"
#include "testkit/Folder.h"
#include "testkit/Rate.h"
#include "testkit/Voice.h"

#include <algorithm>
#include <array>
#include <cmath>
#include <numbers>
#include <random>

namespace orthochron {
namespace {

double centsBetween(Hertz found, double wanted)
{
    return 1200.0 * std::log2(found.count() / wanted);
}

struct Judged {
    double voiced = 0.0;  // of the frames that have a pitch, those found to have one
    double within50 = 0.0;
    double median = 0.0;
};

Judged judged(const testkit::Voice& voice, const std::vector<PitchFrame>& curve, Hertz rate)
{
    std::vector<double> errors;
    int all = 0;
    int found = 0;
    int right = 0;
    for (std::size_t n = 10; n + 10 < curve.size(); ++n) {
        const auto at = static_cast<std::size_t>(placeOfPitch(n, rate).count());
        if (at >= voice.hertz.size() || voice.hertz[at] == 0.0) {
            continue;
        }
        ++all;
        if (curve[n].isVoiced()) {
            ++found;
            errors.push_back(std::abs(centsBetween(curve[n].pitch, voice.hertz[at])));
            right += errors.back() <= 50.0 ? 1 : 0;
        }
    }
    std::ranges::sort(errors);
    return {
        static_cast<double>(found) / all,
        static_cast<double>(right) / all,
        errors.empty() ? 1e9 : errors[errors.size() / 2]};
}

TEST(PitchCurve, FollowsASungLineAtAnyRate)
{
    for (const double rate : {16000.0, 44100.0, 48000.0, 96000.0}) {
        for (const double middle : {82.0, 220.0, 620.0}) {
            const auto voice = testkit::sing({.middle = middle, .rate = Hertz(rate)});
            const auto curve = *pitchOf(channelOver(voice.sound.channel(0)), Hertz(rate));
            const Judged judge = judged(voice, curve, Hertz(rate));
            EXPECT_GT(judge.within50, 0.99) << rate << ' ' << middle;
            EXPECT_LT(judge.median, 2.0) << rate << ' ' << middle;
        }
    }
}

TEST(PitchCurve, ALowNoteWhoseFifthHarmonicIsItsLoudestIsNoHighOne)
{
    // As a bassoon's are: a fifth of the period is nearly as alike as all of it.
    std::vector<float> samples(48000);
    for (std::size_t i = 0; i < samples.size(); ++i) {
        const double time = static_cast<double>(i) / kRate.count();
        for (int k = 1; k <= 8; ++k) {
            const double level = k == 5 ? 0.5 : 0.06;
            samples[i] += static_cast<float>(
                level * std::sin(2.0 * std::numbers::pi * k * 98.0 * time + 0.7 * k)
            );
        }
    }
    const auto curve = *pitchOf(channelOver(samples), kRate);
    for (std::size_t n = 20; n < 180; ++n) {
        ASSERT_NEAR(curve[n].pitch.count(), 98.0, 0.5) << n;
    }
}

TEST(PitchCurve, FindsNoPitchInSilenceAndNoise)
{
    std::mt19937 random(5);
    std::normal_distribution<double> noise;
    const AudioBuffer sound = testkit::soundOf(2.0, [&](std::int64_t n) {
        return n < 48000 ? 0.0 : 0.1 * noise(random);
    });
    const auto curve = *pitchOf(channelOver(sound.channel(0)), kRate);
    EXPECT_EQ(curve.size(), 400U);
    EXPECT_LT(std::ranges::count_if(curve, &PitchFrame::isVoiced), 12);
}

TEST(PitchCurve, OnePassOrManyGiveOneAnswer)
{
    // 40 s are read in two passes; the second alone begins in the middle of a note.
    const auto voice = testkit::sing({.middle = 200.0, .seconds = 40.0});
    const auto curve = *pitchOf(channelOver(voice.sound.channel(0)), kRate);
    const Judged judge = judged(voice, curve, kRate);
    EXPECT_GT(judge.within50, 0.99);
    EXPECT_EQ(curve.size(), 8000U);
}

TEST(PitchCurve, IsTheSameWhereItIsAskedForAndNothingElsewhere)
{
    const auto voice = testkit::sing({.middle = 196.0, .rate = Hertz(44100.0)});
    const Channel channel = channelOver(voice.sound.channel(0));
    const auto whole = *pitchOf(channel, Hertz(44100.0));
    std::vector<bool> asked(100, false);
    std::fill(asked.begin() + 30, asked.begin() + 70, true);
    const auto part = *pitchWhere(asked, channel, Hertz(44100.0));
    ASSERT_EQ(part.size(), whole.size());
    int voiced = 0;
    for (std::size_t n = 0; n < part.size(); ++n) {
        const bool isAsked = n >= asked.size() || asked[n];
        EXPECT_TRUE(isAsked || !part[n].isVoiced()) << n;
        EXPECT_EQ(part[n].power, whole[n].power);
        // Where it begins, that has its price, a frame or two may be without.
        if (isAsked && part[n].isVoiced()) {
            EXPECT_EQ(part[n].pitch, whole[n].pitch) << n;
            ++voiced;
        }
    }
    EXPECT_GT(voiced, 60);
}

TEST(PitchCurve, ShortOrEmptySoundsAreNoTrouble)
{
    for (const std::int64_t length : {0, 1, 100, 3000}) {
        const AudioBuffer sound(1, Frames(length));
        const auto curve = pitchOf(channelOver(sound.channel(0)), kRate);
        ASSERT_TRUE(curve);
        EXPECT_EQ(curve->size(), static_cast<std::size_t>((length + 239) / 240));
    }
}

TEST(PitchCurve, RangesThatCannotBeAreRefused)
{
    const AudioBuffer sound(1, Frames(1000));
    const auto tried = [&](double low, double high, double rate) {
        return pitchOf(channelOver(sound.channel(0)), Hertz(rate), {Hertz(low), Hertz(high)});
    };
    EXPECT_FALSE(tried(0.0, 500.0, 48000.0));
    EXPECT_FALSE(tried(400.0, 500.0, 48000.0));
    EXPECT_FALSE(tried(50.0, 9000.0, 48000.0));
    EXPECT_FALSE(tried(std::nan(""), 500.0, 48000.0));
    for (const double rate : {4000.0, 7999.0, 192001.0}) {
        EXPECT_FALSE(tried(50.0, 500.0, rate)) << rate;
    }
    for (const double rate : {8000.0, 192000.0}) {
        EXPECT_TRUE(tried(50.0, 500.0, rate)) << rate;
    }
}

TEST(Notes, AreThoseThatWereSungWithTheirPlaceAndPitch)
{
    // The steps testkit::sing takes, a note every 0.9 s.
    constexpr std::array kSteps{0.0, 2.0, -1.0, 3.0, 0.5, -2.0};
    for (const double middle : {98.0, 220.0, 523.0}) {
        const auto voice = testkit::sing({.middle = middle, .seconds = 5.4});
        const auto notes = notesOf(*pitchOf(channelOver(voice.sound.channel(0)), kRate), kRate);
        ASSERT_EQ(notes.size(), kSteps.size()) << middle;
        for (std::size_t n = 0; n < notes.size(); ++n) {
            const Seconds start = toSeconds(notes[n].start, kRate);
            EXPECT_NEAR(start.count(), 0.9 * static_cast<double>(n), 0.05) << middle;
            const double sung = 69.0 + 12.0 * std::log2(middle / 440.0) + kSteps[n];
            EXPECT_NEAR(notes[n].midi + notes[n].cents / 100.0, sung, 0.15) << middle << ' ' << n;
            EXPECT_LE(std::abs(notes[n].cents), 60.0);
        }
    }
}

TEST(Notes, ANoteStruckAgainIsTwoAndWhereThereIsNoPitchThereIsNone)
{
    const AudioBuffer sound = testkit::soundOf(2.0, [](std::int64_t n) {
        const double since = static_cast<double>(n % 24000) / 48000.0;
        const double time = static_cast<double>(n) / 48000.0;
        return n >= 72000
                   ? 0.0
                   : 0.4 * std::exp(-since / 0.15) *
                         (std::sin(6.2832 * 110.0 * time) + 0.5 * std::sin(6.2832 * 220.0 * time));
    });
    const auto notes = notesOf(*pitchOf(channelOver(sound.channel(0)), kRate), kRate);
    ASSERT_EQ(notes.size(), 3U);
    for (std::size_t n = 0; n < notes.size(); ++n) {
        EXPECT_EQ(notes[n].midi, 45);
        EXPECT_NEAR(toSeconds(notes[n].start, kRate).count(), 0.5 * static_cast<double>(n), 0.05);
    }
    EXPECT_TRUE(notesOf({}, kRate).empty());
}

}  // namespace
}  // namespace orthochron
