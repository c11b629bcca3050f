#include "core/files/Collect.h"

#include <gtest/gtest.h>

#include "core/edits/TakeEdits.h"
#include "core/files/TakeCheck.h"
#include "testkit/Folder.h"

#include <fstream>

namespace orthochron {

namespace {

using testkit::Folder;

// Two takes of one name in two folders, one of them only in an earlier version.
class Collect : public testing::Test {
protected:
    Collect() : history_(Song())
    {
        for (const char* name : {"a/take.wav", "b/take.wav"}) {
            std::filesystem::create_directories((folder_ / name).parent_path());
            AudioBuffer audio(1, Frames(4800));
            audio.channel(0)[100] = name[0] == 'a' ? 0.5F : 0.25F;
            testkit::writeSound(folder_ / name, audio, PrintFormat::Wav24);
            Song song = *addTakes(
                *history_.song(),
                {{*takeFromFile(folder_ / name, Hertz(48000.0), folder_.path()), false}}
            );
            song.name = "Two";
            history_.add(std::move(song), "Import");
        }
        history_.add(*removeTrack(*history_.song(), history_.song()->tracks[0]->id), "Delete");
    }
    Folder folder_;
    History history_;
};

}  // namespace

TEST_F(Collect, AFolderHoldsAllThatIsNeeded)
{
    const auto song = collectSong({history_, {}}, folder_.path(), folder_ / "all");
    ASSERT_TRUE(song) << song.error().message;
    std::filesystem::remove_all(folder_ / "a");
    std::filesystem::remove_all(folder_ / "b");

    auto loaded = loadSong(*song);
    ASSERT_TRUE(loaded);
    EXPECT_EQ(loaded->history.song()->name, "Two");
    loaded->history.undo();  // the take that was deleted came along
    EXPECT_EQ(loaded->history.song()->tracks.size(), 2U);
    const auto troubles = checkTakes(*loaded->history.song(), song->parent_path(), KnownHashes());
    ASSERT_TRUE(troubles);
    EXPECT_TRUE(troubles->empty());
}

TEST_F(Collect, NothingIsLeftWhereATakeIsMissingOrChanged)
{
    std::ofstream(folder_ / "b/take.wav", std::ios::app) << "more";
    const auto changed = collectSong({history_, {}}, folder_.path(), folder_ / "all");
    ASSERT_FALSE(changed);
    EXPECT_EQ(changed.error().kind, ErrorKind::BadInput);
    EXPECT_FALSE(std::filesystem::exists(folder_ / "all"));
    std::filesystem::remove(folder_ / "b/take.wav");
    EXPECT_FALSE(collectSong({history_, {}}, folder_.path(), folder_ / "all"));
    EXPECT_FALSE(std::filesystem::exists(folder_ / "all"));
}

TEST_F(Collect, AFolderWithSomethingInItIsLeftAlone)
{
    const auto into = collectSong({history_, {}}, folder_.path(), folder_ / "a");
    ASSERT_FALSE(into);
    EXPECT_EQ(into.error().kind, ErrorKind::BadArgument);
    EXPECT_TRUE(std::filesystem::exists(folder_ / "a/take.wav"));
}

}  // namespace orthochron
