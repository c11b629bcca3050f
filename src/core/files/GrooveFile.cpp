#include "core/files/GrooveFile.h"

#include <fmt/format.h>

#include "core/files/AtomicFile.h"
#include "core/files/JsonText.h"
#include "core/files/MidiFile.h"

#include <algorithm>
#include <cmath>

namespace orthochron {

namespace {

using Json = nlohmann::json;

constexpr std::string_view kGrooveFormatName = "orthochron groove";
constexpr std::size_t kMostSteps = 4096;

bool isWithin(const Json& json, const char* key, double low, double high)
{
    return json.is_object() && json.contains(key) && json[key].is_number() &&
           json[key].get<double>() >= low && json[key].get<double>() <= high;
}

Result<Groove> grooveFromNotes(const MidiFile& midi, Meter meter, GridSettings settings)
{
    settings.swing = 50.0;
    // At 60 bpm a second is a quarter note: the grid's own arithmetic finds the lines.
    auto map = TempoMap::steady(60.0, meter, Seconds(0.0));
    if (!map) {
        return tl::unexpected(map.error());
    }
    const Grid grid(std::move(*map), settings);
    struct Sum {
        double offset = 0.0;
        double square = 0.0;
        double weight = 0.0;
        int count = 0;
    };
    std::map<int, Sum> sums;
    for (const MidiNote& note : midi.notes) {
        const GridLine line = grid.nearest(Seconds(note.at.count()));
        const double offset = note.at.count() - line.at.count();
        Sum& sum = sums[line.step];
        sum.offset += offset;
        sum.square += offset * offset;
        sum.weight += note.velocity / 127.0;
        ++sum.count;
    }
    Groove groove;
    groove.meter = meter;
    for (const auto& [step, sum] : sums) {
        const double mean = sum.offset / sum.count;
        const double variance = std::max(0.0, sum.square / sum.count - mean * mean);
        groove.steps.push_back(
            {grid.stepLength() * step,
             Beats(mean),
             sum.weight / sum.count,
             Beats(std::sqrt(variance))}
        );
    }
    return groove;
}

}  // namespace

Json grooveJson(const Groove& groove)
{
    Json steps = Json::array();
    for (const GrooveStep& step : groove.steps) {
        steps.push_back(
            {{"position", step.position.count()},
             {"offset", step.offset.count()},
             {"weight", step.weight},
             {"spread", step.spread.count()}}
        );
    }
    return {
        {"format", kGrooveFormatName},
        {"version", 1},
        {"name", groove.name},
        {"meter", {groove.meter.numerator, groove.meter.denominator}},
        {"steps", steps}};
}

Result<Groove> grooveFromJson(const Json& json, const std::string& name)
{
    const auto damaged = [&] {
        return badInput(fmt::format("{}: is not a groove or is damaged; export it again", name));
    };
    if (!json.is_object() || json.value("format", Json()) != kGrooveFormatName ||
        !isWithin(json, "version", 1, 1) || !json.contains("steps") || !json["steps"].is_array() ||
        json["steps"].size() > kMostSteps || !json.contains("meter") || !json["meter"].is_array() ||
        json["meter"].size() != 2 || !json["meter"][0].is_number_integer() ||
        !json["meter"][1].is_number_integer()) {
        return damaged();
    }
    Groove groove;
    groove.name =
        json.contains("name") && json["name"].is_string() ? json["name"].get<std::string>() : "";
    groove.meter = {json["meter"][0].get<int>(), json["meter"][1].get<int>()};
    if (!TempoMap::steady(120.0, groove.meter, Seconds(0.0))) {
        return damaged();
    }
    for (const Json& step : json["steps"]) {
        if (!isWithin(step, "position", 0.0, 128.0) || !isWithin(step, "offset", -2.0, 2.0) ||
            !isWithin(step, "weight", 0.0, 1.0) || !isWithin(step, "spread", 0.0, 2.0)) {
            return damaged();
        }
        groove.steps.push_back(
            {Beats(step["position"].get<double>()),
             Beats(step["offset"].get<double>()),
             step["weight"].get<double>(),
             Beats(step["spread"].get<double>())}
        );
    }
    std::ranges::sort(groove.steps, {}, &GrooveStep::position);
    return groove;
}

Result<Groove> readGroove(const std::filesystem::path& path, Meter meter, GridSettings grid)
{
    if (path.extension() == ".json") {
        const auto text = readWhole(path, 16U << 20U);
        if (!text) {
            return tl::unexpected(text.error());
        }
        return grooveFromJson(parseJson(*text), path.string());
    }
    const auto midi = readMidi(path);
    if (!midi) {
        return tl::unexpected(midi.error());
    }
    if (midi->notes.empty()) {
        return badInput(fmt::format("{}: contains no notes, so no groove", path.string()));
    }
    auto groove =
        grooveFromNotes(*midi, midi->meters.empty() ? meter : midi->meters.front().second, grid);
    if (!groove) {
        return badInput(fmt::format("{}: {}", path.string(), groove.error().message));
    }
    groove->name = path.stem().string();
    return groove;
}

Result<void> writeGroove(const Groove& groove, const std::filesystem::path& path)
{
    if (path.extension() == ".json") {
        return writeAtomically(path, grooveJson(groove).dump(2));
    }
    if (path.extension() != ".mid") {
        return badArgument(fmt::format("{}: a groove must be saved as .json or .mid", path.string())
        );
    }
    // The second bar of two: a stroke ahead of the first beat then has somewhere to stand.
    MidiFile midi;
    midi.meters.emplace_back(Beats(0.0), groove.meter);
    for (const GrooveStep& step : groove.steps) {
        const Beats at = groove.meter.barLength() + step.position + step.offset;
        midi.notes.push_back(
            {at,
             Beats(0.125),
             38,
             std::clamp(static_cast<int>(std::lround(step.weight * 127.0)), 1, 127)}
        );
    }
    return writeMidi(midi, path);
}

}  // namespace orthochron
