#include "core/base/Removal.h"

#include <fcntl.h>
#include <sys/resource.h>
#include <sys/stat.h>
#include <unistd.h>

#include <algorithm>
#include <new>
#include <thread>
#include <vector>

namespace orthochron {

namespace {

constexpr off_t kQuicklyFreed = 64LL << 20;  // bytes
constexpr std::size_t kMostHeld = 64;        // files; more are removed while one waits

// Of this thread alone: whatever else runs, playing above all, comes first.
constexpr int kPatient = 19;

// Open files of which the names are about to go: a file keeps its space for as long as somebody has it open.
std::vector<int> openedOf(std::span<const std::filesystem::path> files, off_t& bytes)
{
    std::vector<int> opened;
    for (const auto& path : files) {
        struct stat status {};
        if (opened.size() >= kMostHeld || ::stat(path.c_str(), &status) != 0) {
            continue;
        }
        const int file = ::open(path.c_str(), O_RDONLY | O_CLOEXEC | O_NONBLOCK);
        if (file >= 0) {
            opened.push_back(file);
            bytes += status.st_size;
        }
    }
    return opened;
}

void closeAll(const std::vector<int>& files)
{
    std::ranges::for_each(files, ::close);
}

}  // namespace

void removeFiles(std::span<const std::filesystem::path> files) noexcept
{
    std::vector<int> opened;
    off_t bytes = 0;
    try {
        opened = openedOf(files, bytes);
    } catch (const std::bad_alloc&) {
        // They are removed all the same, and one waits for it.
    }
    std::ranges::for_each(files, [](const auto& file) { ::unlink(file.c_str()); });
    if (bytes <= kQuicklyFreed) {
        closeAll(opened);
        return;
    }
    try {
        std::thread([opened] {
            (void)::setpriority(PRIO_PROCESS, 0, kPatient);
            closeAll(opened);
        }).detach();
    } catch (const std::exception&) {
        closeAll(opened);
    }
}

}  // namespace orthochron
