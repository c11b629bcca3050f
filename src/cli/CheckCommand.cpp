#include <fmt/format.h>

#include "cli/Arguments.h"
#include "cli/Commands.h"
#include "cli/FitReport.h"
#include "cli/OpenedSong.h"
#include "core/audio/SoundFile.h"
#include "core/audit/SongAudit.h"
#include "core/files/AtomicFile.h"
#include "core/files/JsonText.h"

#include <mutex>

namespace orthochron::cli {

namespace {

namespace fs = std::filesystem;

struct CheckOptions {
    std::vector<std::string> in, sources;
    std::string edits;
    bool isStrict = false;
};

Result<int> report(const Json& findings, bool isStrict, const Context& context)
{
    std::string readable = fmt::format("{} findings\n", findings.size());
    for (const Json& finding : findings) {
        readable += fmt::format(
            "{:>11.4f} s  {:<15} {:>8.2f} {:<8} {}\n",
            finding["time_s"].get<double>(),
            finding["kind"].get<std::string>(),
            finding["value"].get<double>(),
            finding["unit"].get<std::string>(),
            finding["file"].get<std::string>()
        );
    }
    print(context, {{"findings", findings}}, readable);
    return isStrict && !findings.empty() ? 4 : 0;
}

Result<int> checkSong(const std::string& path, bool isStrict, const Context& context)
{
    const auto opened = openSong(path);
    if (!opened) {
        return tl::unexpected(opened.error());
    }
    const Song& song = opened->song();
    const auto sources = openTakes(*opened, context.work);
    if (!sources) {
        return tl::unexpected(sources.error());
    }
    Json all = Json::array();
    for (const MicSet& set : song.sets) {
        auto findings = auditSet(song, set.id, **sources, context.work);
        if (!findings) {
            return tl::unexpected(findings.error());
        }
        std::erase_if(*findings, [&](const Finding& finding) { return isAccepted(song, finding); });
        std::vector<std::string> names;
        for (const TrackId id : set.tracks) {
            names.push_back(song.track(id)->name);
        }
        for (Json& finding : findingsJson(*findings, song.rate, names)) {
            all.push_back(std::move(finding));
        }
    }
    return report(all, isStrict, context);
}

// Files read together, one microphone each.
struct Files {
    std::vector<std::unique_ptr<SoundFileReader>> readers;
    std::unique_ptr<std::vector<std::mutex>> mutexes;  // the check reads from many threads
};

Result<Files> openFiles(const std::vector<std::string>& paths, Hertz& rate)
{
    Files files;
    for (const std::string& path : paths) {
        auto reader = SoundFileReader::open(path);
        if (!reader) {
            return tl::unexpected(reader.error());
        }
        if (rate == Hertz(0.0)) {
            rate = (*reader)->rate();
        } else if (rate != (*reader)->rate()) {
            return badInput(fmt::format("{}: has another rate than the others", path));
        }
        files.readers.push_back(std::move(*reader));
    }
    files.mutexes = std::make_unique<std::vector<std::mutex>>(files.readers.size());
    return files;
}

MicrophoneReader readerOf(const Files& files)
{
    return [&files](int microphone, Frames from, std::span<float> into) -> Result<void> {
        const auto index = static_cast<std::size_t>(microphone);
        SoundFileReader& reader = *files.readers[index];
        AudioBuffer all(reader.channels(), Frames(static_cast<std::int64_t>(into.size())));
        const std::scoped_lock lock((*files.mutexes)[index]);
        auto read = reader.read(from, all);
        std::ranges::copy(all.channel(0), into.begin());
        return read;
    };
}

Result<int> checkFiles(const CheckOptions& options, const Context& context)
{
    if (options.in.size() != options.sources.size()) {
        return badArgument(fmt::format(
            "{} edited files and {} sources: each edited file needs the take it was made from, in "
            "the same order",
            options.in.size(),
            options.sources.size()
        ));
    }
    Hertz rate{0.0};
    const auto edited = openFiles(options.in, rate);
    if (!edited) {
        return tl::unexpected(edited.error());
    }
    const auto recorded = openFiles(options.sources, rate);
    if (!recorded) {
        return tl::unexpected(recorded.error());
    }
    const auto text = readWhole(options.edits, 512U << 20U);
    if (!text) {
        return tl::unexpected(text.error());
    }
    Frames length{0};
    for (const auto& reader : edited->readers) {
        length = std::max(length, reader->frames());
    }
    const auto map = editMapFrom(parseJson(*text), rate, length, options.edits);
    if (!map) {
        return tl::unexpected(map.error());
    }
    const AuditInput input{
        *map, static_cast<int>(edited->readers.size()), readerOf(*edited), readerOf(*recorded)};
    const auto findings = checkWhole(input, context.work);
    if (!findings) {
        return tl::unexpected(findings.error());
    }
    std::vector<std::string> names;
    for (const std::string& path : options.in) {
        names.push_back(fs::path(path).filename().string());
    }
    return report(findingsJson(*findings, rate, names), options.isStrict, context);
}

}  // namespace

void addCheck(CLI::App& app, Choice& choice)
{
    auto* command =
        app.add_subcommand("check", "Check an edit for clicks, gaps, double hits and strain");
    auto o = std::make_shared<CheckOptions>();
    command->add_option("SONG|IN", o->in, "Song, or edited sound files")->required();
    command
        ->add_option(
            "--source",
            o->sources,
            "Source of an edited file; repeat for several, in the same order"
        )
        ->expected(1)
        ->allow_extra_args(false)
        ->multi_option_policy(CLI::MultiOptionPolicy::TakeAll);
    command->add_option("--edits", o->edits, "JSON file with the output of 'fit --json'");
    command->add_flag("--strict", o->isStrict, "Exit with 4 when there are findings");
    addJson(*command, choice);
    addExample(*command, "check fitted/Kick.wav --source Kick.wav --edits fit.json --strict");
    command->callback([&choice, o] {
        choice.run = [o](const Context& context) -> Result<int> {
            if (o->in.size() == 1 && fs::path(o->in.front()).extension() == kSongEnding) {
                return checkSong(o->in.front(), o->isStrict, context);
            }
            if (o->sources.empty() || o->edits.empty()) {
                return badArgument("edited files are checked with --source and --edits");
            }
            return checkFiles(*o, context);
        };
    });
}

}  // namespace orthochron::cli
