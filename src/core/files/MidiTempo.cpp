#include "core/files/MidiTempo.h"

#include <fmt/format.h>

#include "core/files/MidiFile.h"

#include <cmath>

namespace orthochron {

Result<TempoMap> readMidiTempo(const std::filesystem::path& path, Meter meter, Seconds offset)
{
    auto midi = readMidi(path);
    if (!midi) {
        return tl::unexpected(midi.error());
    }
    std::vector<TempoPoint> tempi = std::move(midi->tempi);
    if (tempi.empty() || tempi.front().at > Beats(0.0)) {
        tempi.insert(tempi.begin(), TempoPoint{Beats(0.0), 120.0});  // the format's own default
    }
    std::vector<MeterChange> meters{{1, meter}};
    Beats start{0.0};
    for (const auto& [at, found] : midi->meters) {
        const double bars = (at - start) / meters.back().meter.barLength();
        const int bar = meters.back().bar + static_cast<int>(std::lround(bars));
        if (bar == meters.back().bar) {
            meters.back().meter = found;
        } else {
            start = at;
            meters.push_back({bar, found});
        }
    }
    auto map = TempoMap::create(offset, std::move(tempi), std::move(meters));
    if (!map) {
        return badInput(fmt::format(
            "{}: holds a tempo map that cannot be used: {}", path.string(), map.error().message
        ));
    }
    return map;
}

}  // namespace orthochron
