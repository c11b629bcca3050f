#include "cli/ChildProcess.h"

#include <fcntl.h>
#include <fmt/format.h>
#include <poll.h>
#include <spawn.h>
#include <sys/wait.h>
#include <unistd.h>

#include <array>
#include <cerrno>
#include <csignal>
#include <cstring>

extern char** environ;

namespace orthochron::cli {

namespace {

constexpr int kLookEvery = 100;  // ms, for a stop

class Pipe {
public:
    Pipe() { isOpen_ = ::pipe2(ends_.data(), O_CLOEXEC) == 0; }
    Pipe(const Pipe&) = delete;
    Pipe& operator=(const Pipe&) = delete;
    ~Pipe()
    {
        closeWriting();
        if (isOpen_) {
            ::close(ends_[0]);
        }
    }
    [[nodiscard]] bool isOpen() const { return isOpen_; }
    [[nodiscard]] int reading() const { return ends_[0]; }
    [[nodiscard]] int writing() const { return ends_[1]; }
    void closeWriting()
    {
        if (isOpen_ && ends_[1] >= 0) {
            ::close(ends_[1]);
            ends_[1] = -1;
        }
    }

private:
    std::array<int, 2> ends_{-1, -1};
    bool isOpen_ = false;
};

// Reads both to their ends; passes a stop on to the child.
void readBoth(
    const Pipe& out, const Pipe& error, ChildOutcome& outcome, pid_t child, const Work& work
)
{
    std::array<pollfd, 2> ends{
        pollfd{out.reading(), POLLIN, 0}, pollfd{error.reading(), POLLIN, 0}};
    const std::array texts{&outcome.out, &outcome.error};
    bool isTold = false;
    while (ends[0].fd >= 0 || ends[1].fd >= 0) {
        if (work.stopped() && !isTold) {
            ::kill(child, SIGINT);
            isTold = true;
        }
        if (::poll(ends.data(), ends.size(), kLookEvery) < 0 && errno != EINTR) {
            return;
        }
        for (std::size_t i = 0; i < ends.size(); ++i) {
            if (ends[i].fd < 0 || ends[i].revents == 0) {
                continue;
            }
            std::array<char, 1U << 14U> block{};
            const auto got = ::read(ends[i].fd, block.data(), block.size());
            if (got > 0) {
                texts[i]->append(block.data(), static_cast<std::size_t>(got));
            } else {
                ends[i].fd = -1;  // asked no more
            }
        }
    }
}

}  // namespace

Result<ChildOutcome> runChild(
    const std::vector<std::string>& arguments, const std::filesystem::path& folder, const Work& work
)
{
    Pipe out;
    Pipe error;
    if (!out.isOpen() || !error.isOpen()) {
        return failed("too many open files to start a command");
    }
    std::vector<std::string> words{"orthochron-cli"};
    words.insert(words.end(), arguments.begin(), arguments.end());
    std::vector<char*> argv;
    for (std::string& word : words) {
        argv.push_back(word.data());
    }
    argv.push_back(nullptr);
    posix_spawn_file_actions_t actions{};
    posix_spawn_file_actions_init(&actions);
    posix_spawn_file_actions_addopen(&actions, STDIN_FILENO, "/dev/null", O_RDONLY, 0);
    posix_spawn_file_actions_adddup2(&actions, out.writing(), STDOUT_FILENO);
    posix_spawn_file_actions_adddup2(&actions, error.writing(), STDERR_FILENO);
    posix_spawn_file_actions_addchdir_np(&actions, folder.c_str());
    pid_t child = 0;
    const int trouble =
        posix_spawn(&child, "/proc/self/exe", &actions, nullptr, argv.data(), environ);
    posix_spawn_file_actions_destroy(&actions);
    if (trouble != 0) {
        return failed(fmt::format(
            "{}: a command cannot be started there ({})", folder.string(), std::strerror(trouble)
        ));
    }
    out.closeWriting();
    error.closeWriting();
    ChildOutcome outcome;
    readBoth(out, error, outcome, child, work);
    int status = 0;
    while (::waitpid(child, &status, 0) < 0 && errno == EINTR) {}
    outcome.exitCode = WIFEXITED(status) ? WEXITSTATUS(status) : 128 + WTERMSIG(status);
    return outcome;
}

}  // namespace orthochron::cli
