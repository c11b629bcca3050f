#include "core/files/AtomicFile.h"

#include <gtest/gtest.h>

#include "core/base/Hash.h"
#include "testkit/Folder.h"

#include <fstream>

namespace orthochron {
namespace {

using testkit::Folder;

std::size_t filesIn(const std::filesystem::path& folder)
{
    const std::filesystem::directory_iterator entries(folder);
    return static_cast<std::size_t>(std::distance(begin(entries), end(entries)));
}

TEST(AtomicFile, ReplacesTheWholeFileAndLeavesNothingBesideIt)
{
    const Folder folder;
    ASSERT_TRUE(writeAtomically(folder / "a", "the first text, which is longer"));
    ASSERT_TRUE(writeAtomically(folder / "a", "second"));

    EXPECT_EQ(*readWhole(folder / "a", 1000), "second");
    EXPECT_EQ(filesIn(folder.path()), 1U);
}

TEST(AtomicFile, LeavesWhatWasThereWhenItFails)
{
    const Folder folder;
    std::filesystem::create_directory(folder / "a");
    std::ofstream(folder / "a/inside") << "kept";

    const auto written = writeAtomically(folder / "a", "a folder stands here");
    const auto nowhere = writeAtomically(folder / "no/such/place", "text");

    ASSERT_FALSE(written);
    EXPECT_EQ(written.error().kind, ErrorKind::BadArgument);
    EXPECT_NE(written.error().message.find((folder / "a").string()), std::string::npos);
    EXPECT_EQ(*readWhole(folder / "a/inside", 10), "kept");
    EXPECT_EQ(filesIn(folder.path()), 1U);
    EXPECT_FALSE(nowhere);
}

TEST(AtomicFile, RefusesToReadMoreThanItsLimit)
{
    const Folder folder;
    ASSERT_TRUE(writeAtomically(folder / "a", std::string(1000, 'x')));
    EXPECT_TRUE(readWhole(folder / "a", 1000));
    EXPECT_FALSE(readWhole(folder / "a", 999));
    EXPECT_EQ(readWhole(folder / "b", 999).error().kind, ErrorKind::BadInput);
    EXPECT_FALSE(readWhole(folder.path(), 999));
}

TEST(AtomicFile, WhatIsAppendedStandsBehindWhatWasThere)
{
    const Folder folder;
    ASSERT_TRUE(writeAtomically(folder / "a", "one, "));
    ASSERT_TRUE(appendSynced(folder / "a", "two"));
    EXPECT_EQ(*readWhole(folder / "a", 100), "one, two");

    const auto none = appendSynced(folder / "none", "two");
    ASSERT_FALSE(none);
    EXPECT_EQ(none.error().kind, ErrorKind::Failed);
    EXPECT_FALSE(std::filesystem::exists(folder / "none"));
    // A full disk is named as what it is.
    const auto full = appendSynced("/dev/full", "two");
    ASSERT_FALSE(full);
    EXPECT_NE(full.error().message.find("free space"), std::string::npos) << full.error().message;
}

TEST(Hash, TellsFilesApartByContentAlone)
{
    const Folder folder;
    // Longer than a block, so that it is read in several.
    std::string text(3'000'000, 'a');
    ASSERT_TRUE(writeAtomically(folder / "a", text));
    ASSERT_TRUE(writeAtomically(folder / "b", text));
    text[2'500'000] = 'b';
    ASSERT_TRUE(writeAtomically(folder / "c", text));

    EXPECT_EQ(*hashOfFile(folder / "a"), *hashOfFile(folder / "b"));
    EXPECT_NE(*hashOfFile(folder / "a"), *hashOfFile(folder / "c"));
    EXPECT_EQ(hashOfFile(folder / "a")->size(), 32U);
    EXPECT_FALSE(hashOfFile(folder / "none"));
    const std::array<std::byte, 3> bytes{std::byte{1}, std::byte{2}, std::byte{3}};
    EXPECT_NE(hashOf(bytes), hashOf(bytes, 7));
    EXPECT_EQ(hashOf(bytes, 7), hashOf(bytes, 7));
}

}  // namespace
}  // namespace orthochron
