#include <fmt/format.h>

#include "cli/Arguments.h"
#include "cli/Commands.h"
#include "cli/Mono.h"
#include "core/tempo/Tempo.h"

namespace orthochron::cli {

namespace {

struct TempoOptions {
    std::string in;
    TempoRange range;
};

Result<int> run(const TempoOptions& options, const Context& context)
{
    const auto sound = openMono(options.in, std::nullopt);
    if (!sound) {
        return tl::unexpected(sound.error());
    }
    const auto found = findTempo(sound->channel(), sound->rate(), options.range, context.work);
    if (!found) {
        return tl::unexpected(found.error());
    }
    Json json{
        {"bpm", nullptr},
        {"confidence", found->confidence},
        {"candidates", Json::array()},
        {"beats", Json::array()}};
    std::string readable = fmt::format(
        "no clear tempo between {:g} and {:g} bpm\n", options.range.least, options.range.most
    );
    if (!found->readings.empty()) {
        const TempoReading& first = found->readings.front();
        json["bpm"] = first.bpm;
        for (const Seconds beat :
             beatsOf(first, toSeconds(sound->reader->frames(), sound->rate()))) {
            json["beats"].push_back(beat.count());
        }
        readable.clear();
    }
    for (const TempoReading& reading : found->readings) {
        json["candidates"].push_back({{"bpm", reading.bpm}, {"score", reading.score}});
        readable += fmt::format("{:>9.3f} bpm  {:.2f}", reading.bpm, reading.score);
        readable +=
            reading.wholeBeats ? fmt::format("  lasts {} beats\n", *reading.wholeBeats) : "\n";
    }
    print(context, json, readable);
    return 0;
}

}  // namespace

void addTempo(CLI::App& app, Choice& choice)
{
    auto* command = app.add_subcommand("tempo", "Find the tempo of a steady recording or loop");
    auto options = std::make_shared<TempoOptions>();
    addInput(*command, options->in, choice);
    command->add_option("--min,--min-bpm", options->range.least, "Lowest tempo considered, in bpm");
    command->add_option("--max,--max-bpm", options->range.most, "Highest tempo considered, in bpm");
    addJson(*command, choice);
    addExample(*command, "tempo Loop.wav --min-bpm 80 --max-bpm 140");
    command->callback([options, &choice] {
        choice.run = [options](const Context& context) { return run(*options, context); };
    });
}

}  // namespace orthochron::cli
