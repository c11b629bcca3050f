#include "core/base/Removal.h"

#include <gtest/gtest.h>

#include "testkit/Folder.h"

#include <chrono>
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

// Whether any process has a file of a folder open.
bool isHeldAnywhere(const Folder& folder)
{
    std::error_code error;
    for (const auto& process : fs::directory_iterator("/proc", error)) {
        for (fs::directory_iterator each(process.path() / "fd", error), end; !error && each != end;
             each.increment(error)) {
            std::error_code gone;
            if (fs::read_symlink(*each, gone).string().starts_with(folder.path().string())) {
                return true;
            }
        }
    }
    return false;
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
    EXPECT_EQ(openIn(folder), 0);
    // Who gives the space back is done with it some time later.
    for (int tries = 0; isHeldAnywhere(folder) && tries < 500; ++tries) {
        std::this_thread::sleep_for(std::chrono::milliseconds(20));
    }
    EXPECT_FALSE(isHeldAnywhere(folder));
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
