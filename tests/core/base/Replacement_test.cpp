#include "core/base/Replacement.h"

#include <gtest/gtest.h>
#include <sys/stat.h>
#include <unistd.h>

#include "testkit/Folder.h"

#include <fstream>

namespace orthochron {
namespace {

namespace fs = std::filesystem;
using testkit::Folder;

void write(const fs::path& path, const std::string& text)
{
    std::ofstream(path) << text;
}

std::string textOf(const fs::path& path)
{
    std::ifstream file(path);
    return {std::istreambuf_iterator<char>(file), {}};
}

std::ptrdiff_t filesIn(const Folder& folder)
{
    return std::distance(fs::directory_iterator(folder.path()), {});
}

Replacement replacing(const fs::path& path, const std::string& text)
{
    auto replacement = Replacement::of(path);
    EXPECT_TRUE(replacement);
    write(replacement->beside(), text);
    return std::move(*replacement);
}

TEST(Replacement, DroppedLeavesWhatWasThere)
{
    const Folder folder;
    write(folder / "a", "old");
    (void)replacing(folder / "a", "new");
    EXPECT_EQ(textOf(folder / "a"), "old");
    EXPECT_EQ(filesIn(folder), 1);
}

TEST(Replacement, WritesThroughALinkAndKeepsThePermissions)
{
    const Folder folder;
    write(folder / "real", "old");
    ::chmod((folder / "real").c_str(), 0600);
    fs::create_symlink("real", folder / "link");

    ASSERT_TRUE(replacing(folder / "link", "new").commit());

    EXPECT_TRUE(fs::is_symlink(folder / "link"));
    EXPECT_EQ(textOf(folder / "real"), "new");
    EXPECT_EQ(fs::status(folder / "real").permissions(), fs::perms(0600));
    EXPECT_EQ(filesIn(folder), 2);
}

TEST(Replacement, ReplacesNothingButRegularFiles)
{
    const Folder folder;
    fs::create_directory(folder / "folder");
    ::mkfifo((folder / "pipe").c_str(), 0600);
    for (const fs::path& path : {folder / "folder", folder / "pipe", fs::path("/dev/null")}) {
        const auto replacement = Replacement::of(path);
        ASSERT_FALSE(replacement) << path;
        EXPECT_EQ(replacement.error().kind, ErrorKind::BadArgument);
    }
}

TEST(Replacement, AllArePutInPlaceOrNone)
{
    const Folder folder;
    write(folder / "a", "old a");
    std::vector<Replacement> all;
    all.push_back(replacing(folder / "a", "new a"));
    all.push_back(replacing(folder / "b", "new b"));
    all.push_back(replacing(folder / "c", "new c"));
    fs::create_directory(folder / "c");  // comes in between
    write(folder / "c/inside", "kept");

    EXPECT_FALSE(commitAll(all));

    all.clear();
    EXPECT_EQ(textOf(folder / "a"), "old a");
    EXPECT_FALSE(fs::exists(folder / "b"));
    EXPECT_EQ(textOf(folder / "c/inside"), "kept");
    EXPECT_EQ(filesIn(folder), 2);
}

TEST(Replacement, SweepsUpAfterRunsThatNoLongerLiveOnly)
{
    const Folder folder;
    // No process has this number: the kernel gives out fewer.
    write(folder / ".a.2000000000.part", "half");
    write(folder / ".a.1.part", "being written");
    write(folder / ".a.b.part", "somebody's own");
    (void)replacing(folder / "a", "new");
    EXPECT_FALSE(fs::exists(folder / ".a.2000000000.part"));
    EXPECT_TRUE(fs::exists(folder / ".a.1.part"));
    EXPECT_TRUE(fs::exists(folder / ".a.b.part"));
}

TEST(CheckOutputs, RefusesTakesSongsTwinsAndWhatIsNoFile)
{
    const Folder folder;
    write(folder / "take.wav", "");
    write(folder / "other.wav", "");
    write(folder / "song.orthochron", "");
    fs::create_hard_link(folder / "take.wav", folder / "twin.wav");
    fs::create_symlink("take.wav", folder / "link.wav");
    fs::create_symlink("song.orthochron", folder / "song.wav");
    const std::vector<fs::path> kept{folder / "take.wav"};
    const auto accepts = [&](const std::vector<fs::path>& outputs) {
        return checkOutputs(outputs, kept).has_value();
    };
    EXPECT_TRUE(accepts({folder / "new.wav", folder / "other.wav"}));
    EXPECT_FALSE(accepts({folder / "take.wav"}));
    EXPECT_FALSE(accepts({folder / "twin.wav"}));
    EXPECT_FALSE(accepts({folder / "link.wav"}));
    EXPECT_FALSE(accepts({folder / "." / "take.wav"}));
    EXPECT_FALSE(accepts({folder / "song.orthochron"}));
    EXPECT_FALSE(accepts({folder / "song.wav"}));
    EXPECT_FALSE(accepts({"/dev/null"}));
    EXPECT_FALSE(accepts({folder / "x.wav", folder / "." / "x.wav"}));
}

}  // namespace
}  // namespace orthochron
