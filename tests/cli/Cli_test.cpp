#include <gtest/gtest.h>
#include <nlohmann/json.hpp>

#include "testkit/Folder.h"

#include <array>
#include <cmath>
#include <cstdio>
#include <fstream>
#include <limits>

// Runs the real binary, as a script would.
namespace orthochron {
namespace {

using testkit::Folder;
using Json = nlohmann::json;

struct Outcome {
    int code = 0;
    std::string out;
};

Outcome run(const std::string& arguments)
{
    const std::string command = std::string(ORTHOCHRON_CLI) + " " + arguments + " 2>/dev/null";
    FILE* pipe = ::popen(command.c_str(), "r");
    Outcome outcome;
    std::array<char, 4096> block{};
    while (const std::size_t got = std::fread(block.data(), 1, block.size(), pipe)) {
        outcome.out.append(block.data(), got);
    }
    outcome.code = WEXITSTATUS(::pclose(pipe));
    return outcome;
}

std::string quoted(const std::filesystem::path& path)
{
    return "'" + path.string() + "'";
}

// Eight bars of the demo kit, written once for all tests here.
class FitCommand : public testing::Test {
protected:
    static void SetUpTestSuite()
    {
        folder_ = std::make_unique<Folder>();
        kit_ = testkit::writeSmallKit(folder_->path() / "kit");
    }
    static void TearDownTestSuite() { folder_.reset(); }

    static std::string inputs()
    {
        std::string all;
        for (const auto& path : kit_.takes) {
            all += quoted(path) + " ";
        }
        return all;
    }
    static std::string fit(const std::string& out, const std::string& more)
    {
        return "fit " + inputs() + "--lead " + quoted(kit_.takes[0]) + " --lead " +
               quoted(kit_.takes[2]) + " --bpm 92 --first-downbeat 0.5 --json --out-dir " +
               quoted(*folder_ / out) + " " + more;
    }

