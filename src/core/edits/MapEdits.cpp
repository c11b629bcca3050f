#include "core/edits/MapEdits.h"

#include <fmt/format.h>

#include "core/time/MapKnots.h"

#include <algorithm>
#include <cmath>
#include <map>
#include <optional>

namespace orthochron {

namespace {

constexpr double kSamePlace = 1e-6;  // quarter notes

bool isAt(const MapKnot& knot, Beats place)
{
    return std::abs((knot.place - place).count()) < kSamePlace;
}

bool isBarOne(const MapKnot& knot)
{
    return knot.place == Beats(0.0);
}

Result<Song> withKnots(const Song& song, const MapKnots& knots)
{
    auto map = mapThrough(knots, song.tempo.meters());
    if (!map) {
        return tl::unexpected(map.error());
    }
    return takeMap(song, std::move(*map));
}

// The knot at a place, made where there is none.
std::size_t knotAt(MapKnots& all, const TempoMap& map, Beats place)
{
    const auto found =
        std::ranges::find_if(all.knots, [&](const MapKnot& knot) { return isAt(knot, place); });
    if (found != all.knots.end()) {
        return static_cast<std::size_t>(found - all.knots.begin());
    }
    const auto next = std::ranges::upper_bound(all.knots, place, {}, &MapKnot::place);
    const auto index = static_cast<std::size_t>(next - all.knots.begin());
    MapKnot knot{place, map.timeAt(place)};
    if (index > 0 && all.knots[index - 1].rampFrom) {
        knot.rampFrom = map.bpmAt(place);
    }
    all.knots.insert(next, knot);
    return index;
}

// Moves the knots from one to another, with what lies between them and the pins beside them. Bar 1 stays like a
// pin, whatever is moved before or behind it.
Result<void> move(MapKnots& all, std::size_t moved, std::size_t lastMoved, Seconds by)
{
    std::size_t before = moved;
    const auto stays = [&](std::size_t k) {
        return all.knots[k].isPinned || isBarOne(all.knots[k]);
    };
    while (before > 0 && (before == moved || !stays(before))) {
        --before;
    }
    std::size_t after = lastMoved + 1;
    while (after < all.knots.size() && !stays(after)) {
        ++after;
    }
    const bool isHeld = after < all.knots.size();
    const auto shared = [&](std::size_t first, std::size_t last, Seconds begin, Seconds end) {
        const Seconds oldBegin = all.knots[first].time;
        const Seconds oldEnd = all.knots[last].time;
        for (std::size_t k = first + 1; k < last; ++k) {
            const double part = (all.knots[k].time - oldBegin) / (oldEnd - oldBegin);
            all.knots[k].time = begin + (end - begin) * part;
            all.knots[k].rampFrom.reset();
        }
        all.knots[first].rampFrom.reset();
    };
    const Seconds begin = all.knots[moved].time + by;
    const Seconds end = all.knots[lastMoved].time + by;
    if ((moved > 0 && begin <= all.knots[before].time) ||
        (isHeld && end >= all.knots[after].time)) {
        return badArgument("a line must stay between its neighbouring pins");
    }
    if (isHeld) {
        shared(lastMoved, after, end, all.knots[after].time);
    } else {
        for (std::size_t k = lastMoved + 1; k < all.knots.size(); ++k) {
            all.knots[k].time += by;
        }
    }
    if (moved > 0) {
        shared(before, moved, all.knots[before].time, begin);
    }
    for (std::size_t k = moved; k <= lastMoved; ++k) {
        all.knots[k].time += by;
    }
    return {};
}

Result<Song> withLine(const Song& song, Beats place, Seconds time, bool isPinned)
{
    if (!std::isfinite(time.count())) {
        return badArgument("this time is outside the song");
    }
    MapKnots all = knotsOf(song.tempo);
    const std::size_t knot = knotAt(all, song.tempo, place);
    if (auto moved = move(all, knot, knot, time - all.knots[knot].time); !moved) {
        return tl::unexpected(moved.error());
    }
    all.knots[knot].isPinned = isPinned;
    all.knots[knot].sureness = 1.0;
    return withKnots(song, all);
}

}  // namespace

Result<Song> pinLine(const Song& song, Beats place, Seconds time)
{
    return withLine(song, place, time, true);
}

Result<Song> moveLine(const Song& song, Beats place, Seconds time)
{
    const bool isPinned = std::ranges::any_of(song.tempo.tempi(), &TempoPoint::isPinned);
    if (std::abs(place.count()) < kSamePlace && !isPinned) {
        auto map = TempoMap::create(time, song.tempo.tempi(), song.tempo.meters());
        if (!map) {
            return tl::unexpected(map.error());
        }
        return takeMap(song, std::move(*map));
    }
    return withLine(song, place, time, false);
}

Result<Song> shiftLines(const Song& song, Beats first, Beats last, Seconds by)
{
    if (last < first) {
        return badArgument("the first line must be earlier than the second");
    }
    if (!std::isfinite(by.count())) {
        return badArgument("this time is outside the song");
    }
    MapKnots all = knotsOf(song.tempo);
    const std::size_t from = knotAt(all, song.tempo, first);
    const std::size_t to = knotAt(all, song.tempo, last);
    if (auto moved = move(all, from, to, by); !moved) {
        return tl::unexpected(moved.error());
    }
    for (const std::size_t end : {from, to}) {
        all.knots[end].isPinned = true;
        all.knots[end].sureness = 1.0;
    }
    return withKnots(song, all);
}

Result<Song> keepLine(const Song& song, Beats place)
{
    return pinLine(song, place, song.tempo.timeAt(place));
}

Result<Song> freeLines(const Song& song, std::span<const Beats> places)
{
    MapKnots all = knotsOf(song.tempo);
    for (const Beats place : places) {
        const auto found =
            std::ranges::find_if(all.knots, [&](const MapKnot& knot) { return isAt(knot, place); });
        if (found == all.knots.end()) {
            return badArgument("there is no pin to delete");
        }
        if (isBarOne(*found)) {
            found->isPinned = false;
            continue;
        }
        if (found != all.knots.begin()) {
            std::prev(found)->rampFrom.reset();
        }
        // What goes on from the last one goes on from the one before it.
        if (std::next(found) == all.knots.end()) {
            const MapKnot& before = *std::prev(found);
            all.lastBpm =
                (found->place - before.place).count() * 60.0 / (found->time - before.time).count();
        }
        all.knots.erase(found);
    }
    return withKnots(song, all);
}

namespace {

// The tempo a ramp begins at that takes so long for so many beats and ends at `last`; none within 20 to 400.
std::optional<double> rampBegin(Beats beats, Seconds time, double last)
{
    constexpr double kLeast = 20.0;
    constexpr double kMost = 400.0;
    const auto lasts = [&](double first) {
        const double apart = last - first;
        const double perBeat = std::abs(apart) < 1e-9 ? 1.0 / last : std::log(last / first) / apart;
        return Seconds(60.0 * beats.count() * perBeat);
    };
    if (time > lasts(kLeast) || time < lasts(kMost)) {
        return std::nullopt;
    }
    double low = kLeast;
    double high = kMost;
    constexpr int kHalvings = 60;
    for (int i = 0; i < kHalvings; ++i) {
        const double middle = 0.5 * (low + high);
        (lasts(middle) > time ? low : high) = middle;
    }
    return 0.5 * (low + high);
}

}  // namespace

Result<Song> shareUpTo(const Song& song, Beats place, Sharing sharing)
{
    MapKnots all = knotsOf(song.tempo);
    const std::size_t to = knotAt(all, song.tempo, place);
    if (to == 0) {
        return badArgument("there is no earlier line to start from");
    }
    std::size_t from = to - 1;
    while (from > 0 && !all.knots[from].isPinned && !isBarOne(all.knots[from])) {
        --from;
    }
    const auto first = all.knots.begin() + static_cast<std::ptrdiff_t>(from);
    const auto last = all.knots.begin() + static_cast<std::ptrdiff_t>(to);
    first->rampFrom.reset();
    if (sharing == Sharing::AsRamp) {
        first->rampFrom = rampBegin(
            last->place - first->place, last->time - first->time, song.tempo.bpmAt(place)
        );
        if (!first->rampFrom) {
            return badArgument("the ramp would start outside 20 to 400 bpm");
        }
    }
    all.knots.erase(first + 1, last);
    return withKnots(song, all);
}

bool isRampUpTo(const TempoMap& map, Beats place)
{
    const auto next = std::ranges::find_if(map.tempi(), [place](const TempoPoint& point) {
        return point.at > place - Beats(kSamePlace);
    });
    return next != map.tempi().begin() && std::prev(next)->isRamp;
}

Result<Song> setMeterFrom(const Song& song, int bar, Meter meter)
{
    if (bar < 1) {
        return badArgument(fmt::format("bar {} is before the first bar", bar));
    }
    std::map<int, Meter> byBar;
    for (const MeterChange& change : song.tempo.meters()) {
        byBar[change.bar] = change.meter;
    }
    byBar[bar] = meter;
    std::vector<MeterChange> meters;
    for (const auto& [from, each] : byBar) {
        if (meters.empty() || meters.back().meter != each) {
            meters.push_back({from, each});
        }
    }
    auto map = TempoMap::create(song.tempo.firstDownbeat(), song.tempo.tempi(), std::move(meters));
    if (!map) {
        return tl::unexpected(map.error());
    }
    return takeMap(song, std::move(*map));
}

Result<Song> setTempoOfBar(const Song& song, int bar, double bpm)
{
    const TempoMap& map = song.tempo;
    if (!(bpm > 0.0)) {
        return badArgument(fmt::format("{:g} bpm in bar {} is out of range", bpm, bar));
    }
    const Beats from = map.startOfBar(bar);
    const Beats to = map.startOfBar(bar + 1);
    const Seconds time = map.timeAt(from);
    MapKnots all = knotsOf(map);
    const std::size_t first = knotAt(all, map, from);
    const std::size_t next = knotAt(all, map, to);
    // What lies between becomes one tempo.
    all.knots.erase(
        all.knots.begin() + static_cast<std::ptrdiff_t>(first) + 1,
        all.knots.begin() + static_cast<std::ptrdiff_t>(next)
    );
    all.knots[first].rampFrom.reset();
    const Seconds lasts((to - from).count() * 60.0 / bpm);
    if (bar < 1) {
        // Its end stays, and what lies before it moves along.
        const Seconds by = all.knots[first + 1].time - lasts - time;
        for (std::size_t k = 0; k <= first; ++k) {
            all.knots[k].time += by;
        }
        all.knots[first].sureness = 1.0;
        return withKnots(song, all);
    }
    const Seconds end = time + lasts;
    // The bar's own beginning stays.
    const bool wasPinned = all.knots[first].isPinned;
    all.knots[first].isPinned = true;
    if (auto moved = move(all, first + 1, first + 1, end - all.knots[first + 1].time); !moved) {
        return tl::unexpected(moved.error());
    }
    all.knots[first].isPinned = wasPinned;
    all.knots[first + 1].sureness = 1.0;
    return withKnots(song, all);
}

Result<Song> scaleTempo(const Song& song, double factor)
{
    std::vector<TempoPoint> tempi = song.tempo.tempi();
    for (TempoPoint& point : tempi) {
        point.at = point.at * factor;
        point.bpm *= factor;
    }
    auto map = TempoMap::create(song.tempo.firstDownbeat(), std::move(tempi), song.tempo.meters());
    if (!map) {
        return tl::unexpected(map.error());
    }
    return takeMap(song, std::move(*map));
}

Result<Song> beginBarsAt(const Song& song, Beats place)
{
    MapKnots all = knotsOf(song.tempo);
    const Beats from = all.knots[knotAt(all, song.tempo, place)].place;
    for (MapKnot& knot : all.knots) {
        knot.place -= from;
    }
    const int bar = song.tempo.barAt(place);
    std::vector<MeterChange> meters{{1, song.tempo.meterOfBar(bar)}};
    for (const MeterChange& change : song.tempo.meters()) {
        if (change.bar > bar) {
            meters.push_back({change.bar - bar + 1, change.meter});
        }
    }
    auto map = mapThrough(all, std::move(meters));
    if (!map) {
        return tl::unexpected(map.error());
    }
    return takeMap(song, std::move(*map));
}

Result<Song>
takeDraft(const Song& song, const MapDraft& draft, MapLevel level, Seconds recordingStarts)
{
    const auto drafted = mapOf(draft, level);
    if (!drafted) {
        return tl::unexpected(drafted.error());
    }
    std::vector<TempoPoint> tempi = drafted->tempi();
    for (TempoPoint& point : tempi) {
        point.isPinned = point.sureness >= kDoubtfulBar;
    }
    if (draft.isDownbeatGuessed) {
        constexpr double kGuessed = 0.99;
        const auto barOne = std::ranges::find(tempi, Beats(0.0), &TempoPoint::at);
        barOne->isPinned = false;
        barOne->sureness = std::min(barOne->sureness, kGuessed);
    }
    auto map = TempoMap::create(
        drafted->firstDownbeat() + recordingStarts, std::move(tempi), drafted->meters()
    );
    if (!map) {
        return tl::unexpected(map.error());
    }
    return takeMap(song, std::move(*map));
}

Song takeMap(const Song& song, TempoMap map)
{
    Song next = song;
    next.tempo = std::move(map);
    return next;
}

Result<Song> simplifyMap(const Song& song, Seconds within)
{
    if (!(within >= Seconds(0.0))) {
        return badArgument("the tolerance must be 0 ms or more");
    }
    return withKnots(song, simplified(knotsOf(song.tempo), within));
}

const TempoPoint* pointAt(const TempoMap& map, Beats place)
{
    const auto& points = map.tempi();
    const auto found =
        std::ranges::lower_bound(points, place - Beats(kSamePlace), {}, &TempoPoint::at);
    return found != points.end() && found->at <= place + Beats(kSamePlace) ? &*found : nullptr;
}

std::vector<DoubtfulBar> doubtfulBars(const TempoMap& map)
{
    std::vector<DoubtfulBar> bars;
    for (const TempoPoint& point : map.tempi()) {
        // Asked in each frame: where the bar lies is looked up for the few that may be doubtful.
        if (point.isPinned || point.sureness >= kDoubtfulBar) {
            continue;
        }
        const int bar = map.barAt(point.at);
        if (std::abs((map.startOfBar(bar) - point.at).count()) < kSamePlace) {
            bars.push_back({bar, point.at, point.sureness});
        }
    }
    std::ranges::stable_sort(bars, {}, &DoubtfulBar::sureness);
    return bars;
}

bool hasGuessedBarOne(const TempoMap& map)
{
    const TempoPoint& barOne = *pointAt(map, Beats(0.0));
    return !barOne.isPinned && barOne.sureness < 1.0 &&
           std::ranges::any_of(map.tempi(), &TempoPoint::isPinned);
}

}  // namespace orthochron
