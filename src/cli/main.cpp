#include <fmt/format.h>
#include <unistd.h>

#include "cli/Arguments.h"
#include "cli/Commands.h"
#include "core/base/FreedMemory.h"

#include <algorithm>
#include <cmath>
#include <csignal>
#include <cstdio>
#include <cstdlib>
#include <exception>
#include <mutex>
#include <stdexcept>
#include <thread>

namespace orthochron::cli {

void print(const Context& context, const Json& json, const std::string& readable)
{
    if (context.isStreaming) {
        return;
    }
    printText(
        context.asJson ? json.dump(-1, ' ', false, Json::error_handler_t::replace) + "\n" : readable
    );
}

void printText(const std::string& text)
{
    fmt::print("{}", text);
    if (std::fflush(stdout) != 0 || std::ferror(stdout) != 0) {
        throw std::runtime_error("cannot write to standard output");
    }
}

int exitCodeOf(ErrorKind kind)
{
    switch (kind) {
    case ErrorKind::BadArgument: return 2;
    case ErrorKind::BadInput: return 3;
    case ErrorKind::Cancelled: return 130;
    case ErrorKind::Failed: break;
    }
    return 1;
}

namespace {

// Turns Ctrl-C into a stop request. The signal is blocked in every thread and waited for in one,
// so that no code runs inside a signal handler.
class Interrupt {
public:
    Interrupt()
    {
        sigemptyset(&signals_);
        sigaddset(&signals_, SIGINT);
        sigaddset(&signals_, SIGTERM);
        pthread_sigmask(SIG_BLOCK, &signals_, nullptr);
        waiter_ = std::jthread([this](const std::stop_token& done) {
            const timespec quarter{0, 250'000'000};
            while (!done.stop_requested()) {
                if (sigtimedwait(&signals_, nullptr, &quarter) > 0) {
                    stop_.request_stop();
                }
            }
        });
    }
    Interrupt(const Interrupt&) = delete;
    Interrupt& operator=(const Interrupt&) = delete;
    ~Interrupt()
    {
        // Wakes the waiter, so that no command ends a quarter of a second later than it could.
        waiter_.request_stop();
        pthread_kill(waiter_.native_handle(), SIGINT);
    }
    [[nodiscard]] std::stop_token token() const { return stop_.get_token(); }

private:
    sigset_t signals_{};
    std::stop_source stop_;
    std::jthread waiter_;
};

// Numbers a command cannot mean: CLI11 takes "nan" and "inf" for numbers like any other.
const CLI::Option* findEndless(const CLI::App& command)
{
    for (const CLI::Option* option : command.get_options()) {
        for (const std::string& text : option->results()) {
            if (option->get_type_name() == "FLOAT" &&
                !std::isfinite(std::strtod(text.c_str(), nullptr))) {
                return option;
            }
        }
    }
    return nullptr;
}

// An error is one line, whatever is in a file's name.
std::string onOneLine(std::string text)
{
    std::ranges::replace_if(
        text, [](unsigned char c) { return c < 32 || c == 127; }, '?'
    );
    return text;
}

std::function<void(double)> progressBar()
{
    if (isatty(STDERR_FILENO) == 0) {
        return {};
    }
    return [shown = std::make_shared<std::pair<std::mutex, int>>()](double done) {
        const std::scoped_lock lock(shown->first);
        const int percent = static_cast<int>(done * 100.0);
        if (percent == shown->second) {
            return;
        }
        shown->second = percent;
        fmt::print(
            stderr,
            "\r[{:<40}] {:3d} %{}",
            std::string(static_cast<std::size_t>(percent * 40 / 100), '='),
            percent,
            percent >= 100 ? "\n" : ""
        );
    };
}

int run(int argc, char** argv)
{
    CLI::App app(
        "Slices, quantizes, stretches and tunes recorded takes so that they lock to the song's "
        "grid.",
        "orthochron-cli"
    );
    app.require_subcommand(1);
    app.footer(std::string(kExitCodes));
    app.set_version_flag("--version", "orthochron-cli 0.1.0");
    Choice choice;
    addDemo(app, choice);
    addInfo(app, choice);
    addOnsets(app, choice);
    addTempo(app, choice);
    addTempoMap(app, choice);
    addFit(app, choice);
    addStretch(app, choice);
    addPitch(app, choice);
    addTune(app, choice);
    addShape(app, choice);
    addCheck(app, choice);
    addRender(app, choice);
    addPrint(app, choice);
    addCollect(app, choice);
    addAlbum(app, choice);
    addVerify(app, choice);
    addReport(app, choice);
    try {
        std::vector<std::string> arguments = spelledOut(app, {argv + 1, argv + argc});
        std::ranges::reverse(arguments);  // as the parser takes them
        app.parse(std::move(arguments));
    } catch (const CLI::ParseError& error) {
        return app.exit(error) == 0 ? 0 : 2;
    }
    for (const CLI::App* command : app.get_subcommands()) {
        if (const CLI::Option* option = findEndless(*command)) {
            fmt::print(stderr, "orthochron-cli: {}: must be a finite number\n", option->get_name());
            return 2;
        }
    }
    const Interrupt interrupt;
    const Context context{
        {interrupt.token(), progressBar()}, choice.asJson, choice.streams.hasOutput()};
    if (context.asJson && context.isStreaming) {
        fmt::print(stderr, "orthochron-cli: --json and an output of - cannot be used together\n");
        return 2;
    }
    auto outcome = choice.run(context);
    if (const auto copied = outcome ? choice.streams.finish() : Result<void>(); !copied) {
        outcome = tl::unexpected(copied.error());
    }
    if (!outcome) {
        fmt::print(stderr, "orthochron-cli: {}\n", onOneLine(outcome.error().message));
        return exitCodeOf(outcome.error().kind);
    }
    return *outcome;
}

}  // namespace

}  // namespace orthochron::cli

int main(int argc, char** argv)
{
    orthochron::returnFreedBlocks();
    // A reader that goes away is an error like a full disk, not the end.
    std::signal(SIGPIPE, SIG_IGN);
    try {
        return orthochron::cli::run(argc, argv);
    } catch (const std::exception& error) {
        std::fprintf(stderr, "orthochron-cli: unexpected error: %s\n", error.what());
        return 1;
    }
}
