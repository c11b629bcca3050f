#include "cli/Arguments.h"

#include <algorithm>
#include <map>

namespace orthochron::cli {

namespace {

bool isList(const std::string& argument)
{
    return argument == "--lead" || argument == "--against" || argument == "--source";
}

bool isName(const std::string& argument)
{
    return argument.starts_with("--") || (argument.size() > 1 && argument.front() == '-' &&
                                          std::isalpha(static_cast<unsigned char>(argument[1])));
}

// How many of the arguments after it an option takes for itself.
std::size_t valuesOf(const CLI::App& command, const std::string& argument)
{
    const CLI::Option* option = command.get_option_no_throw(argument);
    return option != nullptr && option->get_items_expected_max() > 0 ? 1 : 0;
}

}  // namespace

std::vector<std::string> spelledOut(const CLI::App& app, const std::vector<std::string>& arguments)
{
    if (arguments.empty()) {
        return arguments;
    }
    const auto commands = app.get_subcommands([&](const CLI::App* each) {
        return each->get_name() == arguments.front();
    });
    if (commands.empty()) {
        return arguments;
    }
    const CLI::App* command = commands.front();
    std::vector<std::string> spelled{arguments.front()};
    bool hasInputs = false;
    for (std::size_t i = 1; i < arguments.size(); ++i) {
        const std::string& argument = arguments[i];
        if (!isName(argument)) {
            hasInputs = true;
            spelled.push_back(argument);
            continue;
        }
        std::size_t values = valuesOf(*command, argument);
        if (isList(argument) && hasInputs) {
            while (i + values + 1 < arguments.size() && !isName(arguments[i + values + 1])) {
                ++values;
            }
        }
        spelled.push_back(argument);
        for (std::size_t value = 0; value < values && i + 1 < arguments.size(); ++value) {
            if (value > 0) {
                spelled.push_back(argument);
            }
            spelled.push_back(arguments[++i]);
        }
    }
    return spelled;
}

void addInput(CLI::App& command, std::string& in, Choice& choice)
{
    command.add_option("IN", in, "Sound file; - reads standard input")
        ->required()
        ->transform([&choice](const std::string& given) -> std::string {
            if (given != "-") {
                return given;
            }
            const auto kept = choice.streams.input();
            if (!kept) {
                throw CLI::ValidationError("IN", kept.error().message);
            }
            return *kept;
        });
}

void mayBeStream(CLI::Option& out, Choice& choice)
{
    out.transform([&choice](const std::string& given) -> std::string {
        if (given != "-") {
            return given;
        }
        const auto name = choice.streams.output();
        if (!name) {
            throw CLI::ValidationError("OUT", name.error().message);
        }
        return *name;
    });
}

void addOutput(CLI::App& command, std::string& out, Choice& choice)
{
    auto* place = command.add_option("OUT,--out", out, "File to write; - writes standard output");
    place->required();
    mayBeStream(*place, choice);
}

void addMaterial(CLI::App& command, std::string& material, bool withTape)
{
    std::map<std::string, std::string> names{
        {"hits", "hits"},
        {"line", "line"},
        {"single-notes", "line"},
        {"blend", "blend"},
        {"chords", "blend"}};
    if (withTape) {
        names["tape"] = "tape";
    }
    command
        .add_option(
            "--material",
            material,
            withTape ? "hits, single-notes (line), chords (blend) or tape"
                     : "hits, single-notes (line) or chords (blend)"
        )
        ->required(withTape)
        ->transform(CLI::CheckedTransformer(names).description(""));
}

void addFormat(CLI::App& command, std::string& format)
{
    command.add_option(
        "--format", format, "Sample format: same (as the input), wav16, wav24, wav32f or flac"
    );
}

void addJson(CLI::App& command, Choice& choice)
{
    command.add_flag("--json", choice.asJson, "Print one JSON document");
}

void addExample(CLI::App& command, const std::string& example)
{
    command.footer("Example:\n  orthochron-cli " + example + "\n\n" + std::string(kExitCodes));
}

}  // namespace orthochron::cli
