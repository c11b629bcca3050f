#include "cli/Cli.h"
#include "core/audio/SoundFile.h"
#include "core/edits/SpeedEdits.h"
#include "core/files/SongFile.h"
#include "testkit/Folder.h"

#include <cmath>

// `shape`, what `render` makes of it and what `info` says of it.
namespace orthochron {
namespace {

class ShapeCommand : public testing::Test {
protected:
    static void SetUpTestSuite()
    {
        demo_ = std::make_unique<Folder>();
        ASSERT_EQ(run("demo " + quoted(demo_->path())).code, 0);
    }
    static void TearDownTestSuite() { demo_.reset(); }
    [[nodiscard]] static std::string song() { return quoted(*demo_ / "Lantern Weir.orthochron"); }
    [[nodiscard]] static AudioBuffer printed(const std::string& song)
    {
        const Folder folder;
        EXPECT_EQ(
            run("render " + song + " --format wav32f --out " + quoted(folder / "mix.wav")).code, 0
        );
        return testkit::readSound(folder / "mix.wav");
    }

    static inline std::unique_ptr<Folder> demo_;
};

TEST_F(ShapeCommand, FadesTheSongToTheExactCurveAndHushesItsBars)
{
    // Elsewhere, so that the takes have to be found from there.
    const Folder folder;
    const auto out = folder / "shaped.orthochron";
    ASSERT_EQ(
        run("shape " + song() + " --fade-out 8bars --fade-in 2s --hush 5:6 --out " + quoted(out))
            .code,
        0
    );
    const Json info = Json::parse(run("info --json " + quoted(out)).out);
    ASSERT_EQ(info["level_lines"].size(), 1U);
    const Json& points = info["level_lines"][0]["points"];
    ASSERT_EQ(points.size(), 4U);
    EXPECT_TRUE(points[3]["level_db"].is_null());
    const double begin = points[2]["time_s"];
    const double end = points[3]["time_s"];
    EXPECT_NEAR(end - begin, 8 * 4 * 60.0 / 92.0, 1e-3);
    ASSERT_EQ(info["hushes"].size(), 1U);
    EXPECT_EQ(info["hushes"][0]["tracks"].size(), 8U);

    const AudioBuffer before = printed(song());
    const AudioBuffer after = printed(quoted(out));
    ASSERT_EQ(before.frames(), after.frames());
    const auto hushed =
        static_cast<std::int64_t>(info["hushes"][0]["from_s"].get<double>() * 48000.0);
    for (std::int64_t i = 0; i < before.frames().count(); i += 97) {
        const double at = static_cast<double>(i) / 48000.0;
        if (std::abs(at - info["hushes"][0]["from_s"].get<double>()) < 3.0) {
            continue;
        }
        double gain = 1.0;
        if (at < 2.0) {
            gain = std::pow(at / 2.0, 3.0);
        } else if (at > begin) {
            gain = std::pow(std::clamp((end - at) / (end - begin), 0.0, 1.0), 3.0);
        }
        const auto frame = static_cast<std::size_t>(i);
        EXPECT_NEAR(
            static_cast<double>(after.channel(0)[frame]),
            gain * static_cast<double>(before.channel(0)[frame]),
            1.2e-3 * gain * 0.3 + 1e-6
        );
    }
    for (std::int64_t i = hushed + 1; i < hushed + 100000; i += 97) {
        EXPECT_EQ(after.channel(0)[static_cast<std::size_t>(i)], 0.0F);
    }
}

TEST_F(ShapeCommand, ShapesSingleTracksAndMicSetsByName)
{
    const Folder folder;
    const auto out = folder / "shaped.orthochron";
    ASSERT_EQ(
        run("shape " + song() + " --fade-out 2bars --shape under --track Tom --track Room --out " +
            quoted(out))
            .code,
        0
    );
    const auto document = loadSong(out);
    ASSERT_TRUE(document);
    const Song& shaped = *document->history.song();
    EXPECT_TRUE(shaped.level.isEmpty());
    EXPECT_EQ(shaped.tracks[4]->level.points.size(), 2U);
    EXPECT_LT(shaped.tracks[7]->level.points.front().bend, 0.0);
    EXPECT_TRUE(shaped.tracks[0]->level.isEmpty());
    EXPECT_EQ(document->history.undoName(), "Shape from command line");
    const auto kit = folder / "kit.orthochron";
    ASSERT_EQ(run("shape " + song() + " --track Kit --hush 2:4 --out " + quoted(kit)).code, 0);
    EXPECT_EQ(loadSong(kit)->history.song()->tracks[6]->hushes.size(), 1U);
}

TEST_F(ShapeCommand, SaysWhatCannotBe)
{
    const Folder folder;
    const std::string out = " --out " + quoted(folder / "x.orthochron");
    for (const std::string wrong :
         {"",
          " --fade-out 8",
          " --fade-out -2bars",
          " --fade-out nans",
          " --fade-out 1000bars",
          " --fade-out 8bars --shape round",
          " --hush 5:5",
          " --hush 6:5",
          " --hush five",
          " --fade-out 8bars --track Nobody"}) {
        EXPECT_EQ(run("shape " + song() + wrong + out).code, 2) << wrong;
        EXPECT_FALSE(std::filesystem::exists(folder / "x.orthochron")) << wrong;
    }
    EXPECT_EQ(run("shape " + song() + " --hush 2:3 --out " + song()).code, 2);
    EXPECT_EQ(run("shape " + song() + " --hush 2:3 --out " + quoted(folder / "x.wav")).code, 2);
    EXPECT_EQ(run("shape /nowhere.orthochron --hush 2:3" + out).code, 3);
}

TEST_F(ShapeCommand, TheShapedDemoSongSaysWhatItHas)
{
    const Json info =
        Json::parse(run("info --json " + quoted(*demo_ / "Lantern Weir, shaped.orthochron")).out);
    EXPECT_EQ(info["level_lines"].size(), 2U);
    EXPECT_EQ(info["hushes"].size(), 1U);
    EXPECT_EQ(info["spins"].size(), 8U);
    EXPECT_EQ(info["spins"][0]["kind"], "spin-down");
    EXPECT_TRUE(info["speed_lines"].empty());
}

TEST_F(ShapeCommand, SpeedLinesAreListedAndRendered)
{
    // Beside the takes, which a song finds by where it lies.
    const auto path = *demo_ / "fast.orthochron";
    Song fast = *loadSong(*demo_ / "Lantern Weir.orthochron")->history.song();
    const ClipChoice clip{fast.tracks.back()->clips.front().id};
    const std::vector<SpeedPoint> points{{Frames(48000), 1.0}, {Frames(96000), 2.0}};
    fast = *setSpeed(fast, clip, {.points = points});
    ASSERT_TRUE(saveSong({History(fast), {}}, path));

    const Json info = Json::parse(run("info --json " + quoted(path)).out);

    ASSERT_GE(info["speed_lines"].size(), 1U);
    EXPECT_EQ(info["speed_lines"][0]["pitch_alone"], false);
    EXPECT_EQ(info["speed_lines"][0]["points"].size(), 2U);
    EXPECT_EQ(info["speed_lines"][0]["points"][1]["speed"], 2.0);
    EXPECT_NE(printed(quoted(path)), printed(song()));
}

}  // namespace
}  // namespace orthochron
