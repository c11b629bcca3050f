#include <fcntl.h>
#include <gtest/gtest.h>
#include <sys/wait.h>
#include <unistd.h>

#include "testkit/Folder.h"

#include <csignal>
#include <fstream>
#include <iterator>
#include <random>

// Whatever stands on the command line: an answer, or one line that says what is wrong.
namespace orthochron {
namespace {

using testkit::Folder;

struct Ended {
    bool bySignal = false;
    int code = 0;
    std::string complaint;
};

Ended run(const std::vector<std::string>& words, const std::filesystem::path& complaint)
{
    std::vector<char*> arguments;
    for (const std::string& word : words) {
        arguments.push_back(const_cast<char*>(word.c_str()));
    }
    arguments.push_back(nullptr);
    const pid_t child = ::fork();
    if (child == 0) {
        const int nowhere = ::open("/dev/null", O_RDWR);
        const int told = ::open(complaint.c_str(), O_WRONLY | O_CREAT | O_TRUNC, 0600);
        ::dup2(nowhere, STDIN_FILENO);
        ::dup2(nowhere, STDOUT_FILENO);
        ::dup2(told, STDERR_FILENO);
        ::alarm(20);  // a command that hangs is ended, and found out by it
        ::execv(ORTHOCHRON_CLI, arguments.data());
        ::_exit(127);
    }
    int status = 0;
    ::waitpid(child, &status, 0);
    std::ifstream file(complaint);
    return {
        WIFSIGNALED(status),
        WIFEXITED(status) ? WEXITSTATUS(status) : 0,
        {std::istreambuf_iterator<char>(file), {}}};
}

TEST(HostileCalls, EndWithAnAnswerOrOneLine)
{
    const Folder folder;
    testkit::writeSound(folder / "take.wav", testkit::soundOf(0.2, [](std::int64_t f) {
                            return static_cast<double>(f % 100) * 0.005;
                        }));
    std::vector<std::string> files{
        (folder / "take.wav").string(),
        (folder / "none.wav").string(),
        folder.path().string(),
        "/dev/null",
        "/dev/zero",
        "/proc/self/status",
        "",
        "-"};
    for (const auto& entry : std::filesystem::recursive_directory_iterator(ORTHOCHRON_CORPUS)) {
        if (entry.is_regular_file()) {
            files.push_back(entry.path().string());
        }
    }
    // A song is known by its ending.
    for (std::size_t i = 0, count = files.size(); i < count; ++i) {
        if (files[i].ends_with(".json") && files[i].find("/song/") != std::string::npos) {
            const auto song = folder / (std::to_string(i) + ".orthochron");
            std::filesystem::copy_file(files[i], song);
            files.push_back(song.string());
        }
    }
    const std::vector<std::string> commands{
        "onsets", "fit", "check", "render", "report", "verify", "info", "nonsense", "", "--json"};
    const std::vector<std::string> options{
        "--json",      "--sensitivity", "--min-gap-ms", "--against",    "--lead",   "--bpm",
        "--tempo-map", "--map-offset",  "--meter",      "--grid",       "--swing",  "--groove",
        "--drift",     "--seed",        "--method",     "--lead-in-ms", "--format", "--edits",
        "--source",    "--range",       "--strict",     "--dither",     "--band",   "--way"};
    const std::vector<std::string> values{
        "0",       "-1",       "nan",      "1e308", "inf",
        "4/4",     "0/0",      "1/16",     "1/0",   "9:1",
        "-5:9999", "\n",       "%s",       "''",    "low",
        "9-1-1",   "kick.wav", "\xff\xfe", "--",    "99999999999999999999"};
    std::mt19937 random(5);
    const auto one = [&](const std::vector<std::string>& from) {
        return from[random() % from.size()];
    };
    for (int call = 0; call < 250; ++call) {
        std::vector<std::string> words{"orthochron-cli", one(commands)};
        for (auto count = random() % 3; count-- > 0;) {
            words.push_back(one(files));
        }
        for (auto count = random() % 4; count-- > 0;) {
            words.push_back(one(options));
            words.push_back(random() % 3 == 0 ? one(files) : one(values));
        }
        if (random() % 2 == 0) {
            words.insert(
                words.end(),
                {"--out-dir", (folder / "out").string(), "--out", (folder / "out.wav").string()}
            );
        }
        std::string line;
        for (const std::string& word : words) {
            line += word + ' ';
        }
        const Ended ended = run(words, folder / "told");
        ASSERT_FALSE(ended.bySignal) << line;
        EXPECT_LE(ended.code, 3) << line;
        if (ended.code == 1 || ended.code == 3) {
            EXPECT_EQ(std::ranges::count(ended.complaint, '\n'), 1) << line << ended.complaint;
        }
    }
    EXPECT_TRUE(std::filesystem::exists(folder / "take.wav"));
}

}  // namespace
}  // namespace orthochron
