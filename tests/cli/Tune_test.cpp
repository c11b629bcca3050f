#include "cli/Cli.h"
#include "core/audio/SoundFile.h"
#include "core/pitch/PitchCurve.h"
#include "core/tune/SungNotes.h"
#include "testkit/Folder.h"
#include "testkit/Voice.h"

#include <cmath>
#include <fstream>
#include <random>

// `tune`: notes to their rungs, single notes, and what has no notes.
namespace orthochron {
namespace {

class TuneCommand : public testing::Test {
protected:
    TuneCommand()
    {
        write(
            "alto.wav",
            testkit::singMelody(
                {{0.3, 0.0}, {0.8, 57.3}, {0.7, 61.8}, {0.3, 0.0}, {0.9, 64.25, 0.3}, {0.3, 0.0}}
            ).sound
        );
    }
    void write(const char* name, const AudioBuffer& sound)
    {
        auto writer = SoundFileWriter::create(
            folder_ / name,
            {Hertz(48000.0), sound.channels(), PrintFormat::Wav24, 0, false, sound.frames()}
        );
        ASSERT_TRUE(writer && (*writer)->write(sound) && (*writer)->finish());
    }
    [[nodiscard]] Outcome tune(const std::string& options)
    {
        return run(
            "tune " + quoted(folder_ / "alto.wav") + " " + quoted(folder_ / "out.wav") + " " +
            options
        );
    }
    [[nodiscard]] std::vector<SungNote> notes(const char* name)
    {
        const AudioBuffer sound = testkit::readSound(folder_ / name);
        const Hertz rate(48000.0);
        return sungNotes(*pitchOf(channelOver(sound.channel(0)), rate), rate, Scale());
    }
    Folder folder_;
};

TEST_F(TuneCommand, PutsNotesOnTheRungsOfAScaleAndLeavesAllElse)
{
    const Outcome done = tune("--offset 100 --json");
    ASSERT_EQ(done.code, 0);
    const Json json = Json::parse(done.out);
    EXPECT_EQ(json["notes"].size(), 3U);
    EXPECT_LT(json["offset_cents"][1].get<double>(), 1.0);
    for (const SungNote& note : notes("out.wav")) {
        EXPECT_LT(std::abs(note.offset()), 0.03);
    }
    // 57.3 is no rung of E major; the nearest is G# below.
    ASSERT_EQ(tune("--offset 100 --key E --scale major").code, 0);
    EXPECT_NEAR(notes("out.wav")[0].centre, 57.0, 0.03);
    ASSERT_EQ(tune("--offset 100 --key C --scale whole-tone").code, 0);
    EXPECT_NEAR(notes("out.wav")[0].centre, 58.0, 0.03);
    // At an A4 of 432 Hz all rungs lie 32 cents lower.
    ASSERT_EQ(tune("--offset 100 --a4 432").code, 0);
    EXPECT_NEAR(notes("out.wav")[0].centre, 58.0 - 0.3177, 0.03);
    // Nothing asked for: the same file, sample for sample.
    ASSERT_EQ(tune("").code, 0);
    EXPECT_EQ(testkit::readSound(folder_ / "out.wav"), testkit::readSound(folder_ / "alto.wav"));
}

TEST_F(TuneCommand, ChangesSingleNotesFromAFile)
{
    std::ofstream(folder_ / "notes.json") << R"([{"start_s":2.5,"cents":-25,"formants":"keep"}])";
    ASSERT_EQ(tune("--notes " + quoted(folder_ / "notes.json")).code, 0);
    const auto before = notes("alto.wav");
    const auto after = notes("out.wav");
    EXPECT_NEAR(after[2].centre, before[2].centre - 0.25, 0.02);
    EXPECT_NEAR(after[1].centre, before[1].centre, 0.005);
    std::ofstream(folder_ / "notes.json") << R"([{"start_s":9.5,"cents":-25}])";
    EXPECT_EQ(tune("--notes " + quoted(folder_ / "notes.json")).code, 2);
    std::ofstream(folder_ / "notes.json") << "notes";
    EXPECT_EQ(tune("--notes " + quoted(folder_ / "notes.json")).code, 3);
}

TEST_F(TuneCommand, RefusesWhatHasNoNotesAndWhatCannotBe)
{
    AudioBuffer noise(2, Frames(96000));
    std::mt19937 random(1);
    std::normal_distribution<float> any(0.0F, 0.1F);
    for (int c = 0; c < 2; ++c) {
        for (float& value : noise.channel(c)) {
            value = any(random);
        }
    }
    write("noise.wav", noise);
    write("silence.wav", AudioBuffer(1, Frames(48000)));
    const std::string out = " " + quoted(folder_ / "x.wav") + " --offset 100";
    EXPECT_EQ(run("tune " + quoted(folder_ / "noise.wav") + out).code, 3);
    EXPECT_EQ(run("tune " + quoted(folder_ / "silence.wav") + out).code, 3);
    EXPECT_EQ(run("tune /nowhere.wav" + out).code, 3);
    EXPECT_FALSE(std::filesystem::exists(folder_ / "x.wav"));
    for (const char* wrong :
         {"--offset 101",
          "--wander -1",
          "--vibrato 201",
          "--glide-ms -5",
          "--a4 0",
          "--key H",
          "--scale happy",
          "--formants both",
          "--offset nan"}) {
        EXPECT_EQ(tune(wrong).code, 2) << wrong;
    }
    EXPECT_EQ(
        run("tune " + quoted(folder_ / "alto.wav") + " " + quoted(folder_ / "alto.wav")).code, 2
    );
}

}  // namespace
}  // namespace orthochron
