#include "core/base/Removal.h"

#include <fcntl.h>
#include <sys/stat.h>
#include <sys/wait.h>
#include <unistd.h>

#include <algorithm>
#include <array>
#include <cerrno>

namespace orthochron {

namespace {

constexpr off_t kQuicklyFreed = 64LL << 20;  // bytes
constexpr std::size_t kMostHeld = 64;        // files; more are removed while one waits

// Files kept open: a file whose name is removed keeps its space for as long as somebody has it open.
class Held {
public:
    Held() = default;
    Held(const Held&) = delete;
    Held& operator=(const Held&) = delete;
    ~Held() { std::ranges::for_each(files(), ::close); }

    void hold(const std::filesystem::path& path) noexcept
    {
        struct stat status {};
        if (count_ == files_.size() || ::stat(path.c_str(), &status) != 0) {
            return;
        }
        const int file = ::open(path.c_str(), O_RDONLY | O_CLOEXEC | O_NONBLOCK);
        if (file >= 0) {
            files_[count_++] = file;
            bytes_ += status.st_size;
        }
    }

    [[nodiscard]] off_t bytes() const { return bytes_; }
    [[nodiscard]] std::span<const int> files() const { return std::span(files_).first(count_); }

private:
    std::array<int, kMostHeld> files_{};
    std::size_t count_ = 0;
    off_t bytes_ = 0;
};

// In a process copied from one with threads: nothing here may take a lock or memory.
// Keeps what is held open, and nothing else, until `done` reads its end; then the space is given back
// by this process's end.
[[noreturn]] void keepUntil(int done, std::span<const int> held)
{
    ::setsid();  // a key pressed in the terminal is not meant for this one
    std::array<int, kMostHeld + 1> kept{done};
    const auto end = std::ranges::copy(held, kept.begin() + 1).out;
    std::sort(kept.begin(), end);
    unsigned next = 0;
    for (auto each = kept.begin(); each != end; ++each) {
        const auto file = static_cast<unsigned>(*each);
        if (file > next) {
            ::close_range(next, file - 1, 0);
        }
        next = file + 1;
    }
    ::close_range(next, ~0U, 0);
    char nothing = 0;
    while (::read(done, &nothing, 1) < 0 && errno == EINTR) {}
    ::_exit(0);
}

// Another process that keeps them open until the end returned here is closed; -1 where there is none.
int holdElsewhere(std::span<const int> held)
{
    std::array<int, 2> ends{};
    if (::pipe2(ends.data(), O_CLOEXEC) != 0) {
        return -1;
    }
    const pid_t child = ::fork();
    if (child == 0) {
        ::close(ends[1]);
        // One more step away, so that whoever called need not wait for it to end.
        if (::fork() == 0) {
            keepUntil(ends[0], held);
        }
        ::_exit(0);
    }
    ::close(ends[0]);
    if (child < 0) {
        ::close(ends[1]);
        return -1;
    }
    while (::waitpid(child, nullptr, 0) < 0 && errno == EINTR) {}
    return ends[1];
}

}  // namespace

void removeFiles(std::span<const std::filesystem::path> files) noexcept
{
    int until = -1;
    {
        Held held;
        for (const auto& file : files) {
            held.hold(file);
        }
        if (held.bytes() > kQuicklyFreed) {
            until = holdElsewhere(held.files());
        }
        std::ranges::for_each(files, [](const auto& file) { ::unlink(file.c_str()); });
    }
    if (until >= 0) {
        ::close(until);
    }
}

}  // namespace orthochron
