#include "core/files/MidiFile.h"

#include <gtest/gtest.h>

#include "core/files/AtomicFile.h"
#include "core/files/GrooveFile.h"
#include "testkit/Folder.h"

namespace orthochron {
namespace {

using testkit::Folder;

MidiFile example()
{
    MidiFile midi;
    midi.tempi = {{Beats(0.0), 92.0}, {Beats(8.0), 138.5}};
    midi.meters = {{Beats(0.0), {7, 8}}, {Beats(7.0), {4, 4}}};
    midi.notes = {
        {Beats(0.0), Beats(0.25), 36, 127},
        {Beats(1.0 / 3.0), Beats(0.125), 38, 1},
        {Beats(64.5), Beats(2.0), 127, 64}};
    return midi;
}

TEST(MidiFile, ReadsBackWhatItWroteToATick)
{
    const Folder folder;
    ASSERT_TRUE(writeMidi(example(), folder / "a.mid"));
    const auto read = readMidi(folder / "a.mid");
    ASSERT_TRUE(read) << read.error().message;

    constexpr double kTick = 1.0 / 960.0;
    ASSERT_EQ(read->notes.size(), 3U);
    for (std::size_t i = 0; i < 3; ++i) {
        EXPECT_NEAR(read->notes[i].at.count(), example().notes[i].at.count(), kTick);
        EXPECT_NEAR(read->notes[i].length.count(), example().notes[i].length.count(), kTick);
        EXPECT_EQ(read->notes[i].key, example().notes[i].key);
        EXPECT_EQ(read->notes[i].velocity, example().notes[i].velocity);
    }
    ASSERT_EQ(read->tempi.size(), 2U);
    EXPECT_NEAR(read->tempi[1].bpm, 138.5, 0.001);
    ASSERT_EQ(read->meters.size(), 2U);
    EXPECT_EQ(read->meters[0].second, (Meter{7, 8}));
    EXPECT_NEAR(read->meters[1].first.count(), 7.0, kTick);
}

TEST(MidiFile, RefusesEveryTruncationAndSurvivesEverySpoiledByte)
{
    const Folder folder;
    ASSERT_TRUE(writeMidi(example(), folder / "a.mid"));
    const std::string whole = *readWhole(folder / "a.mid", 1U << 20U);
    for (std::size_t length = 0; length < whole.size(); ++length) {
        ASSERT_TRUE(writeAtomically(folder / "cut.mid", whole.substr(0, length)));
        const auto read = readMidi(folder / "cut.mid");
        if (read) {
            EXPECT_LE(read->notes.size(), 3U);
        } else {
            EXPECT_EQ(read.error().kind, ErrorKind::BadInput);
        }
    }
    for (std::size_t at = 0; at < whole.size(); ++at) {
        for (const char value : {'\x00', '\x7f', '\xff'}) {
            std::string spoiled = whole;
            spoiled[at] = value;
            ASSERT_TRUE(writeAtomically(folder / "spoiled.mid", spoiled));
            if (const auto read = readMidi(folder / "spoiled.mid")) {
                for (const MidiNote& note : read->notes) {
                    EXPECT_GE(note.velocity, 1);
                    EXPECT_LE(note.velocity, 127);
                    EXPECT_TRUE(std::isfinite(note.at.count()));
                }
            }
        }
    }
}

TEST(MidiFile, HoldsNoNotesWhenNoneWereWritten)
{
    const Folder folder;
    ASSERT_TRUE(writeMidi({}, folder / "empty.mid"));
    const auto read = readMidi(folder / "empty.mid");
    ASSERT_TRUE(read);
    EXPECT_TRUE(read->notes.empty());
    EXPECT_FALSE(writeMidi(example(), folder / "no/such/folder.mid"));
}

TEST(MidiGroove, AnImpossibleMeterIsAnErrorAndNoCrash)
{
    const testkit::Folder folder;
    for (const Meter meter : {Meter{0, 4}, Meter{4, 1024}, Meter{200, 4}}) {
        MidiFile midi;
        midi.notes.push_back({Beats(0.0), Beats(0.5), 60, 100});
        midi.meters.emplace_back(Beats(0.0), meter);
        ASSERT_TRUE(writeMidi(midi, folder / "g.mid"));
        const auto groove = readGroove(folder / "g.mid", {4, 4}, {});
        ASSERT_FALSE(groove) << meter.numerator << "/" << meter.denominator;
        EXPECT_EQ(groove.error().kind, ErrorKind::BadInput);
    }
}

}  // namespace
}  // namespace orthochron
