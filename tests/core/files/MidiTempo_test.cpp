#include "core/files/MidiTempo.h"

#include <gtest/gtest.h>

#include "core/files/MidiFile.h"
#include "testkit/Folder.h"

#include <cmath>
#include <fstream>

namespace orthochron {
namespace {

using testkit::Folder;

// Ten minutes that wander, with a ramp, a bar of 7/8 and a passage in three.
TempoMap example(Seconds firstDownbeat)
{
    std::vector<TempoPoint> tempi;
    for (int bar = 0; bar < 300; ++bar) {
        tempi.push_back({Beats(3.5 * bar), 97.31 + 6.0 * std::sin(0.11 * bar)});
    }
    tempi[150].isRamp = true;
    return *TempoMap::create(
        firstDownbeat, std::move(tempi), {{1, {4, 4}}, {60, {7, 8}}, {61, {4, 4}}, {200, {3, 4}}}
    );
}

// When a beat comes when the file is played: event by event, as any reader would.
double playedAt(const MidiFile& midi, double beat)
{
    double time = 0.0;
    for (std::size_t i = 0; i < midi.tempi.size() && midi.tempi[i].at.count() < beat; ++i) {
        const double end = i + 1 < midi.tempi.size() ? midi.tempi[i + 1].at.count() : beat;
        time += (std::min(end, beat) - midi.tempi[i].at.count()) * 60.0 / midi.tempi[i].bpm;
    }
    return time;
}

// Where bar lines fall then.
std::vector<double> barLines(const MidiFile& midi, double last)
{
    std::vector<double> lines;
    for (std::size_t i = 0; i < midi.meters.size(); ++i) {
        const auto& [at, meter] = midi.meters[i];
        const double end = i + 1 < midi.meters.size() ? midi.meters[i + 1].first.count() : last;
        for (double beat = at.count(); beat < end - 1e-6; beat += meter.barLength().count()) {
            lines.push_back(playedAt(midi, beat));
        }
    }
    return lines;
}

TEST(MidiTempo, HasEveryBarLineWithinTwentyMicroseconds)
{
    const Folder folder;
    for (const double first : {0.0, 0.25, 2.1, -1.3}) {
        const TempoMap map = example(Seconds(first));
        ASSERT_TRUE(writeMidiTempo(map, Seconds(600.0), folder / "map.mid"));
        const auto midi = readMidi(folder / "map.mid");
        ASSERT_TRUE(midi);
        const auto lines = barLines(*midi, midi->notes.back().at.count());
        int bar = 1;
        while (map.timeAt(map.startOfBar(bar)) < Seconds(0.0)) {
            ++bar;
        }
        // What leads to the first line is a bar of its own.
        const std::size_t leadIn = map.timeAt(map.startOfBar(bar)) > Seconds(0.0) ? 1 : 0;
        ASSERT_GT(lines.size(), 200U);
        for (std::size_t k = leadIn; k < lines.size(); ++k, ++bar) {
            EXPECT_NEAR(lines[k], map.timeAt(map.startOfBar(bar)).count(), 20e-6) << first << bar;
        }
    }
}

TEST(MidiTempo, GoesUpARampBeatByBeat)
{
    const Folder folder;
    const auto made = TempoMap::create(
        Seconds(0.0),
        {{Beats(0.0), 80.0}, {Beats(8.0), 80.0, true}, {Beats(24.0), 150.0}},
        {{1, {4, 4}}}
    );
    ASSERT_TRUE(made) << made.error().message;
    const TempoMap& map = *made;
    ASSERT_TRUE(writeMidiTempo(map, Seconds(30.0), folder / "ramp.mid"));
    const auto midi = readMidi(folder / "ramp.mid");
    ASSERT_TRUE(midi);
    for (int beat = 0; beat <= 24; ++beat) {
        EXPECT_NEAR(playedAt(*midi, beat), map.timeAt(Beats(beat)).count(), 1e-4) << beat;
    }
}

TEST(MidiTempo, IsReadBackAsThePointsItCameFrom)
{
    const Folder folder;
    const auto map = TempoMap::create(
        Seconds(1.7),
        {{Beats(0.0), 98.4}, {Beats(16.0), 103.07}, {Beats(400.0), 61.5}},
        {{1, {4, 4}}, {21, {3, 4}}}
    );
    ASSERT_TRUE(writeMidiTempo(*map, Seconds(500.0), folder / "map.mid"));

    const auto read = readMidiTempo(folder / "map.mid", {6, 8}, Seconds(0.0));

    ASSERT_TRUE(read) << read.error().message;
    EXPECT_NEAR(read->firstDownbeat().count(), 1.7, 20e-6);
    ASSERT_EQ(read->tempi().size(), 3U);
    for (std::size_t i = 0; i < 3; ++i) {
        EXPECT_EQ(read->tempi()[i].at, map->tempi()[i].at);
        EXPECT_NEAR(read->tempi()[i].bpm, map->tempi()[i].bpm, 0.002);
    }
    EXPECT_EQ(read->meters(), map->meters());
}

TEST(MidiTempo, BringsBackAPickUpInItsOwnTempo)
{
    const Folder folder;
    const std::vector<MeterChange> meters{{1, {3, 4}}};
    // Within the bar that leads in, at its very beginning, and bars before the first.
    for (const auto& [first, pickUp] :
         {std::pair(1.9, -1.5), std::pair(1.0, -1.5), std::pair(5.0, -4.0), std::pair(5.0, -3.0)}) {
        const auto map = TempoMap::create(
            Seconds(first), {{Beats(pickUp), 90.0}, {Beats(0.0), 120.0}, {Beats(9.0), 97.0}}, meters
        );
        ASSERT_TRUE(writeMidiTempo(*map, Seconds(30.0), folder / "map.mid"));
        const auto read = readMidiTempo(folder / "map.mid", {4, 4}, Seconds(0.0));
        ASSERT_TRUE(read) << read.error().message;
        EXPECT_EQ(read->meters(), meters) << first;
        for (double beat = pickUp; beat < 20.0; beat += 0.5) {
            const Beats place(beat);
            EXPECT_NEAR(read->timeAt(place).count(), map->timeAt(place).count(), 40e-6) << first;
        }
        ASSERT_EQ(read->tempi().size(), 3U) << first << pickUp;
        EXPECT_NEAR(read->tempi()[0].at.count(), pickUp, 1e-9);
        EXPECT_NEAR(read->tempi()[0].bpm, 90.0, 0.01);
    }
}

TEST(MidiTempo, ATempoThatChangesOffAllBeatsKeepsNoMapFromBeingWritten)
{
    // The song begins within bar 1; the tempo changes at no 32nd before bar 2.
    const Folder folder;
    const auto map =
        TempoMap::create(Seconds(-0.3), {{Beats(0.0), 90.0}, {Beats(2.37), 120.0}}, {{1, {4, 4}}});
    const auto written = writeMidiTempo(*map, Seconds(30.0), folder / "map.mid");
    ASSERT_TRUE(written) << written.error().message;
    const auto midi = readMidi(folder / "map.mid");
    ASSERT_TRUE(midi);
    const auto lines = barLines(*midi, midi->notes.back().at.count());
    EXPECT_NEAR(lines[1], map->timeAt(map->startOfBar(2)).count(), 20e-6);
}

TEST(MidiTempo, HasAClickOnEachBeat)
{
    const Folder folder;
    const auto map = TempoMap::steady(120.0, {3, 4}, Seconds(0.0));
    ASSERT_TRUE(writeMidiTempo(*map, Seconds(6.0), folder / "map.mid"));
    const auto midi = readMidi(folder / "map.mid");
    ASSERT_TRUE(midi);
    ASSERT_EQ(midi->notes.size(), 12U);
    for (std::size_t k = 0; k < 12; ++k) {
        EXPECT_EQ(midi->notes[k].at, Beats(static_cast<double>(k)));
        EXPECT_EQ(midi->notes[k].key == midi->notes[0].key, k % 3 == 0);
    }
}

TEST(MidiTempo, RefusesAFirstLineThatNoTempoLeadsTo)
{
    const Folder folder;
    const auto map = TempoMap::steady(120.0, {4, 4}, milliseconds(3.0));
    const auto written = writeMidiTempo(*map, Seconds(6.0), folder / "map.mid");
    ASSERT_FALSE(written);
    EXPECT_EQ(written.error().kind, ErrorKind::BadArgument);
    EXPECT_FALSE(std::filesystem::exists(folder / "map.mid"));
}

TEST(MidiTempo, NeverTakesThePlaceOfATake)
{
    const Folder folder;
    const auto wave = folder / "take.wav";
    std::ofstream(wave) << "sound";
    const auto map = TempoMap::steady(120.0, {4, 4}, Seconds(0.0));
    const auto written = writeMidiTempo(*map, Seconds(6.0), wave);
    ASSERT_FALSE(written);
    EXPECT_EQ(written.error().kind, ErrorKind::BadArgument);
    EXPECT_EQ(std::filesystem::file_size(wave), 5U);
}

}  // namespace
}  // namespace orthochron
