#include "core/files/TakeCheck.h"

#include <gtest/gtest.h>

#include "core/audio/SoundFile.h"
#include "core/edits/TakeEdits.h"
#include "core/render/Sources.h"
#include "testkit/Folder.h"

#include <fstream>

namespace orthochron {
namespace {

using testkit::Folder;

void recordLevel(const std::filesystem::path& path, double level)
{
    testkit::writeSound(path, testkit::soundOf(0.1, [level](std::int64_t) { return level; }));
}

class TakeCheckTest : public testing::Test {
protected:
    TakeCheckTest()
    {
        recordLevel(folder / "a.wav", 0.1);
        recordLevel(folder / "b.wav", 0.2);
        song = *addTakes(
            song,
            {{*takeFromFile(folder / "a.wav", song.rate, folder.path()), false},
             {*takeFromFile(folder / "b.wav", song.rate, folder.path()), false}}
        );
    }

    Folder folder;
    KnownHashes known{folder / "cache"};
    Song song;
};

TEST_F(TakeCheckTest, NoticesTakesThatAreMissingOrChanged)
{
    EXPECT_TRUE(checkTakes(song, folder.path(), known)->empty());
    EXPECT_EQ(song.takes[0].path, "a.wav");

    // The same length, another sound: only its content tells.
    recordLevel(folder / "a.wav", 0.3);
    std::filesystem::remove(folder / "b.wav");

    const auto troubles = *checkTakes(song, folder.path(), known);
    ASSERT_EQ(troubles.size(), 2U);
    EXPECT_FALSE(troubles[0].isMissing);
    EXPECT_TRUE(troubles[1].isMissing);
    // By now it is known, and costs nothing.
    EXPECT_TRUE(glanceAtTake(song.takes[0], folder.path(), known));
    EXPECT_TRUE(glanceAtTake(song.takes[1], folder.path(), known));
}

TEST_F(TakeCheckTest, SaysHowFarItIsAndStopsWhenItIsTold)
{
    std::vector<double> said;
    std::stop_source stop;
    Work work{stop.get_token(), [&](double done) { said.push_back(done); }};
    ASSERT_TRUE(checkTakes(song, folder.path(), known, work));
    EXPECT_EQ(said, (std::vector{0.0, 0.5, 1.0}));
    stop.request_stop();
    EXPECT_EQ(checkTakes(song, folder.path(), known, work).error().kind, ErrorKind::Cancelled);
}

TEST_F(TakeCheckTest, ReadsNoFileAgainThatWasNotTouched)
{
    ASSERT_TRUE(checkTakes(song, folder.path(), known)->empty());
    EXPECT_EQ(known.find(folder / "a.wav"), song.takes[0].hash);

    // Another program may put back the old time of change, but not write without a trace.
    const auto before = std::filesystem::last_write_time(folder / "a.wav");
    std::filesystem::last_write_time(folder / "a.wav", before + std::chrono::seconds(5));
    EXPECT_EQ(known.find(folder / "a.wav"), "");
    EXPECT_TRUE(checkTakes(song, folder.path(), known)->empty());
    EXPECT_EQ(known.find(folder / "a.wav"), song.takes[0].hash);
}

TEST_F(TakeCheckTest, ACacheThatCannotBeReadOrWrittenOnlyCostsTime)
{
    ASSERT_TRUE(checkTakes(song, folder.path(), known)->empty());
    for (const auto& entry : std::filesystem::directory_iterator(folder / "cache")) {
        std::ofstream(entry.path(), std::ios::trunc) << "{\"stamp\": 7, \"hash\": [";
    }
    EXPECT_TRUE(checkTakes(song, folder.path(), known)->empty());
    EXPECT_TRUE(checkTakes(song, folder.path(), KnownHashes("/proc/none"))->empty());
    EXPECT_TRUE(checkTakes(song, folder.path(), KnownHashes())->empty());
}

TEST(OpenFiles, HundredsOfTakesNeedFewDescriptors)
{
    const Folder folder;
    constexpr int kTakes = 600;
    Sources sources;
    const auto openNow = [] {
        return std::distance(std::filesystem::directory_iterator("/proc/self/fd"), {});
    };
    const auto before = openNow();
    for (int i = 0; i < kTakes; ++i) {
        const auto path = folder / (std::to_string(i) + ".wav");
        recordLevel(path, (i + 1) / 1000.0);
        auto reader = SoundFileReader::open(path);
        ASSERT_TRUE(reader);
        sources.put(TakeId{static_cast<std::uint32_t>(i + 1)}, std::move(*reader), path);
    }
    EXPECT_LE(openNow() - before, static_cast<std::ptrdiff_t>(OpenFiles::kMost) + 2);
    // All of them are heard, in any order and again.
    for (int pass = 0; pass < 2; ++pass) {
        for (int i = kTakes; i-- > 0;) {
            std::array<float, 64> heard{};
            const TakeId take{static_cast<std::uint32_t>(i + 1)};
            ASSERT_TRUE(sources.read(take, 0, Frames(pass * 100), heard));
            EXPECT_NEAR(heard[63], (i + 1) / 1000.0, 1e-4);
        }
    }
}

TEST(OpenFiles, AnotherFileInItsPlaceIsNotReadOnSilently)
{
    const Folder folder;
    recordLevel(folder / "a.wav", 0.1);
    auto reader = SoundFileReader::open(folder / "a.wav");
    ASSERT_TRUE(reader);
    std::filesystem::remove(folder / "a.wav");
    recordLevel(folder / "a.wav", 0.2);
    // Other files push it out of those that are open.
    std::vector<std::unique_ptr<SoundFileReader>> others;
    for (std::size_t i = 0; i < OpenFiles::kMost; ++i) {
        others.push_back(*SoundFileReader::open(folder / "a.wav"));
    }
    AudioBuffer heard(1, Frames(64));
    const auto read = (*reader)->read(Frames(0), heard);
    ASSERT_FALSE(read);
    EXPECT_NE(read.error().message.find("a.wav"), std::string::npos);
}

}  // namespace
}  // namespace orthochron
