#pragma once

#include <CLI/CLI.hpp>
#include <nlohmann/json.hpp>

#include "cli/Streams.h"
#include "core/base/Result.h"
#include "core/base/Work.h"

#include <functional>

namespace orthochron::cli {

using Json = nlohmann::ordered_json;

// What every command is given.
struct Context {
    Work work;  // stops on Ctrl-C, draws a bar on a terminal
    bool asJson = false;
    bool isStreaming = false;  // standard output is for a file and nothing else
};

// What a command chose to run, filled in while the command line is read.
struct Choice {
    std::function<Result<int>(const Context&)> run;
    bool asJson = false;
    Streams streams;
};

// Each adds its command to `app`; when it is named, `choice` is set.
void addDemo(CLI::App& app, Choice& choice);
void addInfo(CLI::App& app, Choice& choice);
void addOnsets(CLI::App& app, Choice& choice);
void addFit(CLI::App& app, Choice& choice);
void addCheck(CLI::App& app, Choice& choice);
void addAlbum(CLI::App& app, Choice& choice);
void addCollect(CLI::App& app, Choice& choice);
void addPrint(CLI::App& app, Choice& choice);
void addRender(CLI::App& app, Choice& choice);
void addReport(CLI::App& app, Choice& choice);
void addShape(CLI::App& app, Choice& choice);
void addStretch(CLI::App& app, Choice& choice);
void addPitch(CLI::App& app, Choice& choice);
void addTune(CLI::App& app, Choice& choice);
void addTempo(CLI::App& app, Choice& choice);
void addTempoMap(CLI::App& app, Choice& choice);
void addVerify(CLI::App& app, Choice& choice);

// Prints one JSON document, or the readable lines when JSON was not asked for.
void print(const Context& context, const Json& json, const std::string& readable);
// As it is. Throws when it, or anything before it, could not be written.
void printText(const std::string& text);

// 0 done, 1 failed, 2 wrong usage, 3 an input that cannot be used, 130 interrupted.
[[nodiscard]] int exitCodeOf(ErrorKind kind);

}  // namespace orthochron::cli
