#include "Cli.h"
#include "core/base/Hash.h"
#include "core/edits/FitEdits.h"
#include "core/edits/MarkEdits.h"
#include "core/edits/TakeEdits.h"
#include "core/files/SongFile.h"
#include "core/render/Sources.h"

#include <cmath>
#include <fstream>

// The commands that work on songs.
namespace orthochron {
namespace {

// A song that was fitted and saved, as the window leaves it.
class SongCommands : public testing::Test {
protected:
    static void SetUpTestSuite()
    {
        folder_ = std::make_unique<Folder>();
        const auto kit = testkit::writeSmallKit(folder_->path(), 12);
        Song song;
        song.name = "Small kit";
        song.tempo = *TempoMap::steady(kit.bpm, {}, Seconds(kit.firstDownbeat));
        std::vector<ImportedTake> takes;
        for (const auto& path : kit.takes) {
            takes.push_back({*takeFromFile(path, song.rate, folder_->path()), false});
        }
        song = *addTakes(song, std::move(takes));
        std::vector<TrackId> tracks;
        for (const auto& track : song.tracks) {
            tracks.push_back(track->id);
        }
        song = *makeSet(song, tracks, "Kit");
        song = *setLead(*setLead(song, tracks[0], true), tracks[2], true);
        const auto sources = Sources::open(song, folder_->path());
        const SetId set = song.sets[0].id;
        song = *placeMarks(song, set, *analyseSet(song, set, **sources), {});
        song = fitSet(song, set, {}, **sources)->song;
        ASSERT_TRUE(saveSong({History(song), {}}, *folder_ / "kit.orthochron"));
    }
    static void TearDownTestSuite() { folder_.reset(); }
    static std::string song() { return quoted(*folder_ / "kit.orthochron"); }

