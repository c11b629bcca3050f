#include <fmt/format.h>

#include "cli/Arguments.h"
#include "cli/Commands.h"
#include "cli/FitReport.h"
#include "core/audio/SoundFile.h"
#include "core/audit/SongAudit.h"
#include "core/edits/FitEdits.h"
#include "core/edits/MarkEdits.h"
#include "core/edits/TakeEdits.h"
#include "core/files/GrooveFile.h"
#include "core/files/MidiTempo.h"
#include "core/render/Print.h"

#include <algorithm>

namespace orthochron::cli {

namespace {

namespace fs = std::filesystem;

struct FitOptions {
    std::vector<std::string> in, leads;
    std::optional<double> bpm;
    double firstDownbeat = 0.0;
    std::string tempoMap;
    double mapOffset = 0.0;
    std::string meter = "4/4", grid = "1/16", method = "cut", material = "hits", shape = "matched",
                format = "same";
    double swing = 50.0;
    double drift = 100.0, feel = 0.0, stray = 80.0;
    double leaveWithinMs = 0.0, furthestMs = 120.0, humaniseMs = 0.0;
    std::uint64_t seed = 1;
    double leadInMs = 4.0, crossfadeMs = 5.0;
    double sensitivity = 50.0;
    std::string groove;
    double grooveAmount = 100.0;
    std::string outDir;
};

Result<TempoMap> tempoOf(const FitOptions& options)
{
    const auto meter = parseMeter(options.meter);
    if (!meter) {
        return tl::unexpected(meter.error());
    }
    if (options.bpm.has_value() == !options.tempoMap.empty()) {
        return badArgument("give either --bpm or --tempo-map");
    }
    if (options.bpm) {
        return TempoMap::steady(*options.bpm, *meter, Seconds(options.firstDownbeat));
    }
    return readMidiTempo(options.tempoMap, *meter, Seconds(options.mapOffset));
}

Result<FitRequest> requestOf(const FitOptions& options)
{
    FitRequest request;
    const auto grid = parseGrid(options.grid);
    if (!grid) {
        return tl::unexpected(grid.error());
    }
    const auto shape = parseFadeShape(options.shape);
    if (!shape) {
        return tl::unexpected(shape.error());
    }
    const auto material = parseMaterial(options.material);
    if (!material) {
        return tl::unexpected(material.error());
    }
    request.way = {options.method == "stretch" ? FitMethod::Stretch : FitMethod::Cut, *material};
    if (!(options.swing >= 50.0 && options.swing <= 75.0)) {
        return badArgument(fmt::format("swing must be between 50 and 75 %, not {:g}", options.swing)
        );
    }
    request.grid = *grid;
    request.grid.swing = options.swing;
    request.fit = {
        options.drift / 100.0,
        options.feel / 100.0,
        options.stray / 100.0,
        milliseconds(options.leaveWithinMs),
        milliseconds(options.furthestMs),
        milliseconds(options.humaniseMs),
        options.seed};
    request.joins = {milliseconds(options.leadInMs), milliseconds(options.crossfadeMs), *shape};
    if (!options.groove.empty()) {
        const auto meter = parseMeter(options.meter);
        auto groove = readGroove(options.groove, meter ? *meter : Meter{}, request.grid);
        if (!groove) {
            return tl::unexpected(groove.error());
        }
        request.fit.groove = std::move(*groove);
        request.fit.grooveAmount = options.grooveAmount / 100.0;
    }
    if (auto valid = validate(request.fit); !valid) {
        return tl::unexpected(valid.error());
    }
    if (auto valid = validate(request.joins); !valid) {
        return tl::unexpected(valid.error());
    }
    return request;
}

// The inputs in the order they rule: leads first, as named, then the others.
struct Inputs {
    std::vector<fs::path> paths;
    std::size_t leads = 0;
};

Result<Inputs> inputsOf(const FitOptions& options)
{
    Inputs inputs;
    std::vector<fs::path> all(options.in.begin(), options.in.end());
    for (const std::string& lead : options.leads) {
        std::error_code error;
        auto found = std::ranges::find_if(all, [&](const fs::path& path) {
            return path == fs::path(lead) || fs::equivalent(path, lead, error);
        });
        if (found == all.end()) {
            found = std::ranges::find_if(all, [&](const fs::path& path) {
                return path.filename() == lead;
            });
        }
        if (found == all.end()) {
            return badArgument(fmt::format("lead {} is not one of the inputs", lead));
        }
        inputs.paths.push_back(*found);
        all.erase(found);
    }
    inputs.leads = inputs.paths.size();
    inputs.paths.insert(inputs.paths.end(), all.begin(), all.end());
    std::vector<fs::path> names;
    for (const fs::path& path : inputs.paths) {
        if (std::ranges::find(names, path.filename()) != names.end()) {
            return badArgument(fmt::format(
                "two inputs are called {}; their results would overwrite each other",
                path.filename().string()
            ));
        }
        names.push_back(path.filename());
    }
    return inputs;
}

struct Loaded {
    Song song;
    std::shared_ptr<Sources> sources;
    std::vector<int> formats;  // libsndfile's, by track
};

// Opens all inputs as the microphones of one set.
Result<Loaded> load(const Inputs& inputs, const TempoMap& tempo, double sensitivity)
{
    Loaded loaded;
    loaded.sources = std::make_shared<Sources>();
    loaded.song.tempo = tempo;
    std::vector<SoundFacts> facts;
    std::vector<std::unique_ptr<SoundFileReader>> readers;
    for (const fs::path& path : inputs.paths) {
        auto reader = SoundFileReader::open(path);
        if (!reader) {
            return tl::unexpected(reader.error());
        }
        facts.push_back((*reader)->facts());
        readers.push_back(std::move(*reader));
        if (facts.back().rate != facts.front().rate) {
            return badInput(fmt::format(
                "{}: has a rate of {:g} Hz and {} has {:g}; microphones of one set have one rate, "
                "so convert one first",
                path.string(),
                facts.back().rate.count(),
                inputs.paths.front().string(),
                facts.front().rate.count()
            ));
        }
    }
    Song& song = loaded.song;
    song.rate = facts.front().rate;
    std::vector<TrackId> tracks;
    for (std::size_t i = 0; i < readers.size(); ++i) {
        Take take;
        take.name = inputs.paths[i].filename().string();
        take.rate = song.rate;
        take.frames = facts[i].frames;
        take.channels = facts[i].channels;
        auto added = addTakes(song, {{take, false}});
        if (!added) {
            return tl::unexpected(added.error());
        }
        song = std::move(*added);
        Track track = *song.tracks.back();
        track.isLead = i < inputs.leads;
        track.detection.sensitivity = sensitivity;
        tracks.push_back(track.id);
        putTrack(song, std::move(track));
        loaded.sources->put(song.takes.back().id, std::move(readers[i]), inputs.paths[i]);
        loaded.formats.push_back(facts[i].formatCode);
    }
    auto set = makeSet(song, tracks, "set");
    if (!set) {
        return tl::unexpected(set.error());
    }
    song = std::move(*set);
    return loaded;
}

Result<void> printAll(
    const Song& song,
    const Loaded& loaded,
    const Inputs& inputs,
    const FitOptions& options,
    const Work& work
)
{
    const auto format = parsePrintFormat(options.format);
    if (!format) {
        return tl::unexpected(format.error());
    }
    std::error_code error;
    fs::create_directories(options.outDir, error);
    if (error) {
        return failed(
            fmt::format("{}: cannot create the folder ({})", options.outDir, error.message())
        );
    }
    std::vector<TrackPrint> prints;
    for (std::size_t i = 0; i < inputs.paths.size(); ++i) {
        fs::path target = fs::path(options.outDir) / inputs.paths[i].filename();
        if (*format != PrintFormat::Same) {
            // The name says what is in the file.
            target.replace_extension(*format == PrintFormat::Flac ? ".flac" : ".wav");
        }
        prints.push_back({loaded.song.tracks[i]->id, target, loaded.formats[i]});
    }
    PrintSettings settings;
    settings.to = loaded.song.length();
    settings.format = *format;
    auto printed = printTracks(song, *loaded.sources, prints, settings, work);
    if (!printed) {
        return tl::unexpected(printed.error());
    }
    return {};
}

Result<int> run(const FitOptions& options, const Context& context)
{
    const auto tempo = tempoOf(options);
    if (!tempo) {
        return tl::unexpected(tempo.error());
    }
    const auto request = requestOf(options);
    if (!request) {
        return tl::unexpected(request.error());
    }
    const auto inputs = inputsOf(options);
    if (!inputs) {
        return tl::unexpected(inputs.error());
    }
    auto loaded = load(*inputs, *tempo, options.sensitivity);
    if (!loaded) {
        return tl::unexpected(loaded.error());
    }
    const SetId set = loaded->song.sets.front().id;
    const auto analysis =
        analyseSet(loaded->song, set, *loaded->sources, context.work.part(0.0, 0.4));
    if (!analysis) {
        return tl::unexpected(analysis.error());
    }
    auto marked = placeMarks(loaded->song, set, *analysis, {});
    if (!marked) {
        return tl::unexpected(marked.error());
    }
    const auto preview = previewFit(*marked, set, *request);
    if (!preview) {
        return tl::unexpected(preview.error());
    }
    if (preview->performance.hits.empty()) {
        return badInput(fmt::format(
            "{}: no hits were found in the leads; raise --sensitivity or use other leads",
            inputs->paths.front().string()
        ));
    }
    const auto fitted =
        fitSet(*marked, set, *request, *loaded->sources, context.work.part(0.4, 0.6));
    if (!fitted) {
        return tl::unexpected(fitted.error());
    }
    const auto findings =
        auditSet(fitted->song, set, *loaded->sources, context.work.part(0.6, 0.7));
    if (!findings) {
        return tl::unexpected(findings.error());
    }
    const auto splices = splicesOf(fitted->song, fitted->song.sets.front(), *loaded->sources);
    if (!splices) {
        return tl::unexpected(splices.error());
    }
    if (auto printed =
            printAll(fitted->song, *loaded, *inputs, options, context.work.part(0.7, 1.0));
        !printed) {
        return tl::unexpected(printed.error());
    }
    print(
        context,
        fitReport(fitted->song, *preview, fitted->figures, *findings, *splices),
        sentenceOf(*fitted) + "\n"
    );
    return 0;
}

}  // namespace

void addFit(CLI::App& app, Choice& choice)
{
    auto* command = app.add_subcommand("fit", "Fit the microphones of one performance to the grid");
    auto o = std::make_shared<FitOptions>();
    command->add_option("IN", o->in, "All microphones of the set")->required();
    command
        ->add_option(
            "--lead",
            o->leads,
            "An input whose hits decide where the set is cut; repeat for several"
        )
        ->required()
        ->expected(1)
        ->allow_extra_args(false)
        ->multi_option_policy(CLI::MultiOptionPolicy::TakeAll);
    command->add_option("--bpm", o->bpm, "Tempo in bpm");
    command->add_option(
        "--first-downbeat,--first-downbeat-s",
        o->firstDownbeat,
        "Time of bar 1, in seconds from the first frame"
    );
    command->add_option("--tempo-map", o->tempoMap, "MIDI file with the tempo map");
    command->add_option(
        "--map-offset,--map-offset-s",
        o->mapOffset,
        "Start of the tempo map, in seconds from the first frame"
    );
    command->add_option("--meter", o->meter, "Meter, such as 4/4");
    command->add_option("--grid", o->grid, "1/4, 1/8, 1/16 or 1/32; add t for triplets");
    command->add_option("--swing", o->swing, "Position of every second step, 50 to 75 %");
    command->add_option(
        "--groove", o->groove, "A groove (.mid or .json) that hits are moved towards"
    );
    command
        ->add_option(
            "--groove-amount", o->grooveAmount, "How much of the groove is applied, 0 to 100 %"
        )
        ->check(CLI::Range(0.0, 100.0));
    command->add_option("--drift", o->drift, "Drift correction, 0 to 100 %")
        ->check(CLI::Range(0.0, 100.0));
    command->add_option("--feel", o->feel, "Feel correction, 0 to 100 %")
        ->check(CLI::Range(0.0, 100.0));
    command->add_option("--stray", o->stray, "Stray correction, 0 to 100 %")
        ->check(CLI::Range(0.0, 100.0));
    command->add_option(
        "--leave-within-ms", o->leaveWithinMs, "Strays up to this size are kept, in ms"
    );
    command->add_option(
        "--furthest-ms", o->furthestMs, "Largest correction of feel and strays, in ms"
    );
    command->add_option(
        "--humanise-ms", o->humaniseMs, "Standard deviation of random moves, in ms"
    );
    command->add_option("--seed", o->seed, "Number that makes random moves repeatable")
        ->check(CLI::NonNegativeNumber);
    command->add_option("--method", o->method, "cut or stretch")
        ->check(CLI::IsMember({"cut", "stretch"}));
    addMaterial(*command, o->material, false);
    command->add_option("--lead-in-ms", o->leadInMs, "Audio kept before each hit, in ms");
    command->add_option(
        "--crossfade-ms",
        o->crossfadeMs,
        "Crossfade length in ms; at the default 5, up to 15 where a low ring would click"
    );
    command->add_option("--crossfade-shape", o->shape, "matched, equal-power or equal-gain");
    command->add_option("--sensitivity", o->sensitivity, "0 to 100; higher finds quieter hits")
        ->check(CLI::Range(0.0, 100.0));
    addFormat(*command, o->format);
    command->add_option("--out-dir,--out", o->outDir, "Folder for the fitted files")->required();
    addJson(*command, choice);
    addExample(
        *command,
        "fit Kick.wav Snare.wav Room.wav --lead Kick.wav --lead Snare.wav --bpm 92 --out-dir fitted"
    );
    command->callback([&choice, o] {
        choice.run = [o](const Context& context) { return run(*o, context); };
    });
}

}  // namespace orthochron::cli
