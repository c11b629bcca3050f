#include "core/files/NotesFile.h"

#include <fmt/format.h>

#include "core/files/AtomicFile.h"
#include "core/files/JsonText.h"

#include <algorithm>
#include <array>
#include <cmath>
#include <optional>

namespace orthochron {

namespace {

using Json = nlohmann::json;

// One number of a change, 0 where it has none.
Result<double> numberOf(const Json& json, const char* key, double low, double high)
{
    const auto found = json.find(key);
    if (found == json.end()) {
        return 0.0;
    }
    const double value = found->is_number() ? found->get<double>() : std::nan("");
    if (!(value >= low && value <= high)) {
        return badInput(fmt::format("'{}' must be a number from {:g} to {:g}", key, low, high));
    }
    return value;
}

Result<NoteChange> changeOf(const Json& json, Hertz rate)
{
    if (!json.is_object() || !json.contains("start_s")) {
        return badInput("must be an object with 'start_s'");
    }
    constexpr std::array kKnown{
        "start_s", "semitones", "cents", "formants", "new_start_s", "new_end_s"};
    for (const auto& [key, value] : json.items()) {
        if (std::ranges::find(kKnown, key) == kKnown.end()) {
            return badInput(fmt::format("unknown field '{}'", key));
        }
    }
    NoteChange change;
    // The first number that is none is what is told.
    std::optional<Error> wrong;
    const auto number = [&](const char* key, double low, double high) {
        const auto value = numberOf(json, key, low, high);
        if (!value && !wrong) {
            wrong = value.error();
        }
        return value.value_or(0.0);
    };
    const auto time = [&](const char* key) {
        return toFrames(Seconds(number(key, 0.0, kLatestSeconds)), rate);
    };
    change.at = time("start_s");
    change.semitones = number("semitones", -kMostSemitones, kMostSemitones);
    change.semitones += number("cents", -2400.0, 2400.0) / 100.0;
    if (json.contains("new_start_s")) {
        change.start = time("new_start_s");
    }
    if (json.contains("new_end_s")) {
        change.end = time("new_end_s");
    }
    if (wrong) {
        return tl::unexpected(*wrong);
    }
    if (json.contains("formants")) {
        const Json& formants = json["formants"];
        if (formants != "keep" && formants != "move") {
            return badInput("'formants' must be \"keep\" or \"move\"");
        }
        change.movesFormants = formants == "move";
    }
    return change;
}

}  // namespace

Result<std::vector<NoteChange>> readNoteChanges(const std::filesystem::path& path, Hertz rate)
{
    const auto text = readWhole(path, kMostBytesOfText);
    if (!text) {
        return tl::unexpected(text.error());
    }
    const Json json = parseJson(*text);
    if (!json.is_array()) {
        return badInput(fmt::format(
            "{}: is not a list of note changes; write [{{\"start_s\": 1.5, \"cents\": 30}}, ...]",
            path.string()
        ));
    }
    std::vector<NoteChange> changes;
    for (const Json& each : json) {
        auto change = changeOf(each, rate);
        if (!change) {
            return badInput(fmt::format(
                "{}: change {} {}", path.string(), changes.size() + 1, change.error().message
            ));
        }
        changes.push_back(*change);
    }
    return changes;
}

}  // namespace orthochron
