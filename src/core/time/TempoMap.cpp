#include "core/time/TempoMap.h"

#include <fmt/format.h>

#include <algorithm>
#include <cmath>

namespace orthochron {

namespace {

// A place this little before a line is on it: far below a sample, far above rounding.
constexpr Beats kRounding{1e-9};

bool isPowerOfTwo(int value)
{
    return value > 0 && (value & (value - 1)) == 0;
}

}  // namespace

Result<TempoMap> TempoMap::create(
    Seconds firstDownbeat, std::vector<TempoPoint> tempi, std::vector<MeterChange> meters
)
{
    if (tempi.empty() || meters.empty() || tempi.front().at != Beats(0.0) ||
        meters.front().bar != 1) {
        return badArgument("a tempo map needs a tempo and a meter at bar 1");
    }
    if (!std::isfinite(firstDownbeat.count()) || std::abs(firstDownbeat.count()) > 1e6) {
        return badArgument("the first downbeat is not a time within the song");
    }
    for (std::size_t i = 0; i < tempi.size(); ++i) {
        if (!(tempi[i].bpm >= 20.0 && tempi[i].bpm <= 400.0)) {
            return badArgument(fmt::format("{:g} bpm: a tempo is between 20 and 400", tempi[i].bpm)
            );
        }
        if (i > 0 && !(tempi[i].at > tempi[i - 1].at)) {
            return badArgument("tempo points must follow one another in time");
        }
    }
    for (std::size_t i = 0; i < meters.size(); ++i) {
        const Meter meter = meters[i].meter;
        if (meter.numerator < 1 || meter.numerator > 32 || meter.denominator > 32 ||
            !isPowerOfTwo(meter.denominator)) {
            return badArgument(fmt::format(
                "{}/{}: a meter is 1 to 32 over 1, 2, 4, 8, 16 or 32",
                meter.numerator,
                meter.denominator
            ));
        }
        if (i > 0 && meters[i].bar <= meters[i - 1].bar) {
            return badArgument("meters must follow one another by bar");
        }
    }
    TempoMap map;
    map.firstDownbeat_ = firstDownbeat;
    map.tempi_ = std::move(tempi);
    map.meters_ = std::move(meters);
    return map;
}

Result<TempoMap> TempoMap::steady(double bpm, Meter meter, Seconds firstDownbeat)
{
    return create(firstDownbeat, {{Beats(0.0), bpm}}, {{1, meter}});
}

Seconds TempoMap::timeAt(Beats musical) const
{
    Seconds time = firstDownbeat_;
    for (std::size_t i = 0; i < tempi_.size(); ++i) {
        const bool isLast = i + 1 == tempi_.size() || musical <= tempi_[i + 1].at;
        const Beats end = isLast ? musical : tempi_[i + 1].at;
        time += Seconds((end - tempi_[i].at).count() * 60.0 / tempi_[i].bpm);
        if (isLast) {
            break;
        }
    }
    return time;
}

Beats TempoMap::beatsAt(Seconds songTime) const
{
    Seconds start = firstDownbeat_;
    for (std::size_t i = 0; i + 1 < tempi_.size(); ++i) {
        const double beats = (tempi_[i + 1].at - tempi_[i].at).count();
        const Seconds end = start + Seconds(beats * 60.0 / tempi_[i].bpm);
        if (songTime < end) {
            return tempi_[i].at + Beats((songTime - start).count() * tempi_[i].bpm / 60.0);
        }
        start = end;
    }
    return tempi_.back().at + Beats((songTime - start).count() * tempi_.back().bpm / 60.0);
}

double TempoMap::bpmAt(Beats musical) const
{
    const auto next = std::ranges::upper_bound(tempi_, musical, {}, &TempoPoint::at);
    return next == tempi_.begin() ? tempi_.front().bpm : std::prev(next)->bpm;
}

std::size_t TempoMap::meterIndexOfBar(int bar) const
{
    const auto next = std::ranges::upper_bound(meters_, bar, {}, &MeterChange::bar);
    return next == meters_.begin() ? 0 : static_cast<std::size_t>(next - meters_.begin()) - 1;
}

Meter TempoMap::meterOfBar(int bar) const
{
    return meters_[meterIndexOfBar(bar)].meter;
}

Beats TempoMap::startOfBar(int bar) const
{
    Beats start{0.0};
    const std::size_t last = meterIndexOfBar(bar);
    for (std::size_t i = 0; i < last; ++i) {
        start += meters_[i].meter.barLength() * (meters_[i + 1].bar - meters_[i].bar);
    }
    return start + meters_[last].meter.barLength() * (bar - meters_[last].bar);
}

int TempoMap::barAt(Beats musical) const
{
    Beats start{0.0};
    const Beats place = musical + kRounding;
    for (std::size_t i = 0;; ++i) {
        const Beats bar = meters_[i].meter.barLength();
        if (i + 1 < meters_.size()) {
            const Beats end = start + bar * (meters_[i + 1].bar - meters_[i].bar);
            if (place >= end) {
                start = end;
                continue;
            }
        }
        return meters_[i].bar + static_cast<int>(std::floor((place - start) / bar));
    }
}

BarBeat TempoMap::placeAt(Beats musical) const
{
    const int bar = barAt(musical);
    const Beats beat = meterOfBar(bar).beatLength();
    const Beats inBar = musical - startOfBar(bar);
    const double whole = std::floor((inBar + kRounding) / beat);
    return {bar, 1 + static_cast<int>(whole), inBar - beat * whole};
}

}  // namespace orthochron
