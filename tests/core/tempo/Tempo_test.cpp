#include "core/tempo/Tempo.h"

#include <gtest/gtest.h>

#include "core/demo/KitPerformance.h"
#include "core/demo/KitRecording.h"
#include "testkit/Rate.h"

#include <array>
#include <cmath>
#include <numbers>
#include <random>

namespace orthochron {
namespace {

// A made-up drummer's bars as a loop, from the first downbeat, with so many seconds after its end.
std::vector<float> loop(double bpm, int bars, double swing, double after)
{
    const auto performance = demo::performKit(
        {.bpm = bpm, .bars = bars, .countIn = Seconds(0.5), .looseness = 0.2, .swing = swing}
    );
    const auto takes = *demo::recordKit(performance, {});
    const auto above = takes[5].channel(0);
    const auto first = static_cast<std::size_t>(0.49 * kRate.count());
    const auto length = static_cast<std::size_t>(bars * 240.0 / bpm * kRate.count());
    std::vector<float> samples(above.begin() + static_cast<std::ptrdiff_t>(first), above.end());
    samples.resize(length, 0.0F);
    samples.resize(length + static_cast<std::size_t>(after * kRate.count()), 0.0F);
    return samples;
}

TempoFound found(const std::vector<float>& samples, TempoRange range = {})
{
    const auto result = findTempo(channelOver(samples), kRate, range);
    EXPECT_TRUE(result);
    return *result;
}

TEST(Tempo, OfALoopIsGivenExactlyByItsLength)
{
    for (const double bpm : {83.3, 98.4, 131.7}) {
        const TempoFound tempo = found(loop(bpm, 4, 50.0, 0.0));
        ASSERT_FALSE(tempo.readings.empty()) << bpm;
        EXPECT_NEAR(tempo.readings[0].bpm, bpm, 1e-3) << bpm;
        EXPECT_EQ(tempo.readings[0].wholeBeats, 16) << bpm;
        EXPECT_GT(tempo.confidence, 0.3) << bpm;
    }
    // Whether 168.9 is counted or its half the sound does not say; the other is offered.
    const TempoFound fast = found(loop(168.9, 4, 50.0, 0.0));
    EXPECT_TRUE(std::ranges::any_of(fast.readings, [](const TempoReading& reading) {
        return std::abs(reading.bpm - 168.9) < 1e-3 && reading.wholeBeats == 16;
    }));
}

TEST(Tempo, SilenceAfterALoopIsNoPartOfIt)
{
    const TempoFound tempo = found(loop(98.4, 4, 50.0, 0.77));
    ASSERT_FALSE(tempo.readings.empty());
    EXPECT_NEAR(tempo.readings[0].bpm, 98.4, 0.3);
}

TEST(Tempo, IsThatOfTheWholeTakeThoughItsBeginningKeepsNone)
{
    // A quarter of a minute of hits at random, then a drummer.
    const auto played = loop(112.0, 24, 50.0, 0.0);
    std::vector<float> samples(15 * 48000, 0.0F);
    std::mt19937 random(12);
    std::uniform_int_distribution<std::size_t> when(0, samples.size() - 4000);
    std::normal_distribution<float> noise(0.0F, 0.2F);
    for (int hit = 0; hit < 30; ++hit) {
        const std::size_t at = when(random);
        for (std::size_t n = 0; n < 4000; ++n) {
            samples[at + n] += noise(random) * std::exp(-static_cast<float>(n) / 900.0F);
        }
    }
    samples.insert(samples.end(), played.begin(), played.end());
    const TempoFound tempo = found(samples);
    ASSERT_FALSE(tempo.readings.empty());
    EXPECT_NEAR(tempo.readings[0].bpm, 112.0, 0.5);
}

TEST(Tempo, ASwungLoopIsNotTakenForAFasterStraightOne)
{
    const TempoFound tempo = found(loop(92.0, 8, 64.0, 0.0));
    ASSERT_FALSE(tempo.readings.empty());
    EXPECT_NEAR(tempo.readings[0].bpm, 92.0, 0.1);
}

TEST(Tempo, HalfAndDoubleAreAmongTheReadingsAndARangeOfAnOctaveSettlesThem)
{
    const auto samples = loop(98.4, 4, 50.0, 0.0);
    const TempoFound all = found(samples, {40.0, 240.0});
    for (const double rival : {49.2, 98.4, 196.8}) {
        EXPECT_TRUE(std::ranges::any_of(all.readings, [&](const TempoReading& reading) {
            return std::abs(reading.bpm - rival) < 0.2;
        })) << rival;
    }
    double sum = 0.0;
    for (const TempoReading& reading : all.readings) {
        sum += reading.score;
    }
    EXPECT_LE(sum, 1.0001);
    EXPECT_NEAR(found(samples, {130.0, 260.0}).readings.at(0).bpm, 196.8, 0.2);
}

TEST(Tempo, BeatsLieOnTheDrummersBeats)
{
    const auto samples = loop(98.4, 4, 50.0, 0.0);
    const TempoFound tempo = found(samples);
    const auto beats = beatsOf(tempo.readings.at(0), Seconds(4.0 * 240.0 / 98.4));
    ASSERT_EQ(beats.size(), 16U);
    for (std::size_t k = 0; k < beats.size(); ++k) {
        EXPECT_NEAR(beats[k].count(), 0.01 + static_cast<double>(k) * 60.0 / 98.4, 0.03) << k;
    }
}

TEST(Tempo, TheFirstBeatIsWhereItIsStruckHardestNotWhereItBegins)
{
    // Two beats a second, struck hard, and eighths between them struck softly; a soft one comes first.
    std::vector<float> samples(static_cast<std::size_t>(16.0 * kRate.count()), 0.0F);
    for (int eighth = 0; eighth < 62; ++eighth) {
        const double level = eighth % 2 == 1 ? 0.8 : 0.12;
        const auto at = static_cast<std::size_t>((0.1 + 0.25 * eighth) * kRate.count());
        for (std::size_t i = 0; i < 4000; ++i) {
            const double t = static_cast<double>(i) / kRate.count();
            samples[at + i] +=
                static_cast<float>(level * std::exp(-t / 0.02) * std::sin(1200.0 * t));
        }
    }
    const TempoFound tempo = found(samples, {100.0, 140.0});
    ASSERT_FALSE(tempo.readings.empty());
    EXPECT_NEAR(tempo.readings[0].bpm, 120.0, 0.2);
    EXPECT_NEAR(std::remainder(tempo.readings[0].firstBeat.count() - 0.35, 0.5), 0.0, 0.03);
}

// Plucks at these places of every bar, in quarters of a beat; up to so many seconds early or late.
std::vector<float> plucked(
    double bpm, int bars, const std::vector<int>& places, int beatsOfBar = 4, double loose = 0.0
)
{
    constexpr std::array kLate{0.75, -0.6, 1.0, -0.9, 0.4, -0.5, 0.9};
    std::size_t count = 0;
    std::vector<float> samples(
        static_cast<std::size_t>(bars * beatsOfBar * 60.0 / bpm * kRate.count()), 0.0F
    );
    for (int bar = 0; bar < bars; ++bar) {
        for (const int place : places) {
            const double from = (beatsOfBar * bar + 0.25 * place) * 60.0 / bpm +
                                loose * kLate[count++ % kLate.size()];
            const auto at = static_cast<std::size_t>(from * kRate.count());
            for (std::size_t i = 0; i < 9000 && at + i < samples.size(); ++i) {
                const double t = static_cast<double>(i) / kRate.count();
                samples[at + i] += static_cast<float>(
                    0.4 * std::exp(-t / 0.05) * std::sin(2.0 * std::numbers::pi * 82.0 * t)
                );
            }
        }
    }
    return samples;
}

TEST(Tempo, IsCountedSoThatItsBarsComeBack)
{
    // Counted by themselves these are two thirds of the tempo, or five quarters.
    const std::vector<int> dotted{0, 3, 6, 8, 11, 14};
    for (const int bars : {2, 4}) {
        const TempoFound tempo = found(plucked(119.4, bars, dotted));
        ASSERT_FALSE(tempo.readings.empty()) << bars;
        EXPECT_NEAR(tempo.readings[0].bpm, 119.4, 1e-3) << bars;
    }
    // Nobody plays them again to the hundredth of a second.
    const TempoFound loose = found(plucked(127.0, 4, {0, 4, 6, 7, 8, 10, 11, 14}, 4, 0.008));
    ASSERT_FALSE(loose.readings.empty());
    EXPECT_NEAR(loose.readings[0].bpm, 127.0, 0.1);
    // Bars of three, which come back by twos.
    const TempoFound three = found(plucked(118.0, 4, {0, 4, 8, 10, 11}, 3));
    ASSERT_FALSE(three.readings.empty());
    EXPECT_NEAR(three.readings[0].bpm, 118.0, 1e-3);
}

TEST(Tempo, ALengthThatIsWholeToAHundredthOfABeatIsNoChance)
{
    for (const double bpm : {88.0, 131.0}) {
        const TempoFound tempo = found(plucked(bpm, 1, {0, 3, 4, 7, 10, 12, 15}));
        ASSERT_FALSE(tempo.readings.empty()) << bpm;
        EXPECT_NEAR(tempo.readings[0].bpm, bpm, 0.01);
        EXPECT_EQ(tempo.readings[0].wholeBeats, 4);
    }
}

TEST(Tempo, SilenceNoiseAndASingleHitHaveNone)
{
    EXPECT_TRUE(found({}).readings.empty());
    EXPECT_TRUE(found(std::vector<float>(96000, 0.0F)).readings.empty());
    std::mt19937 random(5);
    std::normal_distribution<float> noise(0.0F, 0.1F);
    std::vector<float> samples(480000);
    for (float& sample : samples) {
        sample = noise(random);
    }
    EXPECT_TRUE(found(samples).readings.empty());
    std::vector<float> hit(96000, 0.0F);
    for (std::size_t n = 0; n < 9600; ++n) {
        hit[20000 + n] = samples[n] * std::exp(-0.001F * static_cast<float>(n));
    }
    EXPECT_TRUE(found(hit).readings.empty());
}

TEST(Tempo, RefusesRangesThatCannotBe)
{
    const std::vector<float> samples(4800, 0.0F);
    for (const TempoRange range :
         {TempoRange{200.0, 60.0}, {0.0, 100.0}, {60.0, 1e9}, {90.0, 90.0}}) {
        const auto result = findTempo(channelOver(samples), kRate, range);
        ASSERT_FALSE(result);
        EXPECT_EQ(result.error().kind, ErrorKind::BadArgument);
    }
    std::vector<float> broken(4800, std::nanf(""));
    EXPECT_EQ(findTempo(channelOver(broken), kRate).error().kind, ErrorKind::BadInput);
}

TEST(Tempo, IsReadInAName)
{
    EXPECT_EQ(tempoInName("Frame drum 98bpm.wav"), 98.0);
    EXPECT_EQ(tempoInName("loop_120.5 BPM"), 120.5);
    EXPECT_EQ(tempoInName("bpm unknown, 77 BpM"), 77.0);
    for (const char* none : {"", "bpm", "98", "take 3", "7bpm", "1000 bpm", "..bpm", "x98xbpm"}) {
        EXPECT_FALSE(tempoInName(none)) << none;
    }
}

}  // namespace
}  // namespace orthochron
