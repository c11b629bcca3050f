#include "FitCommand.h"
#include "testkit/Voice.h"

#include <algorithm>
#include <cmath>
#include <fstream>

// Fits by stretching, and the command that stretches a recording by itself.
namespace orthochron {
namespace {

TEST_F(FitCommand, StretchesInsteadOfCuttingAllMicrophonesAlike)
{
    const Outcome made =
        run(fit("stretched", "--method stretch --material hits --stray 100 --feel 100"));
    ASSERT_EQ(made.code, 0);
    const Json report = Json::parse(made.out);
    EXPECT_GT(report["hits"].size(), 40U);
    // Its splices are its joins, and the check finds the sound to be what they say; one goes over softly.
    EXPECT_GT(report["joins"].size(), 20U);
    std::ofstream(*folder_ / "stretched.json") << made.out;
    std::string files = "check ";
    for (const auto& take : kit_.takes) {
        files += quoted(*folder_ / "stretched" / take.filename()) + " ";
    }
    const Outcome checked =
        run(files + "--source " + inputs() + "--edits " + quoted(*folder_ / "stretched.json") +
            " --json");
    ASSERT_EQ(checked.code, 0);
    const Json findings = Json::parse(checked.out)["findings"];
    EXPECT_LE(findings.size(), 1U) << checked.out;
    for (const Json& finding : findings) {
        EXPECT_EQ(finding["kind"], "dip");
        EXPECT_GT(finding["value"].get<double>(), -3.5);
    }
    for (const auto& take : kit_.takes) {
        const AudioBuffer before = testkit::readSound(take);
        const AudioBuffer after = testkit::readSound(*folder_ / "stretched" / take.filename());
        ASSERT_EQ(after.frames(), before.frames());
        for (const Json& hit : report["hits"]) {
            const auto from =
                static_cast<std::size_t>(std::llround(hit["source_s"].get<double>() * 48000.0));
            const auto to =
                static_cast<std::size_t>(std::llround(hit["target_s"].get<double>() * 48000.0));
            EXPECT_TRUE(std::ranges::equal(
                before.channel(0).subspan(from, 400), after.channel(0).subspan(to, 400)
            )) << take;
        }
    }
}

// What is repeated is turned down to what it had died away to, but only until the next attack: from there on
// every dip is told.
TEST_F(FitCommand, WhatFollowsASpliceThatDiesAwayMustNotDip)
{
    const Outcome made = run(fit("dying", "--method stretch --material hits", 84));
    ASSERT_EQ(made.code, 0);
    std::ofstream(*folder_ / "dying.json") << made.out;
    const Json joins = Json::parse(made.out)["joins"];
    const auto found = std::ranges::find_if(joins, [&](const Json& join) {
        const auto next = std::ranges::find_if(joins, [&](const Json& other) {
            return other["time_s"] > join["time_s"];
        });
        return join.contains("dies_away_until_s") && next != joins.end() &&
               (*next)["time_s"].get<double>() - join["dies_away_until_s"].get<double>() > 0.08;
    });
    ASSERT_NE(found, joins.end());
    const double until = (*found)["dies_away_until_s"];
    EXPECT_GT(until, (*found)["time_s"]);

    std::string files;
    for (const auto& take : kit_.takes) {
        files += quoted(*folder_ / "dying" / take.filename()) + " ";
    }
    const auto spoiled = *folder_ / "dying" / kit_.takes[0].filename();
    AudioBuffer sound = testkit::readSound(spoiled);
    const double at = until + 0.02;
    for (float& sample : sound.channel(0).subspan(static_cast<std::size_t>(at * 48000.0), 2400)) {
        sample *= 0.5F;
    }
    testkit::writeSound(spoiled, sound);
    const Outcome checked =
        run("check " + files + "--source " + inputs() + "--edits " +
            quoted(*folder_ / "dying.json") + " --json");
    ASSERT_EQ(checked.code, 0);
    const Json findings = Json::parse(checked.out)["findings"];
    EXPECT_TRUE(std::ranges::any_of(findings, [&](const Json& each) {
        return each["kind"] == "dip" && std::abs(each["time_s"].get<double>() - at) < 0.005;
    })) << checked.out;
}

// Takes stay as long as they were. What is moved beyond their end is no part of them, and is not missed there.
TEST_F(FitCommand, WhatIsMovedBeyondTheEndOfATakeIsNotMissed)
{
    std::string takes;
    std::string fitted;
    for (const std::size_t take : {0U, 2U}) {
        const auto path = *folder_ / "short" / kit_.takes[take].filename();
        std::filesystem::create_directories(path.parent_path());
        AudioBuffer sound(1, Frames(1'005'000));
        std::ranges::copy(
            testkit::readSound(kit_.takes[take]).channel(0).first(1'005'000),
            sound.channel(0).begin()
        );
        testkit::writeSound(path, sound);
        takes += quoted(path) + " ";
        fitted += quoted(*folder_ / "later" / path.filename()) + " ";
    }
    for (const std::string way : {"cut", "stretch --material hits"}) {
        const Outcome made =
            run("fit " + takes + "--lead " + takes +
                "--bpm 89 --first-downbeat 0.5 --json --out-dir " + quoted(*folder_ / "later") +
                " --method " + way);
        ASSERT_EQ(made.code, 0);
        const Json report = Json::parse(made.out);
        EXPECT_GT(report["joins"].back()["time_s"].get<double>(), 1'005'000.0 / 48000.0);
        std::ofstream(*folder_ / "later.json") << made.out;
        const Outcome checked =
            run("check " + fitted + "--source " + takes + "--edits " +
                quoted(*folder_ / "later.json") + " --json");
        ASSERT_EQ(checked.code, 0);
        for (const Json& finding : Json::parse(checked.out)["findings"]) {
            EXPECT_NE(finding["kind"], "gap") << checked.out;
        }
    }
}

// One sung line and one drum take, for the commands that work on a recording by itself.
class StretchCommand : public FitCommand {
protected:
    [[nodiscard]] static std::filesystem::path voice()
    {
        const auto path = *folder_ / "voice.wav";
        if (!std::filesystem::exists(path)) {
            testkit::writeSound(path, testkit::sing({.seconds = 4.0}).sound);
        }
        return path;
    }
    static Outcome
    stretch(const std::filesystem::path& in, const std::string& more, const char* out = "out.wav")
    {
        return run("stretch " + quoted(in) + " " + quoted(*folder_ / out) + " " + more);
    }
};

TEST_F(StretchCommand, IsExactInLengthHoweverTheLengthIsSaid)
{
    const AudioBuffer before = testkit::readSound(voice());
    for (const auto& [how, ratio] :
         {std::pair("--ratio 1.25", 1.25),
          std::pair("--source-bpm 90 --target-bpm 100", 0.9),
          std::pair("--to-beats 8 --target-bpm 100", 8.0 * 60.0 / 100.0 / 4.0)}) {
        for (const char* material : {"hits", "line", "blend", "tape"}) {
            const Outcome made =
                stretch(voice(), std::string(how) + " --json --material " + material);
            ASSERT_EQ(made.code, 0) << how << material;
            const auto wanted = std::llround(static_cast<double>(before.frames().count()) * ratio);
            EXPECT_EQ(testkit::readSound(*folder_ / "out.wav").frames(), Frames(wanted));
            EXPECT_EQ(Json::parse(made.out)["frames"], wanted);
        }
    }
    ASSERT_EQ(stretch(voice(), "--ratio 1 --material line").code, 0);
    EXPECT_EQ(testkit::readSound(*folder_ / "out.wav"), before);
}

TEST_F(StretchCommand, FollowsPinsAndMovesThePitch)
{
    std::ofstream(*folder_ / "pins.json") << "[[0,0],[1,1.2],[2,2.1],[4,4.5]]";
    ASSERT_EQ(stretch(voice(), "--material line --pins " + quoted(*folder_ / "pins.json")).code, 0);
    EXPECT_EQ(testkit::readSound(*folder_ / "out.wav").frames(), Frames(216000));
    ASSERT_EQ(stretch(voice(), "--material line --semitones 4 --cents 50").code, 0);
    const auto hertzAt = [](const std::filesystem::path& path) {
        const Json curve = Json::parse(run("pitch " + quoted(path) + " --json").out);
        EXPECT_EQ(curve["hop_s"], 0.005);
        std::vector<double> all;
        for (const Json& frame : curve["frames"]) {
            if (!frame["hz"].is_null()) {
                all.push_back(frame["hz"].get<double>());
            }
        }
        std::ranges::sort(all);
        return all[all.size() / 2];
    };
    const double moved = 1200.0 * std::log2(hertzAt(*folder_ / "out.wav") / hertzAt(voice()));
    EXPECT_NEAR(moved, 450.0, 5.0);
}

TEST_F(StretchCommand, RefusesWhatCannotBeMeantAndLeavesNothing)
{
    std::ofstream(*folder_ / "bad.json") << "[[0,0],[2,1],[1,3]]";
    std::ofstream(*folder_ / "worse.json") << "{\"pins\": 3}";
    for (const std::string& wrong :
         {std::string("--ratio 0"),
          std::string("--ratio 1000"),
          std::string("--ratio nan"),
          std::string("--ratio 1.1 --to-beats 4 --target-bpm 100"),
          std::string("--source-bpm 100"),
          std::string("--semitones 40"),
          std::string("--ratio 1.1 --material glass"),
          std::string()}) {
        const std::string material =
            wrong.find("--material") == wrong.npos ? " --material hits" : "";
        EXPECT_EQ(stretch(voice(), wrong + material, "wrong.wav").code, 2) << wrong;
    }
    EXPECT_EQ(stretch(voice(), "--material tape --semitones 2 --ratio 1.1", "wrong.wav").code, 2);
    for (const char* pins : {"bad.json", "worse.json", "none.json"}) {
        EXPECT_EQ(
            stretch(voice(), "--material hits --pins " + quoted(*folder_ / pins), "wrong.wav").code,
            3
        ) << pins;
    }
    EXPECT_FALSE(std::filesystem::exists(*folder_ / "wrong.wav"));
    // Never over its input.
    EXPECT_EQ(stretch(voice(), "--ratio 1.1 --material hits", "voice.wav").code, 2);
}
}  // namespace
}  // namespace orthochron
