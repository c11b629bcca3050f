#include <fmt/format.h>

#include "cli/Arguments.h"
#include "cli/ChildProcess.h"
#include "cli/Commands.h"
#include "core/files/AtomicFile.h"

#include <algorithm>
#include <atomic>
#include <filesystem>
#include <mutex>
#include <set>
#include <thread>

namespace orthochron::cli {

namespace {

namespace fs = std::filesystem;

struct AlbumOptions {
    std::string job, report;
    int jobs = 0;
    bool isFromStart = false;
};

// Commands of one song, one after the other; each as its own arguments.
struct AlbumSong {
    std::string name;
    std::vector<std::vector<std::string>> steps;
};

const std::set<std::string>& knownCommands()
{
    static const std::set<std::string> kKnown{
        "onsets",
        "tempo",
        "tempomap",
        "fit",
        "stretch",
        "pitch",
        "tune",
        "shape",
        "check",
        "render",
        "print",
        "verify",
        "report",
        "info"};
    return kKnown;
}

Result<std::string> textOf(const Json& value, const std::string& where)
{
    if (value.is_string()) {
        return value.get<std::string>();
    }
    if (value.is_number()) {
        return value.dump();
    }
    return badInput(fmt::format("{}: text or a number is expected", where));
}

// One option with its values: true alone is a flag, a list repeats it.
Result<void> addOption(
    std::vector<std::string>& arguments,
    const std::string& name,
    const Json& value,
    const std::string& where
)
{
    const std::string option = "--" + name;
    if (value.is_boolean()) {
        if (value.get<bool>()) {
            arguments.push_back(option);
        }
        return {};
    }
    const Json one = value.is_array() ? value : Json::array({value});
    for (const Json& each : one) {
        auto text = textOf(each, where + ", " + name);
        if (!text) {
            return tl::unexpected(text.error());
        }
        // Joined, so that no value is taken for an option.
        arguments.push_back(option + "=" + *text);
    }
    return {};
}

Result<std::vector<std::string>>
stepFrom(const Json& json, const Json& defaults, const std::string& where)
{
    const auto command = json.is_object() ? json.find("command") : json.end();
    if (!json.is_object() || command == json.end() || !command->is_string() ||
        !knownCommands().contains(command->get<std::string>())) {
        return badInput(where + ": a step needs a command, such as \"fit\"");
    }
    std::vector<std::string> arguments{command->get<std::string>()};
    if (const auto inputs = json.find("inputs"); inputs != json.end()) {
        for (const Json& input : inputs->is_array() ? *inputs : Json::array({*inputs})) {
            auto text = textOf(input, where + ", inputs");
            if (!text) {
                return tl::unexpected(text.error());
            }
            arguments.push_back(std::move(*text));
        }
    }
    Json options = Json::object();
    if (const auto own = defaults.find(arguments.front());
        own != defaults.end() && own->is_object()) {
        options = *own;
    }
    for (const auto& [key, value] : json.items()) {
        options[key] = value;
    }
    for (const auto& [key, value] : options.items()) {
        if (key != "command" && key != "inputs") {
            if (auto added = addOption(arguments, key, value, where); !added) {
                return tl::unexpected(added.error());
            }
        }
    }
    arguments.emplace_back("--json");
    return arguments;
}

Result<std::vector<AlbumSong>> songsFrom(const Json& json, const std::string& file)
{
    if (!json.is_object() || !json.contains("songs") || !json["songs"].is_array()) {
        return badInput(fmt::format(
            "{}: is not a job; write {{\"songs\": [{{\"name\": ..., \"steps\": [...]}}]}}", file
        ));
    }
    const Json defaults = json.contains("defaults") && json["defaults"].is_object()
                              ? json["defaults"]
                              : Json::object();
    std::vector<AlbumSong> songs;
    for (const Json& each : json["songs"]) {
        AlbumSong song;
        const std::size_t number = songs.size() + 1;
        song.name = each.is_object() && each.contains("name") && each["name"].is_string()
                        ? each["name"].get<std::string>()
                        : fmt::format("song {}", number);
        const std::string where = fmt::format("{}: {}", file, song.name);
        if (!each.is_object() || !each.contains("steps") || !each["steps"].is_array()) {
            return badInput(where + ": a song needs steps");
        }
        for (const Json& step : each["steps"]) {
            auto arguments = stepFrom(step, defaults, where);
            if (!arguments) {
                return tl::unexpected(arguments.error());
            }
            song.steps.push_back(std::move(*arguments));
        }
        songs.push_back(std::move(song));
    }
    return songs;
}

std::string lastLineOf(const std::string& text)
{
    const std::size_t end = text.find_last_not_of('\n');
    if (end == std::string::npos) {
        return {};
    }
    const std::size_t start = text.find_last_of('\n', end);
    const std::size_t first = start == std::string::npos ? 0 : start + 1;
    const std::string line = text.substr(first, end + 1 - first);
    constexpr std::string_view kProgram = "orthochron-cli: ";
    return line.starts_with(kProgram) ? line.substr(kProgram.size()) : line;
}

// What is finished, kept beside the job after each song.
class Progress {
public:
    Progress(fs::path file, bool isFromStart) : file_(std::move(file))
    {
        if (isFromStart) {
            return;
        }
        if (const auto text = readWhole(file_, 512U << 20U)) {
            Json read = Json::parse(*text, nullptr, false);
            if (read.is_object()) {
                done_ = std::move(read);
            }
        }
    }
    // The result of a song that was finished with the same steps.
    [[nodiscard]] std::optional<Json> of(const AlbumSong& song) const
    {
        const auto found = done_.find(song.name);
        if (found != done_.end() && found->is_object() && (*found)["steps"] == Json(song.steps)) {
            return (*found)["result"];
        }
        return std::nullopt;
    }
    void keep(const AlbumSong& song, const Json& result)
    {
        const std::scoped_lock lock(mutex_);
        done_[song.name] = {{"steps", song.steps}, {"result", result}};
        // A job that cannot be resumed still runs.
        (void)writeAtomically(file_, done_.dump(1, ' ', false, Json::error_handler_t::replace));
    }

private:
    fs::path file_;
    Json done_ = Json::object();
    std::mutex mutex_;
};

Json runSong(const AlbumSong& song, const fs::path& folder, const Work& work)
{
    Json result{{"name", song.name}, {"ok", true}, {"steps", Json::array()}};
    for (const auto& arguments : song.steps) {
        Json step{{"command", arguments.front()}};
        const auto outcome = runChild(arguments, folder, work);
        step["exit_code"] = outcome ? outcome->exitCode : 1;
        const bool isDone = outcome && outcome->exitCode == 0;
        if (outcome) {
            const Json said = Json::parse(outcome->out, nullptr, false);
            step["result"] = said.is_discarded() ? Json() : said;
        }
        if (!isDone) {
            step["error"] = outcome ? lastLineOf(outcome->error) : outcome.error().message;
            result["ok"] = false;
        }
        result["steps"].push_back(std::move(step));
        if (!isDone) {
            break;
        }
    }
    return result;
}

std::string escaped(const std::string& text)
{
    std::string safe;
    for (const char c : text) {
        switch (c) {
        case '<': safe += "&lt;"; break;
        case '>': safe += "&gt;"; break;
        case '&': safe += "&amp;"; break;
        default: safe += c;
        }
    }
    return safe;
}

// One page for all songs.
std::string pageOf(const Json& songs)
{
    std::string rows;
    for (const Json& song : songs) {
        std::string steps;
        for (const Json& step : song["steps"]) {
            const Json& result = step["result"];
            std::string what = step["command"].get<std::string>();
            if (result.is_object() && result.contains("summary")) {
                what += fmt::format(
                    ", {} hits, {} findings",
                    result["summary"].value("hits", 0),
                    result["summary"].value("findings", 0)
                );
            }
            steps += "<div>" + escaped(what);
            if (step.contains("error")) {
                steps += ": <b>" + escaped(step["error"].get<std::string>()) + "</b>";
            }
            steps += "</div>";
        }
        rows += fmt::format(
            "<tr><td>{}<td>{}<td>{}</tr>",
            escaped(song["name"].get<std::string>()),
            song["ok"].get<bool>() ? "done" : "failed",
            steps
        );
    }
    return "<!DOCTYPE html><html lang=\"en\"><meta charset=\"utf-8\"><title>Album</title><style>"
           "body{background:#F3EDE0;color:#22303C;font:15px/1.45 Barlow,sans-serif;"
           "max-width:940px;margin:32px auto;padding:0 16px}table{border-collapse:collapse;"
           "width:100%}td{padding:6px 10px 6px 0;border-bottom:1px solid #E0D7C5;"
           "vertical-align:top}b{color:#7A2E5D}</style><h1>Album</h1><table>" +
           rows + "</table></html>\n";
}

// Runs the songs side by side, each as often as it takes to be done once.
std::vector<Json> runAll(
    const std::vector<AlbumSong>& songs,
    const fs::path& folder,
    Progress& progress,
    int jobs,
    const Work& work
)
{
    std::vector<Json> results(songs.size());
    std::atomic<std::size_t> next{0};
    std::atomic<std::size_t> done{0};
    const auto worker = [&] {
        for (std::size_t i = next++; i < songs.size() && !work.stopped(); i = next++) {
            if (auto known = progress.of(songs[i])) {
                results[i] = std::move(*known);
                results[i]["resumed"] = true;
            } else {
                results[i] = runSong(songs[i], folder, work);
                if (results[i]["ok"].get<bool>()) {
                    progress.keep(songs[i], results[i]);
                }
            }
            work.report(static_cast<double>(++done) / static_cast<double>(songs.size()));
        }
    };
    std::vector<std::jthread> workers;
    for (int i = 1; i < jobs; ++i) {
        workers.emplace_back(worker);
    }
    worker();
    workers.clear();
    return results;
}

Result<int> album(const AlbumOptions& options, const Context& context)
{
    const auto text = readWhole(options.job, 64U << 20U);
    if (!text) {
        return tl::unexpected(text.error());
    }
    const Json job = Json::parse(*text, nullptr, false);
    const auto songs = songsFrom(job, options.job);
    if (!songs) {
        return tl::unexpected(songs.error());
    }
    const fs::path file = fs::absolute(options.job);
    Progress progress(fs::path(file.string() + ".progress"), options.isFromStart);
    const int cores = std::max(1, static_cast<int>(std::thread::hardware_concurrency()));
    const auto results = runAll(
        *songs, file.parent_path(), progress, options.jobs > 0 ? options.jobs : cores, context.work
    );
    if (context.work.stopped()) {
        return cancelled();
    }
    Json all = Json::array();
    std::string readable;
    std::size_t failures = 0;
    for (const Json& result : results) {
        const bool isDone = result["ok"].get<bool>();
        failures += isDone ? 0 : 1;
        readable += fmt::format(
            "{}: {}{}\n",
            result["name"].get<std::string>(),
            isDone ? "done" : result["steps"].back().value("error", "failed"),
            result.contains("resumed") ? ", finished earlier" : ""
        );
        all.push_back(result);
    }
    if (!options.report.empty()) {
        if (auto written = writeAtomically(options.report, pageOf(all)); !written) {
            return tl::unexpected(written.error());
        }
    }
    print(context, {{"songs", all}, {"failed", failures}}, readable);
    return failures == 0 ? 0 : 1;
}

}  // namespace

void addAlbum(CLI::App& app, Choice& choice)
{
    auto* command = app.add_subcommand("album", "Run the commands of many songs side by side");
    auto o = std::make_shared<AlbumOptions>();
    command
        ->add_option(
            "JOB",
            o->job,
            "JSON file: {\"defaults\": {\"fit\": {...}}, \"songs\": [{\"name\": ..., \"steps\": "
            "[{\"command\": \"fit\", \"inputs\": [...], \"lead\": [...], \"bpm\": 92, ...}]}]}"
        )
        ->required();
    command->add_option("--jobs", o->jobs, "Songs at the same time; default: one per core")
        ->check(CLI::Range(1, 64));
    command->add_option("--report", o->report, "HTML file with all songs on one page");
    command->add_flag("--restart", o->isFromStart, "Run songs again that finished earlier");
    addJson(*command, choice);
    addExample(*command, "album Album.json --jobs 2 --report Album.html");
    command->callback([&choice, o] {
        choice.run = [o](const Context& context) { return album(*o, context); };
    });
}

}  // namespace orthochron::cli
