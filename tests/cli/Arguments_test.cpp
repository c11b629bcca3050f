#include <gtest/gtest.h>

#include "cli/Cli.h"

#include <cstdlib>
#include <filesystem>
#include <fstream>
#include <iterator>
#include <regex>

namespace orthochron {

namespace {

std::string bytesOf(const std::filesystem::path& path)
{
    std::ifstream file(path, std::ios::binary);
    return {std::istreambuf_iterator<char>(file), {}};
}

// Two takes of clicks, a second apart, and a tone.
class Arguments : public testing::Test {
protected:
    Arguments()
    {
        for (const char* name : {"one.wav", "two.wav"}) {
            AudioBuffer audio(1, Frames(6 * 48000));
            for (int hit = 0; hit < 11; ++hit) {
                for (int i = 0; i < 2000; ++i) {
                    audio.channel(0)[static_cast<std::size_t>(12000 + hit * 24000 + i)] =
                        (i % 7 < 3 ? 0.7F : -0.7F) * (1.0F - static_cast<float>(i) / 2000.0F);
                }
            }
            testkit::writeSound(folder_ / name, audio, PrintFormat::Wav24);
        }
    }
    [[nodiscard]] std::string file(const char* name) const { return quoted(folder_ / name); }
    [[nodiscard]] bool isThere(const char* name) const
    {
        return std::filesystem::exists(folder_ / name);
    }

    Folder folder_;
};

}  // namespace

TEST_F(Arguments, ALeadNeverTakesTheInputsThatFollow)
{
    const std::string rest = " --bpm 120 --out ";
    EXPECT_EQ(
        run("fit --lead " + file("one.wav") + " " + file("one.wav") + " " + file("two.wav") + rest +
            file("a"))
            .code,
        0
    );
    EXPECT_TRUE(isThere("a/two.wav"));
    const std::string inputs = "fit " + file("one.wav") + " " + file("two.wav");
    const Outcome listed =
        run(inputs + " --lead " + file("one.wav") + " " + file("two.wav") + rest + file("b") +
            " --json");
    const Outcome repeated =
        run(inputs + " --lead " + file("one.wav") + " --lead " + file("two.wav") + rest +
            file("c") + " --json");
    EXPECT_EQ(listed.code, 0);
    EXPECT_EQ(listed.out, repeated.out);
}

TEST_F(Arguments, AStreamIsReadAndWritten)
{
    const std::string options = " --ratio 1.25 --material hits";
    EXPECT_EQ(run("stretch " + file("one.wav") + " --out " + file("plain.wav") + options).code, 0);
    EXPECT_EQ(
        run("stretch - - " + options + " < " + file("one.wav") + " > " + file("piped.wav")).code, 0
    );
    EXPECT_EQ(bytesOf(folder_ / "piped.wav"), bytesOf(folder_ / "plain.wav"));
    EXPECT_EQ(
        run("tempo - --json < " + file("one.wav")).out, run("tempo --json " + file("one.wav")).out
    );
    // Two documents do not go down one pipe.
    EXPECT_EQ(run("stretch " + file("one.wav") + " - --json" + options).code, 2);
}

TEST_F(Arguments, MaterialsHaveTheirNamesOfTheScreenToo)
{
    for (const auto& [name, other] :
         {std::pair{"line", "single-notes"}, {"blend", "chords"}, {"hits", "hits"}}) {
        const std::string in = "stretch " + file("one.wav") + " ";
        EXPECT_EQ(run(in + file("a.wav") + " --ratio 0.9 --material " + name).code, 0) << name;
        EXPECT_EQ(run(in + file("b.wav") + " --ratio 0.9 --material " + other).code, 0) << other;
        EXPECT_EQ(bytesOf(folder_ / "a.wav"), bytesOf(folder_ / "b.wav")) << name;
    }
    EXPECT_EQ(
        run("stretch " + file("one.wav") + " " + file("a.wav") + " --ratio 0.9 --material wood")
            .code,
        2
    );
}

TEST_F(Arguments, NamesWithAUnitMeanWhatTheOldOnesDo)
{
    EXPECT_EQ(
        run("tempo --json --min-bpm 100 --max-bpm 150 " + file("one.wav")).out,
        run("tempo --json --min 100 --max 150 " + file("one.wav")).out
    );
    EXPECT_EQ(
        run("tempomap --json --first-downbeat-s 0.25 " + file("one.wav")).out,
        run("tempomap --json --first-downbeat 0.25 " + file("one.wav")).out
    );
    EXPECT_EQ(
        run("pitch --json --a4-hz 442 " + file("one.wav")).out,
        run("pitch --json --a4 442 " + file("one.wav")).out
    );
}

TEST_F(Arguments, AnInterruptEndsWith130)
{
    testkit::writeSound(
        folder_ / "long.wav", AudioBuffer(2, Frames(600 * 48000)), PrintFormat::Wav24
    );
    const std::string command = "timeout --preserve-status -s INT 0.3 " ORTHOCHRON_CLI " stretch " +
                                file("long.wav") + " " + file("never.wav") +
                                " --ratio 1.1 --material chords 2>/dev/null";
    EXPECT_EQ(WEXITSTATUS(std::system(command.c_str())), 130);
    EXPECT_FALSE(isThere("never.wav"));
}

TEST_F(Arguments, AnAlbumRunsSongsAsTheSingleCommandsDoAndGoesOn)
{
    std::ofstream(folder_ / "album.json") << R"({
        "defaults": {"fit": {"bpm": 120}},
        "songs": [
            {"name": "First", "steps": [
                {"command": "fit", "inputs": ["one.wav", "two.wav"], "lead": ["one.wav", "two.wav"],
                 "out-dir": "first"}]},
            {"name": "Broken", "steps": [
                {"command": "tempo", "inputs": "nothing.wav"},
                {"command": "tempo", "inputs": "one.wav"}]},
            {"name": "Last", "steps": [{"command": "tempo", "inputs": "one.wav", "min": 100}]}]})";
    const std::string album = "album --json " + file("album.json");
    const Outcome outcome = run(album + " --jobs 2 --report " + file("album.html"));

    EXPECT_EQ(outcome.code, 1) << "one of them failed";
    const Json said = Json::parse(outcome.out);
    EXPECT_EQ(said["failed"], 1);
    ASSERT_EQ(said["songs"].size(), 3U);
    const std::string single = "fit " + file("one.wav") + " " + file("two.wav") + " --lead " +
                               file("one.wav") + " --lead " + file("two.wav") +
                               " --bpm 120 --json --out " + file("single");
    EXPECT_EQ(said["songs"][0]["steps"][0]["result"], Json::parse(run(single).out));
    EXPECT_EQ(bytesOf(folder_ / "first/two.wav"), bytesOf(folder_ / "single/two.wav"));
    EXPECT_EQ(said["songs"][1]["steps"].size(), 1U) << "what follows a failure is not run";
    EXPECT_EQ(said["songs"][1]["steps"][0]["exit_code"], 3);
    EXPECT_NE(
        said["songs"][1]["steps"][0]["error"].get<std::string>().find("not found"),
        std::string::npos
    );
    EXPECT_EQ(said["songs"][2]["ok"], true);
    EXPECT_NE(bytesOf(folder_ / "album.html").find("Broken"), std::string::npos);

    // Run again, it goes on where it failed; what was done is not done again.
    std::filesystem::remove_all(folder_ / "first");
    const Json again = Json::parse(run(album).out);
    EXPECT_EQ(again["songs"][0]["resumed"], true);
    EXPECT_FALSE(again["songs"][1].contains("resumed"));
    EXPECT_FALSE(isThere("first/two.wav"));
    EXPECT_EQ(run(album + " --restart").code, 1);
    EXPECT_TRUE(isThere("first/two.wav"));
}