    static inline std::unique_ptr<Folder> folder_;
    static inline testkit::SmallKit kit_;
};

TEST_F(FitCommand, PutsEveryMainHitOnItsLineInTheAudioItself)
{
    const Outcome outcome = run(fit("full", "--drift 100 --feel 100 --stray 100"));
    ASSERT_EQ(outcome.code, 0);
    const Json report = Json::parse(outcome.out);

    // What was written is found again, by the same command on the result.
    const Outcome again =
        run("onsets " + quoted(*folder_ / "full/Kick in.wav") + " --json --against " +
            quoted(*folder_ / "full/Snare top.wav") + " " + quoted(*folder_ / "full/Tom.wav"));
    const Json found = Json::parse(again.out);
    int mains = 0;
    for (const Json& hit : report["hits"]) {
        if (hit["role"] != "main" || hit["lead"] != "Kick in.wav") {
            continue;
        }
        ++mains;
        EXPECT_NEAR(hit["left_ms"].get<double>(), 0.0, 0.02);
        double nearest = 1.0;
        for (const Json& onset : found["onsets"]) {
            nearest = std::min(
                nearest, std::abs(onset["time_s"].get<double>() - hit["grid_s"].get<double>())
            );
        }
        EXPECT_LE(nearest, 0.001) << "grid " << hit["grid_s"];
    }
    EXPECT_GT(mains, 15);
}

TEST_F(FitCommand, MovesAllMicrophonesBySameSamplesAndKeepsTheirFormatAndLength)
{
    ASSERT_EQ(run(fit("together", "")).code, 0);
    const Json report = Json::parse(run(fit("together", "")).out);
    const double rate = 48000.0;

    const auto length = testkit::readSound(kit_.takes[0]).frames();
    for (const auto& path : kit_.takes) {
        const AudioBuffer before = testkit::readSound(path);
        const AudioBuffer after = testkit::readSound(*folder_ / "together" / path.filename());
        ASSERT_EQ(after.frames(), length);
        // In the middle of each piece the sound is the take's own, moved by exactly what is said.
        for (const Json& hit : report["hits"]) {
            if (hit["role"] != "main") {
                continue;
            }
            const auto to =
                static_cast<std::size_t>(std::llround(hit["target_s"].get<double>() * rate));
            const auto from =
                static_cast<std::size_t>(std::llround(hit["source_s"].get<double>() * rate));
            for (std::size_t i = 0; i < 480; ++i) {
                ASSERT_EQ(after.channel(0)[to + i], before.channel(0)[from + i])
                    << path << " at " << to + i;
            }
        }
    }
    auto reader = SoundFileReader::open(*folder_ / "together" / "Room.wav");
    EXPECT_EQ((*reader)->facts().format, "WAV, 24 bit");
}

TEST_F(FitCommand, FindsWhatWasSpoiledInTheResult)
{
    const Outcome outcome = run(fit("spoiled", ""));
    std::ofstream(*folder_ / "fit.json") << outcome.out;
    const auto spoil = [&](const auto& change) {
        AudioBuffer audio = testkit::readSound(*folder_ / "spoiled/Over left.wav");
        change(audio.channel(0));
        testkit::writeSound(*folder_ / "bad/Over left.wav", audio, PrintFormat::Wav32Float);
        const Outcome checked =
            run("check --json --strict " + quoted(*folder_ / "bad/Over left.wav") + " --source " +
                quoted(kit_.takes[5]) + " --edits " + quoted(*folder_ / "fit.json"));
        EXPECT_EQ(checked.code, 1);
        std::vector<std::string> kinds;
        const Json found = Json::parse(checked.out);
        for (const Json& finding : found["findings"]) {
            kinds.push_back(finding["kind"]);
        }
        return kinds;
    };
    std::filesystem::create_directories(*folder_ / "bad");
    const auto holds = [](const std::vector<std::string>& kinds, const std::string& kind) {
        return std::ranges::find(kinds, kind) != kinds.end();
    };
    // A second after a main hit, well inside a piece.
    const std::size_t place = 48000 * 5 + 12000;

    EXPECT_TRUE(holds(spoil([&](std::span<float> s) { s[place] += 0.2F; }), "click"));
    EXPECT_TRUE(holds(
        spoil([&](std::span<float> s) { std::ranges::fill(s.subspan(place, 960), 0.0F); }), "gap"
    ));
    EXPECT_TRUE(
        holds(spoil([&](std::span<float> s) { std::ranges::rotate(s, s.begin() + 7); }), "skew")
    );
    EXPECT_TRUE(holds(
        spoil([&](std::span<float> s) {
            for (float& value : s.subspan(place, 4800)) {
                value *= 0.5F;
            }
        }),
        "dip"
    ));
    EXPECT_TRUE(holds(spoil([&](std::span<float> s) { s[place] = 1.4F; }), "over full scale"));
    EXPECT_TRUE(holds(
        spoil([&](std::span<float> s) {
            for (std::size_t i = 0; i < 2400; ++i) {
                const auto t = static_cast<double>(i) / 48000.0;
                s[place + i] +=
                    static_cast<float>(0.2 * std::exp(-t / 0.02) * std::sin(1500.0 * t));
            }
        }),
        "double hit"
    ));
}

TEST_F(FitCommand, NeverWritesOverItsInputsNorLeavesHalfAFile)
{
    const auto before = std::filesystem::last_write_time(kit_.takes[0]);

    EXPECT_EQ(run(fit("kit", "")).code, 2);

    EXPECT_EQ(std::filesystem::last_write_time(kit_.takes[0]), before);
    for (const auto& entry : std::filesystem::directory_iterator(*folder_ / "kit")) {
        EXPECT_NE(entry.path().extension(), ".part");
    }
}

TEST_F(FitCommand, AFullDiskLeavesNoHalfFileAndHarmsNothing)
{
    // A limit on file size is what a full disk looks like to a program.
    const std::string limited = "trap '' XFSZ; ulimit -f 500; ";
    const std::string command =
        limited + ORTHOCHRON_CLI + " " + fit("full-disk", "") + " >/dev/null 2>&1";

    const int code = WEXITSTATUS(std::system(("bash -c \"" + command + "\"").c_str()));

    EXPECT_EQ(code, 1);
    EXPECT_TRUE(std::filesystem::is_empty(*folder_ / "full-disk"));
    EXPECT_EQ(run("info --json " + quoted(kit_.takes[0])).code, 0);
}

TEST_F(FitCommand, FollowsAGrooveByItsAmount)
{
    std::ofstream(*folder_ / "g.json")
        << R"({"format": "orthochron groove", "version": 1, "name": "g", "meter": [4, 4],)"
        << R"( "steps": [{"position": 1.0, "offset": 0.03, "weight": 1, "spread": 0}]})";
    const Outcome outcome = run(fit(
        "grooved",
        "--feel 100 --stray 100 --groove " + quoted(*folder_ / "g.json") + " --groove-amount 50"
    ));
    ASSERT_EQ(outcome.code, 0);
    const Json report = Json::parse(outcome.out);
    int late = 0;
    for (const Json& hit : report["hits"]) {
        const double beats = (hit["grid_s"].get<double>() - 0.5) * 92.0 / 60.0;
        const bool isSecondBeat = std::abs(std::fmod(beats, 4.0) - 1.0) < 1e-6;
        if (hit["role"] == "main") {
            EXPECT_NEAR(
                hit["left_ms"].get<double>(), isSecondBeat ? 0.5 * 0.03 * 60000.0 / 92.0 : 0.0, 0.03
            );
            late += isSecondBeat ? 1 : 0;
        }
    }
    EXPECT_GT(late, 4);
    EXPECT_EQ(run(fit("grooved", "--groove /nowhere.mid")).code, 3);
}

TEST_F(FitCommand, RefusesWrongUsageWithTwoAndBadInputWithThree)
{
    EXPECT_EQ(
        run("fit " + quoted(kit_.takes[0]) + " --lead nothing.wav --bpm 92 --out-dir /tmp").code, 2
    );
    EXPECT_EQ(run(fit("x", "--grid 1/7")).code, 2);
    EXPECT_EQ(run(fit("x", "--drift 300")).code, 2);
    EXPECT_EQ(run("onsets " + quoted(*folder_ / "missing.wav") + " --json").code, 3);
    std::ofstream(*folder_ / "text.wav") << "this is no sound";
    EXPECT_EQ(run("onsets " + quoted(*folder_ / "text.wav") + " --json").code, 3);
    EXPECT_EQ(run("unknown").code, 2);
}

TEST(DemoCommand, WritesASongThatIsWholeAndRendersAsLongAsItIs)
{
    const Folder folder;
    ASSERT_EQ(run("demo " + quoted(folder.path())).code, 0);
    const std::string song = quoted(folder / "Lantern Weir.orthochron");

    const Json info = Json::parse(run("info --json " + song).out);

    EXPECT_EQ(info["tracks"].size(), 8U);
    EXPECT_EQ(run("verify --json " + song).code, 0);
    ASSERT_EQ(
        run("render " + song + " --range 1:5 --format wav16 --dither --out " +
            quoted(folder / "mix.wav"))
            .code,
        0
    );
    EXPECT_EQ(
        testkit::readSound(folder / "mix.wav").frames(),
        Frames(std::llround(16 * 60.0 / 92.0 * 48000.0))
    );
    ASSERT_EQ(run("render " + song + " --range 2:3 --stems " + quoted(folder / "stems")).code, 0);
    EXPECT_TRUE(std::filesystem::exists(folder / "stems/Kick in.wav"));

    std::filesystem::remove(folder / "Tom.wav");
    EXPECT_EQ(run("verify --json " + song).code, 3);
    EXPECT_EQ(run("render " + song + " --out " + quoted(folder / "x.wav")).code, 3);
    EXPECT_FALSE(std::filesystem::exists(folder / "x.wav"));
}

}  // namespace
}  // namespace orthochron
