#include "core/base/Removal.h"

#include <gtest/gtest.h>

#include "testkit/Folder.h"

#include <fstream>
#include <thread>
#include <vector>

namespace orthochron {
namespace {

namespace fs = std::filesystem;
using testkit::Folder;

fs::path writeOfSize(const fs::path& path, std::uintmax_t bytes)
{
    std::ofstream(path) << "x";
    fs::resize_file(path, bytes);
    return path;
}

// Files of a folder that this process still has open, named or not.
int openIn(const Folder& folder)
{
    int found = 0;
    for (const auto& each : fs::directory_iterator("/proc/self/fd")) {
        std::error_code error;
        found += fs::read_symlink(each, error).string().starts_with(folder.path().string()) ? 1 : 0;
    }
    return found;
}

TEST(Removal, NamesOfLargeFilesAreGoneAtOnceAndNothingStaysOpen)
{
    const Folder folder;
    std::vector<fs::path> files;
    for (const char* name : {"a", "b", "c"}) {
        files.push_back(writeOfSize(folder / name, 300ULL << 20));
    }
    writeOfSize(folder / "kept", 300ULL << 20);
    removeFiles(files);
    EXPECT_TRUE(fs::exists(folder / "kept"));
    EXPECT_EQ(std::distance(fs::directory_iterator(folder.path()), {}), 1);
    // A thread of its own gives the space back, some time later.
    while (openIn(folder) > 0) {
        std::this_thread::yield();
    }
}

TEST(Removal, MoreFilesThanAreHeldAtATimeAndThoseThatAreNotThere)
{
    const Folder folder;
    std::vector<fs::path> files{folder / "never was"};
    for (int i = 0; i < 100; ++i) {
        files.push_back(writeOfSize(folder / std::to_string(i), 1ULL << 20));
    }
    removeFiles(files);
    EXPECT_TRUE(fs::is_empty(folder.path()));
    EXPECT_EQ(openIn(folder), 0);
    removeFiles({});
}

}  // namespace
}  // namespace orthochron
