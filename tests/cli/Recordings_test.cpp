#include "FitCommand.h"
#include "core/base/Hash.h"
#include "core/edits/FitEdits.h"
#include "core/edits/MarkEdits.h"
#include "core/edits/TakeEdits.h"
#include "core/files/MidiFile.h"
#include "core/files/MidiTempo.h"
#include "core/files/SongFile.h"
#include "testkit/Voice.h"

#include <algorithm>
#include <array>
#include <cmath>
#include <cstdio>
#include <fstream>
#include <limits>

// The commands that work on recordings.
namespace orthochron {
namespace {

TEST_F(FitCommand, ValuesThatCannotBeMeantAreWrongUsage)
{
    for (const char* wrong :
         {"--seed -1",
          "--material glass",
          "--drift nan",
          "--furthest-ms inf",
          "--lead-in-ms nan",
          "--crossfade-ms -nan"}) {
        EXPECT_EQ(run(fit("wrong", wrong)).code, 2) << wrong;
        EXPECT_FALSE(std::filesystem::exists(*folder_ / "wrong")) << wrong;
    }
    const auto other = *folder_ / "slow.wav";
    testkit::writeSound(
        other,
        testkit::soundOf(
            1.0, [](std::int64_t) { return 0.1; }, Hertz(44100.0)
        ),
        PrintFormat::Wav24,
        Hertz(44100.0)
    );
    const auto kick = quoted(kit_.takes[0]);
    EXPECT_EQ(run("onsets " + kick + " --against " + quoted(other)).code, 2);
}

TEST_F(FitCommand, WhatCannotBeWrittenToStandardOutputIsAFailure)
{
    const auto codeOf = [](const std::string& line) {
        return WEXITSTATUS(std::system(("bash -c '" + line + "'").c_str()));
    };
    const std::string shell = std::string(ORTHOCHRON_CLI) + " onsets \"" + kit_.takes[0].string() +
                              "\" --json 2>/dev/null";
    EXPECT_EQ(codeOf(shell + " >/dev/full"), 1);
    EXPECT_EQ(codeOf(shell + " | true; exit ${PIPESTATUS[0]}"), 1);
}

TEST_F(FitCommand, NamesOfAnyBytesWorkAndErrorsStayOnOneLine)
{
    const auto odd = *folder_ / "b\xff\nd.wav";
    std::filesystem::copy_file(kit_.takes[0], odd);
    const auto outcome = run("info " + quoted(odd) + " --json");
    EXPECT_EQ(outcome.code, 0);
    EXPECT_TRUE(Json::accept(outcome.out));
    FILE* pipe = ::popen(
        (std::string(ORTHOCHRON_CLI) + " info " + quoted(*folder_ / "no\nsuch.wav") + " 2>&1")
            .c_str(),
        "r"
    );
    std::string said;
    for (int c = std::fgetc(pipe); c != EOF; c = std::fgetc(pipe)) {
        said += static_cast<char>(c);
    }
    EXPECT_EQ(WEXITSTATUS(::pclose(pipe)), 3);
    EXPECT_EQ(std::ranges::count(said, '\n'), 1) << said;
}

TEST_F(FitCommand, OnsetsSayHowSureTheyAreAndListWhatWasLeftOut)
{
    const std::string snare =
        quoted(kit_.takes[2]) + " --against " + quoted(kit_.takes[0]) + " " + quoted(kit_.takes[4]);
    const Json plain = Json::parse(run("onsets " + snare + " --json").out);
    const Json asked = Json::parse(run("onsets " + snare + " --json --doubtful").out);
    EXPECT_FALSE(plain.contains("left_out"));
    EXPECT_EQ(plain["onsets"], asked["onsets"]);
    int sure = 0;
    for (const Json& onset : asked["onsets"]) {
        const double confidence = onset["confidence"];
        EXPECT_GE(confidence, 0.5);
        EXPECT_LE(confidence, 1.0);
        sure += confidence > 0.9 ? 1 : 0;
    }
    EXPECT_GT(sure, static_cast<int>(asked["onsets"].size()) * 8 / 10);
    for (const Json& left : asked["left_out"]) {
        // Not sure enough, or softer than the sensitivity lets through.
        EXPECT_TRUE(
            left["confidence"].get<double>() < 0.5 || left["strength"].get<double>() < 0.0317
        ) << left.dump();
    }
    EXPECT_NE(run("onsets " + snare + " --doubtful").out.find("left out"), std::string::npos);
}

TEST_F(FitCommand, TempoSaysHowATakeMayBeCountedAndWhereItsBeatsAre)
{
    const auto result = run("tempo " + quoted(kit_.takes[5]) + " --json");
    ASSERT_EQ(result.code, 0) << result.out;
    const auto json = nlohmann::json::parse(result.out);
    EXPECT_NEAR(json["bpm"].get<double>(), kit_.bpm, 0.5);
    EXPECT_EQ(json["candidates"][0]["bpm"], json["bpm"]);
    EXPECT_GT(json["candidates"].size(), 1U);
    EXPECT_GT(json["confidence"].get<double>(), 0.2);
    EXPECT_NEAR(static_cast<double>(json["beats"].size()), 34.0, 4.0);
    // A range of an octave settles which of half and double it is.
    const auto fast = nlohmann::json::parse(
        run("tempo " + quoted(kit_.takes[5]) + " --min 130 --max 260 --json").out
    );
    EXPECT_NEAR(fast["bpm"].get<double>(), 2.0 * kit_.bpm, 1.0);
}

TEST_F(FitCommand, WhereNoTempoStandsOutTempoSaysSo)
{
    const auto silence = *folder_ / "silence.wav";
    testkit::writeSound(silence, testkit::soundOf(2.0, [](std::int64_t) { return 0.0; }));
    const auto result = run("tempo " + quoted(silence) + " --json");
    EXPECT_EQ(result.code, 0);
    EXPECT_TRUE(nlohmann::json::parse(result.out)["bpm"].is_null());
    EXPECT_NE(run("tempo " + quoted(silence)).out.find("no clear tempo"), std::string::npos);
    EXPECT_EQ(run("tempo " + quoted(silence) + " --min 200 --max 60 --json").code, 2);
    EXPECT_EQ(run("tempo " + quoted(*folder_ / "none.wav") + " --json").code, 3);
}

TEST_F(FitCommand, TempomapSaysWhereBarsFallAndWritesThemAsMidi)
{
    const auto midi = *folder_ / "map.mid";
    const std::string takes = quoted(kit_.takes[0]) + " " + quoted(kit_.takes[5]);
    const auto result =
        run("tempomap " + takes + " --level beat --out " + quoted(midi) + " --json");
    ASSERT_EQ(result.code, 0) << result.out;
    const Json json = Json::parse(result.out);
    ASSERT_GT(json["points"].size(), 20U);
    EXPECT_EQ(json["meter"][0]["numerator"], 4);
    double last = -1.0;
    for (const Json& point : json["points"]) {
        EXPECT_GT(point["time_s"].get<double>(), last);
        last = point["time_s"].get<double>();
        EXPECT_NEAR(point["bpm"].get<double>(), kit_.bpm, 8.0);
        EXPECT_GE(point["confidence"].get<double>(), 0.0);
        EXPECT_LE(point["confidence"].get<double>(), 1.0);
    }
    const auto map = readMidiTempo(midi, {4, 4}, Seconds(0.0));
    ASSERT_TRUE(map);
    for (const Json& point : json["points"]) {
        if (point["beat"] == 1 && point["bar"] >= 1) {
            const Beats line = map->startOfBar(point["bar"].get<int>());
            EXPECT_NEAR(map->timeAt(line).count(), point["time_s"].get<double>(), 1e-4);
        }
    }
    // Only bars, from a first downbeat that is given.
    const Json bars = Json::parse(run("tempomap " + takes + " --first-downbeat 0.5 --json").out);
    EXPECT_LT(bars["points"].size(), json["points"].size() / 3);
    EXPECT_NEAR(bars["points"][0]["time_s"].get<double>(), 0.5, 0.02);
    EXPECT_EQ(bars["points"][0]["bar"], 1);
}

TEST_F(FitCommand, TempomapRefusesWhatCannotBeMeantAndHarmsNoTake)
{
    const std::string take = quoted(kit_.takes[5]);
    const auto size = std::filesystem::file_size(kit_.takes[5]);
    for (const std::string wrong :
         {"--meter 0/4", "--meter x", "--first-downbeat 9999", "--bpm-hint 0", "--level hour"}) {
        EXPECT_EQ(run("tempomap " + take + " " + wrong + " --json").code, 2) << wrong;
    }
    EXPECT_EQ(run("tempomap " + take + " --out " + take).code, 2);
    EXPECT_EQ(std::filesystem::file_size(kit_.takes[5]), size);
    const auto silence = *folder_ / "still.wav";
    testkit::writeSound(silence, testkit::soundOf(2.0, [](std::int64_t) { return 0.0; }));
    const auto result = run("tempomap " + quoted(silence) + " --json");
    EXPECT_EQ(result.code, 0);
    EXPECT_TRUE(Json::parse(result.out)["points"].empty());
    EXPECT_EQ(run("tempomap " + quoted(*folder_ / "none.wav")).code, 3);
}

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
        EXPECT_EQ(checked.code, 4);
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

TEST_F(FitCommand, HoldsASwungGridAndLeavesWhatLiesWithinTheTolerance)
{
    const Json swung =
        Json::parse(run(fit("swung", "--feel 100 --stray 100 --swing 60 --grid 1/16")).out);
    const double sixteenth = 15.0 / 92.0;
    int offbeats = 0;
    for (const Json& hit : swung["hits"]) {
        const double steps = (hit["grid_s"].get<double>() - 0.5) / sixteenth;
        const double part = std::abs(steps - std::round(steps));
        // Every second sixteenth stands 60 % through its eighth: 0.2 of a step late.
        EXPECT_TRUE(part < 1e-6 || std::abs(part - 0.2) < 1e-6) << steps;
        offbeats += part > 0.1 ? 1 : 0;
    }
    EXPECT_GT(offbeats, 0);

    const Json loose = Json::parse(run(fit("loose", "--stray 100 --leave-within-ms 500")).out);
    const Json tight = Json::parse(run(fit("tight", "--stray 100")).out);
    // A tolerance is about strays alone: all of them stay, and the drift goes either way.
    EXPECT_DOUBLE_EQ(
        loose["summary"]["stray_ms"][1].get<double>(), loose["summary"]["stray_ms"][0].get<double>()
    );
    EXPECT_NEAR(tight["summary"]["stray_ms"][1].get<double>(), 0.0, 1e-6);
    EXPECT_NEAR(loose["summary"]["drift_ms"][1].get<double>(), 0.0, 1e-6);
}

TEST_F(FitCommand, TakesTheGridFromATempoMap)
{
    MidiFile map;
    map.tempi = {{Beats(0.0), 92.0}};
    map.meters = {{Beats(0.0), {4, 4}}};
    ASSERT_TRUE(writeMidi(map, *folder_ / "map.mid"));
    std::string command =
        fit("mapped", "--map-offset 0.5 --tempo-map " + quoted(*folder_ / "map.mid"));
    for (const std::string_view gone : {"--bpm 92 ", "--first-downbeat 0.5 "}) {
        command.erase(command.find(gone), gone.size());
    }

    const Json mapped = Json::parse(run(command).out);
    const Json typed = Json::parse(run(fit("typed", "")).out);

    ASSERT_EQ(mapped["hits"].size(), typed["hits"].size());
    for (std::size_t i = 0; i < typed["hits"].size(); ++i) {
        EXPECT_NEAR(
            mapped["hits"][i]["target_s"].get<double>(),
            typed["hits"][i]["target_s"].get<double>(),
            1e-4
        );
    }
    EXPECT_EQ(run(fit("both", "--tempo-map " + quoted(*folder_ / "map.mid"))).code, 2);
}

TEST_F(FitCommand, HumanisesTheSameWithTheSameSeed)
{
    const auto targets = [&](const std::string& more) {
        std::vector<double> all;
        const Json report =
            Json::parse(run(fit("human", "--stray 100 --humanise-ms 4 " + more)).out);
        for (const Json& hit : report["hits"]) {
            all.push_back(hit["target_s"].get<double>());
        }
        return all;
    };
    const auto one = targets("--seed 5");
    EXPECT_EQ(one, targets("--seed 5"));
    EXPECT_NE(one, targets("--seed 6"));
}

TEST_F(FitCommand, PutsEachJoinInItsListOnceForTheWholeSet)
{
    const Json report = Json::parse(
        run(fit("joins", "--crossfade-ms 8 --crossfade-shape equal-gain --lead-in-ms 6")).out
    );
    double last = -1.0;
    ASSERT_GT(report["joins"].size(), 20U);
    for (const Json& join : report["joins"]) {
        EXPECT_EQ(join["shape"], "equal-gain");
        EXPECT_LE(join["length_ms"].get<double>(), 8.001);
        EXPECT_GT(join["time_s"].get<double>(), last);
        last = join["time_s"].get<double>();
        for (const Json& hit : report["hits"]) {
            const double ahead = hit["target_s"].get<double>() - last;
            const double length = join["length_ms"].get<double>() / 1000.0;
            // No join reaches into the lead-in of a main hit.
            EXPECT_FALSE(hit["role"] == "main" && ahead > 0.0 && ahead < length + 0.0039)
                << "join at " << last;
        }
    }
}

TEST_F(FitCommand, OnsetsAreListenedForInABandAndInAWay)
{
    const std::string over = quoted(kit_.takes[5]);
    const auto count = [&](const std::string& more) {
        const Outcome outcome = run("onsets --json " + over + " " + more);
        EXPECT_EQ(outcome.code, 0) << more;
        return Json::parse(outcome.out)["onsets"].size();
    };
    const std::size_t all = count("");
    // Hats and cymbals begin in the high band alone.
    EXPECT_LT(count("--band low"), count("--band high"));
    EXPECT_EQ(count("--band 20-150"), count("--band low"));
    EXPECT_NE(count("--way weak"), all);
    EXPECT_LE(count("--sensitivity 10"), all);
    EXPECT_LE(count("--min-gap-ms 400"), all);
    for (const std::string wrong : {"--band x", "--band 500-50", "--band 1-2-3", "--way loud"}) {
        EXPECT_EQ(run("onsets --json " + over + " " + wrong).code, 2) << wrong;
    }
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

}  // namespace
}  // namespace orthochron
