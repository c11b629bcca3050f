#include "core/time/TempoMap.h"

#include <fmt/format.h>

#include <algorithm>
#include <charconv>
#include <cmath>
#include <functional>

namespace orthochron {

namespace {

// A place this little before a line is on it: far below a sample, far above rounding.
constexpr Beats kRounding{1e-9};

// A tempo that changes by less over a whole song is steady.
constexpr double kNoSlope = 1e-12;

// How long it takes to play so many quarter notes from a tempo that changes by `slope` bpm with each.
Seconds timeOf(Beats beats, double bpm, double slope)
{
    if (beats <= Beats(0.0) || std::abs(slope) < kNoSlope) {
        return Seconds(beats.count() * 60.0 / bpm);
    }
    return Seconds(60.0 / slope * std::log1p(slope * beats.count() / bpm));
}

Beats beatsIn(Seconds time, double bpm, double slope)
{
    if (time <= Seconds(0.0) || std::abs(slope) < kNoSlope) {
        return Beats(time.count() * bpm / 60.0);
    }
    return Beats(bpm / slope * std::expm1(slope * time.count() / 60.0));
}

bool isPowerOfTwo(int value)
{
    return value > 0 && (value & (value - 1)) == 0;
}

// The last of an ascending list that does not come after a value; the first where all do.
template<class List, class Value, class Key>
std::size_t lastAtOrBefore(const List& list, const Value& value, Key key)
{
    const auto next = std::ranges::upper_bound(list, value, {}, key);
    return next == list.begin() ? 0 : static_cast<std::size_t>(next - list.begin()) - 1;
}

}  // namespace

Result<Meter> parseMeter(std::string_view text)
{
    Meter meter;
    const char* end = text.data() + text.size();
    const auto above = std::from_chars(text.data(), end, meter.numerator);
    const bool isOver = above.ec == std::errc() && above.ptr != end && *above.ptr == '/';
    const auto below = isOver ? std::from_chars(above.ptr + 1, end, meter.denominator) : above;
    if (!isOver || below.ec != std::errc() || below.ptr != end) {
        return badArgument(fmt::format("meter '{}' must be like 4/4", text));
    }
    return meter;
}

Result<TempoMap> TempoMap::create(
    Seconds firstDownbeat, std::vector<TempoPoint> tempi, std::vector<MeterChange> meters
)
{
    const bool hasBarOne = std::ranges::find(tempi, Beats(0.0), &TempoPoint::at) != tempi.end();
    if (!hasBarOne || meters.empty() || meters.front().bar != 1) {
        return badArgument("a tempo map needs a tempo and a meter at bar 1");
    }
    if (!std::isfinite(firstDownbeat.count()) || std::abs(firstDownbeat.count()) > 1e6) {
        return badArgument("the first downbeat is outside the song");
    }
    for (std::size_t i = 0; i < tempi.size(); ++i) {
        if (!(tempi[i].bpm >= 20.0 && tempi[i].bpm <= 400.0)) {
            return badArgument(fmt::format("{:g} bpm: a tempo must be 20 to 400 bpm", tempi[i].bpm)
            );
        }
        if (!(tempi[i].sureness >= 0.0 && tempi[i].sureness <= 1.0)) {
            return badArgument("a tempo's confidence must be 0 to 1");
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
                "{}/{}: a meter must be 1 to 32 over 1, 2, 4, 8, 16 or 32",
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
    map.index();
    return map;
}

Result<TempoMap> TempoMap::steady(double bpm, Meter meter, Seconds firstDownbeat)
{
    return create(firstDownbeat, {{Beats(0.0), bpm}}, {{1, meter}});
}

// By how many bpm the tempo changes with each quarter note from a point to the next.
double TempoMap::slopeAfter(std::size_t point) const
{
    if (!tempi_[point].isRamp || point + 1 >= tempi_.size()) {
        return 0.0;
    }
    const TempoPoint& next = tempi_[point + 1];
    return (next.bpm - tempi_[point].bpm) / (next.at - tempi_[point].at).count();
}

void TempoMap::index()
{
    const auto barOne = lastAtOrBefore(tempi_, Beats(0.0), &TempoPoint::at);
    const auto lasts = [this](std::size_t i) {
        return timeOf(tempi_[i + 1].at - tempi_[i].at, tempi_[i].bpm, slopeAfter(i));
    };
    times_.assign(tempi_.size(), Seconds(0.0));
    for (std::size_t i = barOne; i + 1 < tempi_.size(); ++i) {
        times_[i + 1] = times_[i] + lasts(i);
    }
    for (std::size_t i = barOne; i > 0; --i) {
        times_[i - 1] = times_[i] - lasts(i - 1);
    }
    places_.assign(1, Beats(0.0));
    for (std::size_t i = 1; i < meters_.size(); ++i) {
        const int bars = meters_[i].bar - meters_[i - 1].bar;
        places_.push_back(places_.back() + meters_[i - 1].meter.barLength() * bars);
    }
}

Seconds TempoMap::timeAt(Beats musical) const
{
    const std::size_t i = lastAtOrBefore(tempi_, musical, &TempoPoint::at);
    const Beats beats = musical - tempi_[i].at;
    return firstDownbeat_ + times_[i] + timeOf(beats, tempi_[i].bpm, slopeAfter(i));
}

Beats TempoMap::beatsAt(Seconds songTime) const
{
    const Seconds time = songTime - firstDownbeat_;
    const std::size_t i = lastAtOrBefore(times_, time, std::identity());
    return tempi_[i].at + beatsIn(time - times_[i], tempi_[i].bpm, slopeAfter(i));
}

double TempoMap::bpmAt(Beats musical) const
{
    const std::size_t i = lastAtOrBefore(tempi_, musical, &TempoPoint::at);
    const double beats = std::max(0.0, (musical - tempi_[i].at).count());
    return tempi_[i].bpm + slopeAfter(i) * beats;
}

std::size_t TempoMap::meterIndexOfBar(int bar) const
{
    return lastAtOrBefore(meters_, bar, &MeterChange::bar);
}

Meter TempoMap::meterOfBar(int bar) const
{
    return meters_[meterIndexOfBar(bar)].meter;
}

Beats TempoMap::startOfBar(int bar) const
{
    const std::size_t i = meterIndexOfBar(bar);
    return places_[i] + meters_[i].meter.barLength() * (bar - meters_[i].bar);
}

int TempoMap::barAt(Beats musical) const
{
    const Beats place = musical + kRounding;
    const std::size_t i = lastAtOrBefore(places_, place, std::identity());
    const Beats bar = meters_[i].meter.barLength();
    return meters_[i].bar + static_cast<int>(std::floor((place - places_[i]) / bar));
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
