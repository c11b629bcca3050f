#include "core/files/GuideFile.h"

#include <gtest/gtest.h>
#include <nlohmann/json.hpp>

#include "core/files/AtomicFile.h"
#include "core/files/MapTable.h"
#include "core/files/MidiFile.h"
#include "testkit/Folder.h"

#include <cmath>
#include <cstdlib>

namespace orthochron {
namespace {

using testkit::Folder;

TEST(GuideFile, NotesSoundAtTheTimesOfTheFilesOwnTempi)
{
    const Folder folder;
    MidiFile midi;
    midi.tempi = {{Beats(0.0), 60.0}, {Beats(4.0), 120.0}};
    midi.notes = {
        {Beats(1.0), Beats(0.5), 60, 90, 0},
        {Beats(3.0), Beats(2.0), 64, 1, 3},
        {Beats(6.0), Beats(1.0), 36, 127, 9}};
    ASSERT_TRUE(writeMidi(midi, folder / "Song for two.mid"));
    const auto guide = readGuide(folder / "Song for two.mid");
    ASSERT_TRUE(guide) << guide.error().message;
    EXPECT_EQ(guide->name, "Song for two");
    ASSERT_EQ(guide->notes.size(), 3U);
    EXPECT_EQ(guide->notes[0], (TimedNote{Seconds(1.0), Seconds(0.5), 60, 90, 0}));
    // Half of it at the second tempo.
    EXPECT_EQ(guide->notes[1], (TimedNote{Seconds(3.0), Seconds(1.5), 64, 1, 3}));
    EXPECT_EQ(guide->notes[2], (TimedNote{Seconds(5.0), Seconds(0.5), 36, 127, 9}));
}

TEST(GuideFile, WhatHoldsNoNotesOrSeveralPiecesIsRefused)
{
    const Folder folder;
    MidiFile midi;
    midi.tempi = {{Beats(0.0), 100.0}};
    ASSERT_TRUE(writeMidi(midi, folder / "empty.mid"));
    EXPECT_NE(readGuide(folder / "empty.mid").error().message.find("no notes"), std::string::npos);
    EXPECT_FALSE(readGuide(folder / "missing.mid"));
    midi.notes = {{Beats(0.0)}};
    ASSERT_TRUE(writeMidi(midi, folder / "several.mid"));
    std::string bytes = *readWhole(folder / "several.mid", 1U << 20U);
    bytes[9] = 2;
    ASSERT_TRUE(writeAtomically(folder / "several.mid", bytes));
    EXPECT_NE(
        readGuide(folder / "several.mid").error().message.find("one by one"), std::string::npos
    );
    // A note a million beats on, at the slowest there is.
    midi.tempi = {{Beats(0.0), 4.0}};
    midi.notes = {{Beats(200'000.0)}};
    ASSERT_TRUE(writeMidi(midi, folder / "late.mid"));
    EXPECT_NE(readGuide(folder / "late.mid").error().message.find("24 hours"), std::string::npos);
}

// A map that wanders, and a guide that was played to no map at all.
const TempoMap kMap = *TempoMap::create(
    Seconds(1.3),
    {{Beats(0.0), 91.7}, {Beats(4.0), 97.1, true}, {Beats(12.0), 83.3}},
    {{1, {4, 4}}, {3, {3, 4}}}
);
const std::vector<TimedPart> kParts{
    {"Played",
     {{Seconds(0.4), Seconds(0.2), 60, 90, 2},
      {Seconds(4.4444), Seconds(0.1), 62, 80, 2},
      {Seconds(9.87), Seconds(1.0), 64, 70, 2}}}};

TEST(GuideFile, IsWrittenOnTheNewBarsAtItsTrueTimes)
{
    const Folder folder;
    ASSERT_TRUE(writeMidiTempo(kMap, Seconds(12.0), folder / "bars.mid", kParts));
    const auto read = readGuide(folder / "bars.mid");
    ASSERT_TRUE(read);
    std::vector<TimedNote> own;
    for (const TimedNote& note : read->notes) {
        if (note.channel == 2) {
            own.push_back(note);
        }
    }
    ASSERT_EQ(own.size(), 3U);
    for (std::size_t i = 0; i < 3; ++i) {
        // Half a tick at the slowest tempo there is.
        EXPECT_NEAR(own[i].at.count(), kParts[0].notes[i].at.count(), 0.0004) << i;
        EXPECT_NEAR(own[i].length.count(), kParts[0].notes[i].length.count(), 0.0008) << i;
        EXPECT_EQ(own[i].key, kParts[0].notes[i].key);
        EXPECT_EQ(own[i].velocity, kParts[0].notes[i].velocity);
    }
    EXPECT_GT(read->notes.size(), 12U);  // the click beside them
}

TEST(GuideFile, IsWrittenIntoTheTableOfBeatsWithItsBars)
{
    const Folder folder;
    ASSERT_TRUE(writeMapTable(kMap, Seconds(12.0), folder / "bars.json", kParts));
    const auto json = nlohmann::json::parse(*readWhole(folder / "bars.json", 1U << 20U));
    const auto& notes = json["parts"][0]["notes"];
    ASSERT_EQ(notes.size(), 3U);
    for (std::size_t i = 0; i < 3; ++i) {
        const int bar = notes[i]["bar"];
        const Beats place = kMap.startOfBar(bar) + kMap.meterOfBar(bar).beatLength() *
                                                       (notes[i]["beat"].get<double>() - 1.0);
        EXPECT_NEAR(kMap.timeAt(place).count(), kParts[0].notes[i].at.count(), 1e-9) << i;
        EXPECT_EQ(notes[i]["key"], kParts[0].notes[i].key);
    }
}

// Bar lines as midicsv tells them: track, tick, kind, values.
TEST(GuideFile, AnotherReaderHasEveryBarLineWithinTwentyMicroseconds)
{
    if (std::system("command -v midicsv >/dev/null") != 0) {
        GTEST_SKIP() << "midicsv is not installed";
    }
    const Folder folder;
    std::vector<TempoPoint> tempi;
    for (int bar = 0; bar < 240; ++bar) {
        tempi.push_back({Beats(4.0 * bar), 96.13 + 7.0 * std::sin(0.13 * bar), bar % 50 == 20});
    }
    const TempoMap map = *TempoMap::create(Seconds(0.731), std::move(tempi), {{1, {4, 4}}});
    ASSERT_TRUE(writeMidiTempo(map, Seconds(600.0), folder / "map.mid", kParts));
    const std::string command =
        "midicsv '" + (folder / "map.mid").string() + "' '" + (folder / "map.csv").string() + "'";
    ASSERT_EQ(std::system(command.c_str()), 0);
    std::istringstream lines(*readWhole(folder / "map.csv", 1U << 24U));
    std::vector<std::pair<double, double>> tempo;  // tick, microseconds
    std::vector<double> downbeats;                 // ticks
    std::vector<std::string> names;
    for (std::string line; std::getline(lines, line);) {
        std::replace(line.begin(), line.end(), ',', ' ');
        std::istringstream words(line);
        double track = 0.0;
        double tick = 0.0;
        std::string kind;
        words >> track >> tick >> kind;
        if (kind == "Tempo") {
            tempo.emplace_back(tick, 0.0);
            words >> tempo.back().second;
        } else if (kind == "Note_on_c") {
            int channel = 0;
            int key = 0;
            int velocity = 0;
            words >> channel >> key >> velocity;
            if (channel == 9 && key == 76 && velocity > 0) {
                downbeats.push_back(tick);
            }
        } else if (kind == "Title_t") {
            names.push_back(line.substr(line.find('"')));
        }
    }
    EXPECT_EQ(names, std::vector<std::string>{"\"Played\""});
    ASSERT_GT(downbeats.size(), 230U);
    std::size_t at = 0;
    double time = 0.0;
    double last = 0.0;
    int bar = map.barAt(map.beatsAt(Seconds(0.0)));
    while (map.timeAt(map.startOfBar(bar)) < Seconds(0.0)) {
        ++bar;
    }
    for (const double tick : downbeats) {
        for (; at + 1 < tempo.size() && tempo[at + 1].first <= tick; ++at) {
            time += (tempo[at + 1].first - last) * tempo[at].second / kTicksOfQuarter;
            last = tempo[at + 1].first;
        }
        const double here = time + (tick - last) * tempo[at].second / kTicksOfQuarter;
        EXPECT_NEAR(here, 1e6 * map.timeAt(map.startOfBar(bar)).count(), 20.0) << bar;
        ++bar;
    }
}

}  // namespace
}  // namespace orthochron
