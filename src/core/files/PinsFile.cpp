#include "core/files/PinsFile.h"

#include <fmt/format.h>

#include "core/files/AtomicFile.h"
#include "core/files/JsonText.h"

namespace orthochron {

namespace {

bool isTime(const nlohmann::json& json)
{
    return json.is_number() && json.get<double>() >= 0.0 && json.get<double>() <= kLatestSeconds;
}

}  // namespace

Result<TimeMap> readPins(const std::filesystem::path& path, Hertz rate)
{
    const auto text = readWhole(path, kMostBytesOfText);
    if (!text) {
        return tl::unexpected(text.error());
    }
    const nlohmann::json json = parseJson(*text);
    if (!json.is_array() || json.empty()) {
        return badInput(fmt::format(
            "{}: is not a list of pins; write [[source seconds, target seconds], ...]",
            path.string()
        ));
    }
    std::vector<Pin> pins;
    for (const nlohmann::json& pin : json) {
        if (!pin.is_array() || pin.size() != 2 || !isTime(pin[0]) || !isTime(pin[1])) {
            return badInput(fmt::format(
                "{}: pin {} must be two times in seconds, from 0 to {:g}",
                path.string(),
                pins.size() + 1,
                kLatestSeconds
            ));
        }
        pins.push_back(
            {toFrames(Seconds(pin[0].get<double>()), rate),
             toFrames(Seconds(pin[1].get<double>()), rate)}
        );
        if (pins.size() > 1) {
            const Pin& before = pins[pins.size() - 2];
            if (pins.back().take <= before.take || pins.back().sound <= before.sound) {
                return badInput(fmt::format(
                    "{}: pin {} must be later than the previous one in both times",
                    path.string(),
                    pins.size()
                ));
            }
        }
    }
    return TimeMap::through(std::move(pins));
}

}  // namespace orthochron
