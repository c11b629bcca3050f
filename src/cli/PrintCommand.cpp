#include <fmt/format.h>

#include "cli/Arguments.h"
#include "cli/Commands.h"
#include "cli/OpenedSong.h"
#include "core/base/FileName.h"
#include "core/edits/PrintEdits.h"
#include "core/edits/TakeEdits.h"
#include "core/render/Print.h"

#include <filesystem>

namespace orthochron::cli {

namespace {

namespace fs = std::filesystem;

struct PrintOptions {
    std::string song, depth = "clip", out, format = "wav24";
    std::vector<std::string> tracks;
    bool isInPlace = false;
    bool isBelow = false;
    bool withDither = false;
};

// The sets that some tracks or sets are named by; all of the song's when none is named.
Result<std::vector<SetId>> setsOf(const Song& song, const std::vector<std::string>& names)
{
    std::vector<SetId> sets;
    if (names.empty()) {
        for (const MicSet& set : song.sets) {
            sets.push_back(set.id);
        }
        return sets;
    }
    for (const std::string& name : names) {
        const auto found = std::ranges::find_if(song.sets, [&](const MicSet& set) {
            return song.nameOf(set) == name || std::ranges::any_of(set.tracks, [&](TrackId id) {
                       return song.track(id)->name == name;
                   });
        });
        if (found == song.sets.end()) {
            return badArgument(fmt::format("the song has no track or mic set '{}'", name));
        }
        if (std::ranges::find(sets, found->id) == sets.end()) {
            sets.push_back(found->id);
        }
    }
    return sets;
}

Result<Song> withPrint(
    const OpenedSong& opened,
    const Song& song,
    const Sources& sources,
    SetId set,
    const PrintOptions& options,
    PrintFormat format,
    const Work& work
)
{
    FinishedPrint print;
    print.set = set;
    print.depth = options.depth == "track" ? PrintDepth::Track : PrintDepth::Clips;
    PrintSettings settings;
    settings.to = song.length();
    settings.format = format;
    settings.dither = options.withDither;
    const fs::path folder = fs::absolute(options.out).parent_path() / "printed";
    std::error_code error;
    fs::create_directories(folder, error);
    const auto tracks = printFiles(song, set, print.depth, folder, format);
    if (auto written = printTracks(opened.song(), sources, tracks, settings, work); !written) {
        return tl::unexpected(written.error());
    }
    for (const TrackPrint& file : tracks) {
        // Named from the folder of the song that was read, as its other takes are.
        auto take = takeFromFile(file.path, song.rate, opened.folder);
        if (!take) {
            return tl::unexpected(take.error());
        }
        print.takes.push_back(std::move(*take));
    }
    return options.isBelow ? printBelow(song, print) : printInPlace(song, print);
}

Result<int> print(const PrintOptions& options, const Context& context)
{
    if (options.isInPlace == options.isBelow) {
        return badArgument("give either --in-place or --below");
    }
    if (auto checked = checkNewSong(options.out, options.song); !checked) {
        return tl::unexpected(checked.error());
    }
    const auto format = parsePrintFormat(options.format);
    if (!format || *format == PrintFormat::Same) {
        return badArgument(
            fmt::format("unknown format '{}'; use wav16, wav24, wav32f or flac", options.format)
        );
    }
    auto opened = openSong(options.song);
    if (!opened) {
        return tl::unexpected(opened.error());
    }
    const auto sets = setsOf(opened->song(), options.tracks);
    if (!sets) {
        return tl::unexpected(sets.error());
    }
    if (sets->empty()) {
        return badArgument("nothing to print: the song has no tracks");
    }
    const auto sources = openTakes(*opened, context.work);
    if (!sources) {
        return tl::unexpected(sources.error());
    }
    Song song = opened->song();
    Json names = Json::array();
    for (std::size_t i = 0; i < sets->size(); ++i) {
        const double share = 1.0 / static_cast<double>(sets->size());
        const Work part =
            context.work.part(share * static_cast<double>(i), share * static_cast<double>(i + 1));
        auto next = withPrint(*opened, song, **sources, (*sets)[i], options, *format, part);
        if (!next) {
            return tl::unexpected(next.error());
        }
        names.push_back(song.nameOf(*song.set((*sets)[i])));
        song = std::move(*next);
    }
    opened->document.history.add(std::move(song), "Print");
    if (auto saved = saveAs(*opened, options.out); !saved) {
        return tl::unexpected(saved.error());
    }
    cli::print(
        context,
        {{"song", options.out}, {"printed", names}},
        fmt::format("{}: {} printed\n", options.out, names.size())
    );
    return 0;
}

}  // namespace

void addPrint(CLI::App& app, Choice& choice)
{
    auto* command = app.add_subcommand(
        "print", "Print tracks or mic sets into a new song, in place or on new tracks"
    );
    auto o = std::make_shared<PrintOptions>();
    command->add_option("SONG", o->song, "Song file")->required();
    command
        ->add_option(
            "--depth",
            o->depth,
            "clip (cuts, stretch, pitch, speed, fades, clip level) or track (also level line, "
            "hushes, track level and pan)"
        )
        ->check(CLI::IsMember({"clip", "track"}));
    command->add_option("--track", o->tracks, "Track or mic set; default: all; repeat for several")
        ->expected(1)
        ->allow_extra_args(false)
        ->multi_option_policy(CLI::MultiOptionPolicy::TakeAll);
    command->add_flag("--in-place", o->isInPlace, "Replace the clips; they are kept in the song");
    command->add_flag("--below", o->isBelow, "Add new tracks below and mute the original");
    command->add_option("--format", o->format, "Sample format: wav16, wav24, wav32f or flac");
    command->add_flag("--dither", o->withDither, "Dither 16 bit files");
    command->add_option("--out", o->out, "Song to write; prints go to a folder beside it")
        ->required();
    addJson(*command, choice);
    addExample(
        *command,
        "print Song.orthochron --depth clip --track Kit --in-place --out Printed.orthochron"
    );
    command->callback([&choice, o] {
        choice.run = [o](const Context& context) { return print(*o, context); };
    });
}

}  // namespace orthochron::cli
