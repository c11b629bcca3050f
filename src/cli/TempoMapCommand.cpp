#include <fmt/format.h>

#include "cli/Arguments.h"
#include "cli/Commands.h"
#include "cli/Mono.h"
#include "core/files/MidiTempo.h"
#include "core/tempo/MapDraft.h"

namespace orthochron::cli {

namespace {

struct TempoMapOptions {
    std::vector<std::string> in;
    std::string meter = "4/4", level = "bar", out;
    std::optional<double> firstDownbeat, bpm;
};

Result<MapDraft> draftOf(const TempoMapOptions& options, const Context& context)
{
    DraftSettings settings;
    const auto meter = parseMeter(options.meter);
    if (!meter) {
        return tl::unexpected(meter.error());
    }
    settings.meter = *meter;
    settings.bpm = options.bpm;
    if (options.firstDownbeat) {
        settings.firstDownbeat = Seconds(*options.firstDownbeat);
    }
    std::vector<Mono> takes;
    std::vector<Channel> channels;
    for (const std::string& path : options.in) {
        auto take =
            openMono(path, takes.empty() ? std::nullopt : std::optional(takes.front().rate()));
        if (!take) {
            return tl::unexpected(take.error());
        }
        takes.push_back(std::move(*take));
        channels.push_back(takes.back().channel());
    }
    return draftMap(channels, takes.front().rate(), settings, context.work);
}

Result<int> run(const TempoMapOptions& options, const Context& context)
{
    if (!options.out.empty()) {
        if (auto named = checkMidiName(options.out); !named) {
            return tl::unexpected(named.error());
        }
    }
    const auto draft = draftOf(options, context);
    if (!draft) {
        return tl::unexpected(draft.error());
    }
    const auto level = options.level == "beat" ? MapLevel::Beat : MapLevel::Bar;
    Json json{{"points", Json::array()}, {"meter", Json::array()}};
    std::string readable;
    int doubtful = 0;
    int bars = 0;
    for (const DraftBeat& beat : draft->beats) {
        if (beat.beat != 1 && level == MapLevel::Bar) {
            continue;
        }
        json["points"].push_back(
            {{"bar", beat.bar},
             {"beat", beat.beat},
             {"time_s", beat.at.count()},
             {"bpm", beat.bpm},
             {"confidence", beat.confidence}}
        );
        bars += beat.beat == 1 ? 1 : 0;
        doubtful += beat.beat == 1 && beat.confidence < kDoubtfulBar ? 1 : 0;
        readable += fmt::format(
            "{:>5}.{:<2} {:>10.4f} s {:>8.2f} bpm  {:.2f}\n",
            beat.bar,
            beat.beat,
            beat.at.count(),
            beat.bpm,
            beat.confidence
        );
    }
    for (const MeterChange& change : draft->meters) {
        json["meter"].push_back(
            {{"bar", change.bar},
             {"numerator", change.meter.numerator},
             {"denominator", change.meter.denominator}}
        );
    }
    if (draft->beats.empty()) {
        readable = draft->tried + "\n";
    } else {
        readable += fmt::format("{} bars, {} of them doubtful\n", bars, doubtful);
    }
    if (!options.out.empty()) {
        const auto map = mapOf(*draft, level);
        if (!map) {
            return badInput(fmt::format(
                "{}: nothing written: {}",
                options.out,
                draft->beats.empty() ? draft->tried : map.error().message
            ));
        }
        if (auto written = writeMidiTempo(*map, draft->beats.back().at, options.out); !written) {
            return tl::unexpected(written.error());
        }
    }
    print(context, json, readable);
    return 0;
}

}  // namespace

void addTempoMap(CLI::App& app, Choice& choice)
{
    auto* command = app.add_subcommand("tempomap", "Find the bars and beats of a free performance");
    auto options = std::make_shared<TempoMapOptions>();
    command->add_option("IN", options->in, "Takes that start together")->required();
    command->add_option("--meter", options->meter, "Meter, such as 4/4");
    command->add_option(
        "--first-downbeat,--first-downbeat-s",
        options->firstDownbeat,
        "Time of the first downbeat, in seconds"
    );
    command->add_option(
        "--bpm-hint", options->bpm, "Approximate tempo in quarter notes per minute"
    );
    command->add_option("--level", options->level, "One point per bar or per beat")
        ->check(CLI::IsMember({"bar", "beat"}));
    mayBeStream(
        *command->add_option(
            "--out", options->out, "MIDI file for the tempo map; - for standard output"
        ),
        choice
    );
    addJson(*command, choice);
    addExample(*command, "tempomap Room.wav --level beat --out Map.mid");
    command->callback([options, &choice] {
        choice.run = [options](const Context& context) { return run(*options, context); };
    });
}

}  // namespace orthochron::cli