TEST_F(Arguments, AnAlbumThatIsNoneIsRefused)
{
    for (const char* text :
         {"",
          "[]",
          "{}",
          R"({"songs": [1]})",
          R"({"songs": [{"steps": [{"command": "rm"}]}]})",
          R"({"songs": [{"steps": [{"command": "fit", "bpm": {}}]}]})"}) {
        std::ofstream(folder_ / "bad.json") << text;
        EXPECT_EQ(run("album " + file("bad.json")).code, 3) << text;
    }
    EXPECT_EQ(run("album " + file("missing.json")).code, 3);
}

TEST(Help, SaysOfEveryOptionWhatItIsAndHowACommandEnds)
{
    const std::string all = run("--help").out;
    EXPECT_NE(all.find("130"), std::string::npos);
    for (const char* command :
         {"demo",
          "info",
          "onsets",
          "tempo",
          "tempomap",
          "fit",
          "stretch",
          "pitch",
          "tune",
          "shape",
          "check",
          "render",
          "print",
          "album",
          "collect",
          "verify",
          "report"}) {
        const std::string help = run(std::string(command) + " --help").out;
        EXPECT_NE(
            help.find("Example:\n  orthochron-cli " + std::string(command)), std::string::npos
        ) << command;
        EXPECT_NE(help.find("Exit codes:"), std::string::npos) << command;
        // An option without words ends its line after its type.
        static const std::regex kBare(R"((^|\n) +--[\w,-]+( [A-Z:]+( REQUIRED)?)? *\n(?! {20}))");
        std::smatch bare;
        EXPECT_FALSE(std::regex_search(help, bare, kBare)) << command << ": " << bare.str();
    }
}

}  // namespace orthochron