    static inline std::unique_ptr<Folder> folder_;
};

TEST_F(SongCommands, ReportIsWrittenInThreeKindsOfTheSameThings)
{
    const auto json = *folder_ / "r.json";
    const Outcome outcome = run("report --json " + song() + " --out " + quoted(json));
    ASSERT_EQ(outcome.code, 0);
    const Json said = Json::parse(outcome.out)["reports"][0];
    const Json report = Json::parse(std::ifstream(json));

    EXPECT_EQ(said["set"], "Kit");
    EXPECT_EQ(report["hits"].size(), said["hits"].get<std::size_t>());
    EXPECT_EQ(report["joins"].size(), said["joins"].get<std::size_t>());
    EXPECT_GT(said["joins"], 40);

    ASSERT_EQ(run("report " + song() + " --out " + quoted(*folder_ / "r.csv")).code, 0);
    std::ifstream table(*folder_ / "r.csv");
    std::size_t rows = 0;
    for (std::string line; std::getline(table, line);) {
        rows += line.empty() ? 0U : 1U;
    }
    EXPECT_GT(rows, report["joins"].size());
    ASSERT_EQ(run("report " + song() + " --out " + quoted(*folder_ / "r.html")).code, 0);
    std::stringstream page;
    page << std::ifstream(*folder_ / "r.html").rdbuf();
    EXPECT_NE(page.str().find("<svg"), std::string::npos);
}

TEST_F(SongCommands, SetsOfAnyNameHaveReportsOfTheirOwn)
{
    const auto file = *folder_ / "sets.orthochron";
    Song two = *loadSong(*folder_ / "kit.orthochron")->history.song();
    MicSet second = two.sets[0];
    two.sets[0].name = second.name = "A/B";
    const TrackId moved = two.sets[0].tracks.back();
    two = *removeTrack(two, moved);
    second.id = SetId{++two.lastId};
    second.tracks = two.sets[0].tracks;
    second.variants.clear();
    second.recipe = two.sets[0].recipe;
    two.sets.push_back(second);
    ASSERT_TRUE(saveSong({History(two), {}}, file));
    const Outcome outcome =
        run("report --json " + quoted(file) + " --out " + quoted(*folder_ / "sets.json"));
    ASSERT_EQ(outcome.code, 0);
    EXPECT_TRUE(std::filesystem::exists(*folder_ / "sets A-B.json"));
    EXPECT_TRUE(std::filesystem::exists(*folder_ / "sets A-B 2.json"));
}

TEST_F(SongCommands, ATakeReplacedByOneOfEqualSizeIsNotPrinted)
{
    const Folder other;
    const auto level = [&](double height) {
        testkit::writeSound(other / "t.wav", testkit::soundOf(0.2, [&](std::int64_t) {
                                return height;
                            }));
    };
    level(0.1);
    Song song;
    song = *addTakes(song, {{*takeFromFile(other / "t.wav", song.rate, other.path()), false}});
    ASSERT_TRUE(saveSong({History(song), {}}, other / "s.orthochron"));
    const std::string command =
        "render " + quoted(other / "s.orthochron") + " --out " + quoted(other / "mix.wav");
    EXPECT_EQ(run(command).code, 0);
    level(0.2);
    std::filesystem::remove(other / "mix.wav");
    EXPECT_EQ(run(command).code, 3);
    EXPECT_FALSE(std::filesystem::exists(other / "mix.wav"));
}

TEST_F(SongCommands, ReportRefusesWhatItCannotWriteOrRead)
{
    EXPECT_EQ(run("report " + song()).code, 2);
    EXPECT_EQ(run("report " + song() + " --out " + quoted(*folder_ / "r.pdf")).code, 2);
    EXPECT_EQ(run("report /nowhere.orthochron --out " + quoted(*folder_ / "r.csv")).code, 3);
    EXPECT_EQ(run("report " + song() + " --out /nowhere/at/all/r.csv").code, 1);
    EXPECT_FALSE(std::filesystem::exists(*folder_ / "r.pdf"));
}

TEST_F(SongCommands, CheckNamesTheSameFindingsAsTheReport)
{
    const Outcome checked = run("check --json " + song());
    ASSERT_EQ(checked.code, 0);
    const Json findings = Json::parse(checked.out)["findings"];
    ASSERT_EQ(run("report " + song() + " --out " + quoted(*folder_ / "same.json")).code, 0);
    const Json report = Json::parse(std::ifstream(*folder_ / "same.json"));
    EXPECT_EQ(report["findings"].size(), findings.size());
    EXPECT_EQ(run("check --strict --json " + song()).code, findings.empty() ? 0 : 1);
    for (const Json& finding : findings) {
        EXPECT_EQ(finding["kind"], "dip");
        EXPECT_EQ(finding["unit"], "dB");
    }
}

TEST_F(SongCommands, InfoTellsOfASongAndOfAFile)
{
    const Json about = Json::parse(run("info --json " + song()).out);
    EXPECT_EQ(about["tracks"].size(), 8U);
    const Json file = Json::parse(run("info --json " + quoted(*folder_ / "Kick in.wav")).out);
    EXPECT_EQ(file["sample_rate"], 48000);
    EXPECT_EQ(file["channels"], 1);
    EXPECT_EQ(run("info --json /nowhere.wav").code, 3);
    std::ofstream(*folder_ / "broken.orthochron") << "{";
    EXPECT_EQ(run("info --json " + quoted(*folder_ / "broken.orthochron")).code, 3);
    EXPECT_EQ(run("check --json " + quoted(*folder_ / "broken.orthochron")).code, 3);
}

TEST_F(SongCommands, RenderWritesEveryFormatAtTheSongsRateAndTheAskedLength)
{
    const Frames two(std::llround(8 * 60.0 / 92.0 * 48000.0));
    for (const std::string format : {"wav16", "wav24", "wav32f", "flac"}) {
        const auto file = *folder_ / ("mix." + std::string(format == "flac" ? "flac" : "wav"));
        ASSERT_EQ(
            run("render " + song() + " --range 3:5 --format " + format + " --out " + quoted(file))
                .code,
            0
        );
        const AudioBuffer mix = testkit::readSound(file);
        EXPECT_EQ(mix.frames(), two) << format;
        EXPECT_EQ(mix.channels(), 2);
        float peak = 0.0F;
        for (const float value : mix.channel(0)) {
            peak = std::max(peak, std::abs(value));
        }
        EXPECT_GT(peak, 0.05F);
    }
    EXPECT_EQ(run("render " + song() + " --range 5:3 --out /tmp/x.wav").code, 2);
    EXPECT_EQ(run("render " + song() + " --range x --out /tmp/x.wav").code, 2);
    EXPECT_EQ(run("render " + song() + " --format mp3 --out /tmp/x.wav").code, 2);
    EXPECT_EQ(run("render " + song() + " --out /nowhere/at/all/x.wav").code, 1);
}

TEST_F(SongCommands, PrintedInPlaceASongRendersToTheSameBytes)
{
    const auto before = *folder_ / "before.wav";
    ASSERT_EQ(run("render " + song() + " --format wav32f --out " + quoted(before)).code, 0);
    for (const std::string how : {"--in-place", "--below"}) {
        const auto printed = *folder_ / ("printed" + how + ".orthochron");
        const Outcome outcome =
            run("print --json " + song() + " --track Kit --format wav32f " + how + " --out " +
                quoted(printed));
        ASSERT_EQ(outcome.code, 0);
        EXPECT_EQ(Json::parse(outcome.out)["printed"], Json({"Kit"}));
        const auto after = *folder_ / ("after" + how + ".wav");
        ASSERT_EQ(
            run("render " + quoted(printed) + " --format wav32f --out " + quoted(after)).code, 0
        );
        EXPECT_EQ(*hashOfFile(after), *hashOfFile(before)) << how;
        EXPECT_EQ(run("verify " + quoted(printed)).code, 0);
    }
    EXPECT_TRUE(std::filesystem::exists(*folder_ / "printed/Kick in print 2.wav"));
    const std::string out = " --out " + quoted(*folder_ / "never.orthochron");
    EXPECT_EQ(run("print " + song() + out).code, 2);
    EXPECT_EQ(run("print " + song() + " --in-place --below" + out).code, 2);
    EXPECT_EQ(run("print " + song() + " --in-place --track Nobody" + out).code, 2);
    EXPECT_EQ(run("print " + song() + " --in-place --out " + song()).code, 2);
}

TEST_F(SongCommands, EveryCommandExplainsItself)
{
    for (const std::string command :
         {"demo", "info", "onsets", "fit", "check", "render", "print", "report", "verify"}) {
        const Outcome outcome = run(command + " --help");
        EXPECT_EQ(outcome.code, 0) << command;
        EXPECT_NE(outcome.out.find("--"), std::string::npos);
    }
    EXPECT_EQ(run("").code, 2);
    EXPECT_EQ(run("fit").code, 2);
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
    // Neither takes nor the song are ever written over, nor is a device.
    const auto hashes = [&] {
        std::string all;
        for (const auto& each : std::filesystem::directory_iterator(folder.path())) {
            all += each.is_regular_file() ? *hashOfFile(each.path()) : "";
        }
        return all;
    };
    const std::string before = hashes();
    for (const std::string& where :
         {"--stems " + quoted(folder.path()),
          "--out " + quoted(folder / "Kick in.wav"),
          "--out " + song,
          std::string("--out /dev/null")}) {
        EXPECT_EQ(run("render " + song + " --range 1:2 " + where).code, 2) << where;
        EXPECT_EQ(hashes(), before) << where;
    }
    EXPECT_EQ(
        run("fit " + quoted(folder / "Room.wav") + " --lead " + quoted(folder / "Room.wav") +
            " --bpm 92 --out-dir " + quoted(folder.path()))
            .code,
        2
    );
    EXPECT_EQ(hashes(), before);

    ASSERT_EQ(run("render " + song + " --range 2:3 --stems " + quoted(folder / "stems")).code, 0);
    EXPECT_TRUE(std::filesystem::exists(folder / "stems/Kick in.wav"));

    std::filesystem::remove(folder / "Tom.wav");
    EXPECT_EQ(run("verify --json " + song).code, 3);
    EXPECT_EQ(run("render " + song + " --out " + quoted(folder / "x.wav")).code, 3);
    EXPECT_FALSE(std::filesystem::exists(folder / "x.wav"));
}

}  // namespace
}  // namespace orthochron
