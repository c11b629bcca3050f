#include <fmt/format.h>

#include "cli/Arguments.h"
#include "cli/Commands.h"
#include "cli/OpenedSong.h"
#include "core/audio/SoundFile.h"
#include "core/demo/DemoSong.h"
#include "core/edits/ShapeEdits.h"
#include "core/edits/SpeedEdits.h"
#include "core/files/Collect.h"
#include "core/files/TakeCheck.h"
#include "core/render/Print.h"

namespace orthochron::cli {

namespace {

bool isSong(const std::filesystem::path& path)
{
    return path.extension() == kSongEnding;
}

// A level line as the clock has it; a level of null is silence.
Json lineJson(const Song& song, const LevelLine& line)
{
    Json points = Json::array();
    const HeardLine heard(line, song.tempo, song.rate);
    for (std::size_t i = 0; i < line.points.size(); ++i) {
        const LevelPoint& point = line.points[i];
        points.push_back(
            {{"time_s", toSeconds(heard.timeOfPoint(i), song.rate).count()},
             {"level_db", point.level == kSilence ? Json() : Json(point.level)},
             {"bend", point.bend},
             {"step", point.isStep}}
        );
    }
    return points;
}

// Level lines, hushes, spins and speed lines, and a line of text for each.
void addShaped(const Song& song, Json& json, std::string& readable)
{
    const auto seconds = [&](Frames at) { return toSeconds(at, song.rate).count(); };
    Json& lines = json["level_lines"] = Json::array();
    const auto addLine = [&](const std::string& whose, const LevelLine& line) {
        if (!line.isEmpty()) {
            lines.push_back({{"track", whose}, {"points", lineJson(song, line)}});
            readable += fmt::format("  level line of {}, {} points\n", whose, line.points.size());
        }
    };
    if (!song.level.isEmpty()) {
        lines.push_back({{"track", nullptr}, {"points", lineJson(song, song.level)}});
        readable += fmt::format("  level line of the song, {} points\n", song.level.points.size());
    }
    Json& spins = json["spins"] = Json::array();
    Json& speeds = json["speed_lines"] = Json::array();
    const auto addSpeed = [&](const std::string& whose, const Clip& clip) {
        Json points = Json::array();
        for (const SpeedPoint& point : speedPointsOf(clip)) {
            points.push_back(
                {{"time_s", seconds(clip.at + point.at)},
                 {"speed", point.speed},
                 {"bend", point.bend}}
            );
        }
        readable += fmt::format("  speed line on {}, {} points\n", whose, points.size());
        speeds.push_back(
            {{"track", whose}, {"pitch_alone", keepsTime(clip)}, {"points", std::move(points)}}
        );
    };
    for (const auto& track : song.tracks) {
        addLine(track->name, track->level);
        for (const Clip& clip : track->clips) {
            const Spins own = spinsOf(clip);
            const auto addSpin = [&](const Spin& spin, bool isDown) {
                const Frames from = isDown ? clip.end() - spin.length : clip.at;
                spins.push_back(
                    {{"track", track->name},
                     {"kind", isDown ? "spin-down" : "spin-up"},
                     {"from_s", seconds(from)},
                     {"to_s", seconds(from + spin.length)},
                     {"speed", spin.speed}}
                );
                readable += fmt::format(
                    "  {} on {} at {:.3f} s\n",
                    isDown ? "spin-down" : "spin-up",
                    track->name,
                    seconds(from)
                );
            };
            if (!own.up && !own.down && !speedPointsOf(clip).empty()) {
                addSpeed(track->name, clip);
            }
            if (own.up) {
                addSpin(*own.up, false);
            }
            if (own.down) {
                addSpin(*own.down, true);
            }
        }
    }
    Json& hushes = json["hushes"] = Json::array();
    for (const PlacedHush& placed : hushesOf(song)) {
        const FrameSpan span = spanOf(placed.hush, song.tempo, song.rate);
        Json tracks = Json::array();
        for (const TrackId id : placed.tracks) {
            tracks.push_back(song.track(id)->name);
        }
        readable += fmt::format(
            "  {} from {:.3f} to {:.3f} s on {} tracks\n",
            placed.hush.label.empty() ? "hush" : placed.hush.label,
            seconds(span.from),
            seconds(span.to),
            tracks.size()
        );
        hushes.push_back(
            {{"label", placed.hush.label},
             {"from_s", seconds(span.from)},
             {"to_s", seconds(span.to)},
             {"edge_ms", inMilliseconds(placed.hush.edge)},
             {"tracks", std::move(tracks)}}
        );
    }
}

Result<int> infoOfSong(const std::string& path, const Context& context)
{
    const auto opened = openSong(path);
    if (!opened) {
        return tl::unexpected(opened.error());
    }
    const Song& song = opened->song();
    Json json{
        {"kind", "song"},
        {"name", song.name},
        {"sample_rate", song.rate.count()},
        {"length_s", toSeconds(song.end(), song.rate).count()},
        {"bpm", song.tempo.bpmAt(Beats(0.0))},
        {"meter",
         fmt::format(
             "{}/{}",
             song.tempo.meters().front().meter.numerator,
             song.tempo.meters().front().meter.denominator
         )},
        {"first_downbeat_s", song.tempo.firstDownbeat().count()},
        {"tempo_points", song.tempo.tempi().size()},
        {"undo_steps", opened->document.history.current()},
        {"tracks", Json::array()},
        {"mic_sets", Json::array()}};
    std::string readable = fmt::format(
        "{}\n  {:.1f} s at {:g} Hz, {:g} bpm{}, first downbeat {:.4f} s\n",
        song.name,
        toSeconds(song.length(), song.rate).count(),
        song.rate.count(),
        song.tempo.bpmAt(Beats(0.0)),
        song.tempo.tempi().size() > 1 ? " at first" : "",
        song.tempo.firstDownbeat().count()
    );
    for (const auto& track : song.tracks) {
        json["tracks"].push_back(
            {{"name", track->name},
             {"clips", track->clips.size()},
             {"marks", track->marks.size()},
             {"lead", song.isLead(*track)}}
        );
        readable += fmt::format(
            "  {:<16} {:>5} clips {:>5} marks{}\n",
            track->name,
            track->clips.size(),
            track->marks.size(),
            track->isLead ? "  lead" : ""
        );
    }
    for (const MicSet& set : song.sets) {
        if (set.isLone() && !set.recipe) {
            continue;
        }
        json["mic_sets"].push_back(
            {{"name", song.nameOf(set)},
             {"tracks", set.tracks.size()},
             {"fitted", set.recipe != nullptr},
             {"out_of_date", isOutOfDate(song, set)}}
        );
    }
    addShaped(song, json, readable);
    print(context, json, readable);
    return 0;
}

// The greatest magnitude of a file, read in blocks.
Result<double> peakOf(SoundFileReader& reader, const Work& work)
{
    constexpr Frames kBlock{1 << 16};
    AudioBuffer block(reader.channels(), kBlock);
    double peak = 0.0;
    for (Frames from{0}; from < reader.frames(); from += kBlock) {
        if (work.stopped()) {
            return cancelled();
        }
        if (const auto read = reader.read(from, block); !read) {
            return tl::unexpected(read.error());
        }
        for (int c = 0; c < block.channels(); ++c) {
            for (const float value : block.channel(c)) {
                peak = std::max(peak, static_cast<double>(std::abs(value)));
            }
        }
        work.report(toSeconds(from, reader.rate()) / toSeconds(reader.frames(), reader.rate()));
    }
    return peak;
}

Result<int> infoOfFile(const std::string& path, const Context& context)
{
    const auto reader = SoundFileReader::open(path);
    if (!reader) {
        return tl::unexpected(reader.error());
    }
    const SoundFacts& facts = (*reader)->facts();
    const auto peak = peakOf(**reader, context.work);
    if (!peak) {
        return tl::unexpected(peak.error());
    }
    const double seconds = toSeconds(facts.frames, facts.rate).count();
    Json json{
        {"kind", "take"},
        {"sample_rate", facts.rate.count()},
        {"frames", facts.frames.count()},
        {"length_s", seconds},
        {"channels", facts.channels},
        {"format", facts.format},
        {"peak_db", toDecibels(*peak)}};
    json["time_stamp"] = facts.timeStamp ? Json(facts.timeStamp->count()) : Json();
    print(
        context,
        json,
        fmt::format(
            "{}\n  {}, {:g} Hz, {} channels, {:.3f} s, peak {:.1f} dB\n",
            path,
            facts.format,
            facts.rate.count(),
            facts.channels,
            seconds,
            toDecibels(*peak)
        )
    );
    return 0;
}

struct RenderOptions {
    std::string song, out, stems, range, format = "wav24";
    bool dither = false;
};

// "17:24" is from the start of bar 17 to the start of bar 24.
Result<PrintSettings> rangeOf(const Song& song, const RenderOptions& options)
{
    PrintSettings settings;
    settings.to = song.end();
    settings.dither = options.dither;
    auto format = parsePrintFormat(options.format);
    if (!format || *format == PrintFormat::Same) {
        return badArgument(fmt::format(
            "format '{}' is not known; use wav16, wav24, wav32f or flac", options.format
        ));
    }
    settings.format = *format;
    if (options.range.empty()) {
        return settings;
    }
    int first = 0;
    int last = 0;
    char rest = 0;
    if (std::sscanf(options.range.c_str(), "%d:%d%c", &first, &last, &rest) != 2 || last <= first) {
        return badArgument(fmt::format(
            "range '{}' must be two bars such as 17:25, the second after the first", options.range
        ));
    }
    const auto frameOf = [&](int bar) {
        return toFrames(song.tempo.timeAt(song.tempo.startOfBar(bar)), song.rate);
    };
    settings.from = std::max(Frames(0), frameOf(first));
    settings.to = std::min(settings.to, frameOf(last));
    return settings;
}

std::string describe(const std::vector<PrintedFile>& files)
{
    std::string text;
    for (const PrintedFile& file : files) {
        text += fmt::format(
            "{}  peak {:.1f} dB{}\n",
            file.path.string(),
            toDecibels(file.peak),
            file.clipped > 0
                ? fmt::format(", {} samples over full scale were clipped", file.clipped)
                : ""
        );
    }
    return text;
}

Result<int> render(const RenderOptions& options, const Context& context)
{
    if (options.out.empty() == options.stems.empty()) {
        return badArgument("give either --out FILE for the mix or --stems FOLDER for the tracks");
    }
    const auto opened = openSong(options.song);
    if (!opened) {
        return tl::unexpected(opened.error());
    }
    const auto settings = rangeOf(opened->song(), options);
    if (!settings) {
        return tl::unexpected(settings.error());
    }
    const auto sources = openTakes(*opened, context.work);
    if (!sources) {
        return tl::unexpected(sources.error());
    }
    std::vector<PrintedFile> files;
    if (!options.out.empty()) {
        auto file = printMix(opened->song(), **sources, options.out, *settings, context.work);
        if (!file) {
            return tl::unexpected(file.error());
        }
        files.push_back(std::move(*file));
    } else {
        std::error_code error;
        std::filesystem::create_directories(options.stems, error);
        std::vector<TrackPrint> prints;
        const auto names = printNames(opened->song(), settings->format);
        for (std::size_t t = 0; t < names.size(); ++t) {
            prints.push_back(
                {opened->song().tracks[t]->id, std::filesystem::path(options.stems) / names[t]}
            );
        }
        auto printed = printTracks(opened->song(), **sources, prints, *settings, context.work);
        if (!printed) {
            return tl::unexpected(printed.error());
        }
        files = std::move(*printed);
    }
    Json json{{"files", Json::array()}};
    for (const PrintedFile& file : files) {
        json["files"].push_back(
            {{"path", file.path.string()},
             {"peak_db", toDecibels(file.peak)},
             {"clipped", file.clipped}}
        );
    }
    print(context, json, describe(files));
    return 0;
}

}  // namespace

void addDemo(CLI::App& app, Choice& choice)
{
    auto* command = app.add_subcommand("demo", "Write the demo song and its takes into a folder");
    auto folder = std::make_shared<std::string>();
    command->add_option("DIR,--out", *folder, "Folder to write to; created if needed")->required();
    addJson(*command, choice);
    addExample(*command, "demo DemoSong");
    command->callback([&choice, folder] {
        choice.run = [folder](const Context& context) -> Result<int> {
            const auto path = demo::writeDemoSong(*folder, context.work);
            if (!path) {
                return tl::unexpected(path.error());
            }
            print(context, {{"song", path->string()}}, fmt::format("{}\n", path->string()));
            return 0;
        };
    });
}

void addInfo(CLI::App& app, Choice& choice)
{
    auto* command = app.add_subcommand("info", "Describe a song or a sound file");
    auto path = std::make_shared<std::string>();
    command->add_option("SONG|FILE", *path, "Song or sound file")->required();
    addJson(*command, choice);
    addExample(*command, "info Song.orthochron");
    command->callback([&choice, path] {
        choice.run = [path](const Context& context) {
            return isSong(*path) ? infoOfSong(*path, context) : infoOfFile(*path, context);
        };
    });
}

void addRender(CLI::App& app, Choice& choice)
{
    auto* command = app.add_subcommand("render", "Print a song's mix or its tracks");
    auto options = std::make_shared<RenderOptions>();
    command->add_option("SONG", options->song, "Song file")->required();
    mayBeStream(
        *command->add_option("--out", options->out, "File for the mix; - for standard output"),
        choice
    );
    command->add_option("--stems", options->stems, "Folder to write one file per track to");
    command->add_option("--range", options->range, "Bars to print, FROM:TO; TO is not included");
    command->add_option("--format", options->format, "Sample format: wav16, wav24, wav32f or flac");
    command->add_flag("--dither", options->dither, "Dither 16 bit files");
    addJson(*command, choice);
    addExample(*command, "render Song.orthochron --out Mix.wav --range 9:17 --format wav24");
    command->callback([&choice, options] {
        choice.run = [options](const Context& context) { return render(*options, context); };
    });
}

void addCollect(CLI::App& app, Choice& choice)
{
    auto* command =
        app.add_subcommand("collect", "Copy a song and all its takes into one folder, verified");
    auto path = std::make_shared<std::string>();
    auto folder = std::make_shared<std::string>();
    command->add_option("SONG", *path, "Song file")->required();
    command->add_option("--out", *folder, "New or empty folder to copy to")->required();
    addJson(*command, choice);
    addExample(*command, "collect Song.orthochron --out Archive");
    command->callback([&choice, path, folder] {
        choice.run = [path, folder](const Context& context) -> Result<int> {
            auto opened = openSong(*path);
            if (!opened) {
                return tl::unexpected(opened.error());
            }
            const auto song =
                collectSong(std::move(opened->document), opened->folder, *folder, context.work);
            if (!song) {
                return tl::unexpected(song.error());
            }
            print(context, {{"song", song->string()}}, fmt::format("{}\n", song->string()));
            return 0;
        };
    });
}

void addVerify(CLI::App& app, Choice& choice)
{
    auto* command =
        app.add_subcommand("verify", "Check that every take of a song is present and unchanged");
    auto path = std::make_shared<std::string>();
    command->add_option("SONG", *path, "Song file")->required();
    addJson(*command, choice);
    addExample(*command, "verify Song.orthochron");
    command->callback([&choice, path] {
        choice.run = [path](const Context& context) -> Result<int> {
            const auto opened = openSong(*path);
            if (!opened) {
                return tl::unexpected(opened.error());
            }
            Json json{{"takes", opened->song().takes.size()}, {"troubles", Json::array()}};
            std::string readable;
            // Reads every file, whatever is known of it.
            const auto troubles =
                checkTakes(opened->song(), opened->folder, KnownHashes(), context.work);
            if (!troubles) {
                return tl::unexpected(troubles.error());
            }
            for (const TakeTrouble& trouble : *troubles) {
                json["troubles"].push_back(
                    {{"take", opened->song().take(trouble.take)->name},
                     {"missing", trouble.isMissing},
                     {"what", trouble.sentence}}
                );
                readable += trouble.sentence + "\n";
            }
            const bool isFine = json["troubles"].empty();
            print(
                context,
                json,
                isFine ? fmt::format(
                             "{} takes, all present and unchanged\n", opened->song().takes.size()
                         )
                       : readable
            );
            return isFine ? 0 : 3;
        };
    });
}

}  // namespace orthochron::cli
