#include "core/files/MapTable.h"

#include <fmt/format.h>
#include <nlohmann/json.hpp>

#include "core/files/AtomicFile.h"

#include <algorithm>
#include <vector>

namespace orthochron {

namespace {

struct Line {
    int bar = 1;
    int beat = 1;
    Meter meter;
    Seconds time;
    double bpm = 0.0;
    bool isPinned = false;
};

bool isPinnedAt(const TempoMap& map, Beats place)
{
    constexpr double kSame = 1e-6;
    const auto near =
        std::ranges::lower_bound(map.tempi(), place - Beats(kSame), {}, &TempoPoint::at);
    return near != map.tempi().end() && near->isPinned && near->at < place + Beats(kSame);
}

std::vector<Line> linesOf(const TempoMap& map, Seconds end)
{
    std::vector<Line> lines;
    for (int bar = map.barAt(map.beatsAt(Seconds(0.0)));; ++bar) {
        const Meter meter = map.meterOfBar(bar);
        for (int beat = 0; beat < meter.numerator; ++beat) {
            const Beats place = map.startOfBar(bar) + meter.beatLength() * beat;
            const Seconds time = map.timeAt(place);
            if (time > end) {
                return lines;
            }
            if (time >= Seconds(0.0)) {
                lines.push_back(
                    {bar, beat + 1, meter, time, map.bpmAt(place), isPinnedAt(map, place)}
                );
            }
        }
    }
}

std::string nameOf(Meter meter)
{
    return fmt::format("{}/{}", meter.numerator, meter.denominator);
}

std::string asTable(const std::vector<Line>& lines)
{
    std::string text = "bar,beat,seconds,bpm,meter,pinned\n";
    for (const Line& line : lines) {
        text += fmt::format(
            "{},{},{:.6f},{:.6f},{},{}\n",
            line.bar,
            line.beat,
            line.time.count(),
            line.bpm,
            nameOf(line.meter),
            line.isPinned ? "pinned" : ""
        );
    }
    return text;
}

nlohmann::json jsonOf(const TempoMap& map, const TimedPart& part)
{
    nlohmann::json notes = nlohmann::json::array();
    for (const TimedNote& note : part.notes) {
        const BarBeat place = map.placeAt(map.beatsAt(note.at));
        const double rest = place.rest / map.meterOfBar(place.bar).beatLength();
        notes.push_back(
            {{"seconds", note.at.count()},
             {"bar", place.bar},
             {"beat", place.beat + rest},
             {"length_seconds", note.length.count()},
             {"key", note.key},
             {"velocity", note.velocity},
             {"channel", note.channel}}
        );
    }
    return {{"name", part.name}, {"notes", notes}};
}

std::string
asJson(const TempoMap& map, const std::vector<Line>& lines, std::span<const TimedPart> parts)
{
    nlohmann::json json{
        {"first_downbeat", map.firstDownbeat().count()},
        {"beats", nlohmann::json::array()},
        {"meters", nlohmann::json::array()}};
    for (const Line& line : lines) {
        json["beats"].push_back(
            {{"bar", line.bar},
             {"beat", line.beat},
             {"seconds", line.time.count()},
             {"bpm", line.bpm},
             {"pinned", line.isPinned}}
        );
    }
    for (const MeterChange& change : map.meters()) {
        json["meters"].push_back({{"bar", change.bar}, {"meter", nameOf(change.meter)}});
    }
    json["parts"] = nlohmann::json::array();
    for (const TimedPart& part : parts) {
        json["parts"].push_back(jsonOf(map, part));
    }
    // What a name has that is no UTF-8 is shown as such, not refused.
    return json.dump(1, ' ', false, nlohmann::json::error_handler_t::replace) + "\n";
}

}  // namespace

Result<void> writeMapTable(
    const TempoMap& map,
    Seconds end,
    const std::filesystem::path& path,
    std::span<const TimedPart> parts
)
{
    const bool isTable = path.extension() == ".csv";
    if (!isTable && path.extension() != ".json") {
        return badArgument(
            fmt::format("{}: a tempo map must be saved as .mid, .csv or .json", path.string())
        );
    }
    const auto lines = linesOf(map, end);
    return writeAtomically(path, isTable ? asTable(lines) : asJson(map, lines, parts));
}

}  // namespace orthochron
