#include <fmt/format.h>

#include "cli/Arguments.h"
#include "cli/Commands.h"
#include "cli/OpenedSong.h"
#include "core/audit/Report.h"
#include "core/base/FileName.h"

namespace orthochron::cli {

namespace {

Result<int> writeReports(const std::string& path, const std::string& out, const Context& context)
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
    // A track by itself is one when something was found or done on it.
    std::vector<const MicSet*> sets;
    for (const MicSet& set : song.sets) {
        if (!set.isLone() || set.recipe || !hitsOf(song, set).hits.empty()) {
            sets.push_back(&set);
        }
    }
    if (sets.empty()) {
        return badInput(fmt::format("{}: contains no hits to report", path));
    }
    Json written = Json::array();
    std::string readable;
    UsedNames used;
    for (const MicSet* set : sets) {
        const auto report = reportOf(song, set->id, **sources, context.work);
        if (!report) {
            return tl::unexpected(report.error());
        }
        // One set takes the name as given; of several each has its own.
        std::filesystem::path file = out;
        if (sets.size() > 1) {
            const std::string name = used.unique(fileNameOf(song.nameOf(*set), "set"));
            file.replace_filename(
                fmt::format("{} {}{}", file.stem().string(), name, file.extension().string())
            );
        }
        if (auto done = writeReport(*report, file); !done) {
            return tl::unexpected(done.error());
        }
        written.push_back(
            {{"set", song.nameOf(*set)},
             {"file", file.string()},
             {"hits", report->hits.size()},
             {"joins", report->joins.size()},
             {"findings", report->left.size()},
             {"accepted", report->accepted}}
        );
        readable += fmt::format(
            "{}: {} hits, {} joins, {} findings left, {} accepted\n",
            file.string(),
            report->hits.size(),
            report->joins.size(),
            report->left.size(),
            report->accepted
        );
    }
    print(context, {{"reports", written}}, readable);
    return 0;
}

}  // namespace

void addReport(CLI::App& app, Choice& choice)
{
    auto* command = app.add_subcommand(
        "report", "Write a report of what was changed and what is left to check"
    );
    auto path = std::make_shared<std::string>();
    auto out = std::make_shared<std::string>();
    command->add_option("SONG", *path, "Song file")->required();
    command->add_option("--out", *out, "File to write: .html, .csv or .json")->required();
    addJson(*command, choice);
    addExample(*command, "report Song.orthochron --out Report.html");
    command->callback([&choice, path, out] {
        choice.run = [path, out](const Context& context) {
            return writeReports(*path, *out, context);
        };
    });
}

}  // namespace orthochron::cli
