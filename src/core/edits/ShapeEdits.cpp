#include "core/edits/ShapeEdits.h"

#include <fmt/format.h>

#include "core/edits/StretchEdits.h"

#include <algorithm>
#include <cmath>
#include <unordered_map>

namespace orthochron {

namespace {

constexpr double kNoLength = 1e-9;

Result<void> checkTracks(const Song& song, std::span<const TrackId> tracks)
{
    for (const TrackId id : tracks) {
        if (!song.track(id)) {
            return badArgument("the track is not in the song");
        }
    }
    return {};
}

// So many bars before (or, negative, after) a time.
Seconds barsBefore(const TempoMap& map, Seconds time, double bars)
{
    const Beats place = map.beatsAt(time);
    const int bar = map.barAt(place);
    const double inBar = (place - map.startOfBar(bar)) / map.meterOfBar(bar).barLength();
    const double wanted = static_cast<double>(bar) + inBar - bars;
    const int whole = static_cast<int>(std::floor(wanted));
    const Beats begin = map.startOfBar(whole);
    return map.timeAt(begin + map.meterOfBar(whole).barLength() * (wanted - whole));
}

struct FadeReach {
    Seconds from;
    Seconds to;
};

// What there is to fade: from the first clip to the last, or to where it is said to end.
Result<FadeReach>
reachOf(const Song& song, const Track* track, bool isOut, std::optional<Frames> ends)
{
    std::optional<Frames> first;
    for (const auto& each : song.tracks) {
        if ((track == nullptr || each->id == track->id) && !each->clips.empty()) {
            first = std::min(first.value_or(each->clips.front().at), each->clips.front().at);
        }
    }
    if (!first) {
        return badArgument("there is nothing to fade");
    }
    Frames from = *first;
    Frames to = track != nullptr ? track->clips.back().end() : song.end();
    if (ends) {
        (isOut ? to : from) = *ends;
    }
    if (to <= from) {
        return badArgument("there is nothing to fade before its end");
    }
    return FadeReach{toSeconds(from, song.rate), toSeconds(to, song.rate)};
}

Result<LevelLine>
faded(const Song& song, const LevelLine& line, const LongFade& fade, const FadeReach& reach)
{
    const TempoMap& map = song.tempo;
    Seconds from = reach.from;
    Seconds to = reach.to;
    if (fade.isOut) {
        from = fade.length.time ? to - *fade.length.time : barsBefore(map, to, fade.length.bars);
    } else {
        to = fade.length.time ? from + *fade.length.time : barsBefore(map, from, -fade.length.bars);
    }
    if (!(to > from)) {
        return badArgument("a fade must be longer than 0");
    }
    if (from < reach.from - milliseconds(1.0) || to > reach.to + milliseconds(1.0)) {
        return badArgument(fmt::format(
            "the fade is longer than what it fades, {:.1f} s", (reach.to - reach.from).count()
        ));
    }
    const HeldPlace begin = placeOf(from, line.keeps, map);
    const HeldPlace end = placeOf(to, line.keeps, map);
    const HeardLine heard(line, map, song.rate);
    const double level = heard.levelAt(toFrames(fade.isOut ? from : to, song.rate));
    if (level == kSilence) {
        return badArgument("it is already silent there");
    }
    LevelLine next = line;
    const LevelPoint loud{fade.isOut ? begin : end, std::clamp(level, kLeastLevel, kMostLevel)};
    if (fade.isOut) {
        std::erase_if(next.points, [&](const LevelPoint& point) { return point.at >= begin; });
        next.points.push_back(loud);
        next.points.back().bend = fade.bend;
        next.points.push_back({end, kSilence});
        return next;
    }
    LevelPoint after = loud;
    for (const LevelPoint& point : line.points) {
        if (point.at <= end) {
            after.bend = point.bend;
            after.isStep = point.isStep;
        }
    }
    std::erase_if(next.points, [&](const LevelPoint& point) { return point.at <= end; });
    next.points.insert(next.points.begin(), {{begin, kSilence, fade.bend}, after});
    return next;
}

void sortHushes(Track& track)
{
    std::ranges::stable_sort(track.hushes, {}, &Hush::from);
}

Result<void> checkHush(const Hush& hush)
{
    if (!std::isfinite(hush.from.count()) || !std::isfinite(hush.to.count()) ||
        hush.to - hush.from < HeldPlace(kNoLength)) {
        return badArgument("a hush must be longer than 0");
    }
    if (!(hush.edge >= Seconds(0.0) && hush.edge <= kLongestHushEdge)) {
        return badArgument(
            fmt::format("the edge of a hush can be at most {:g} s", kLongestHushEdge.count())
        );
    }
    return {};
}

// Does the same to a hush on each track that has it.
template<class Change>
Result<Song> onEach(const Song& song, HushId id, const Change& change)
{
    Song next = song;
    bool isThere = false;
    for (const auto& track : song.tracks) {
        if (std::ranges::find(track->hushes, id, &Hush::id) == track->hushes.end()) {
            continue;
        }
        isThere = true;
        Track changed = *track;
        if (auto done = change(changed); !done) {
            return tl::unexpected(done.error());
        }
        sortHushes(changed);
        putTrack(next, std::move(changed));
    }
    if (!isThere) {
        return badArgument("the hush no longer exists");
    }
    return next;
}

}  // namespace

Result<Song> setLevelLine(const Song& song, std::span<const TrackId> tracks, const LevelLine& line)
{
    if (auto checked = checkLine(line); !checked) {
        return tl::unexpected(checked.error());
    }
    if (auto checked = checkTracks(song, tracks); !checked) {
        return tl::unexpected(checked.error());
    }
    Song next = song;
    if (tracks.empty()) {
        next.level = line;
    }
    for (const TrackId id : tracks) {
        Track track = *song.track(id);
        track.level = line;
        putTrack(next, std::move(track));
    }
    return next;
}

const LevelLine& levelLineOf(const Song& song, std::optional<TrackId> track)
{
    static const LevelLine kNone;
    if (!track) {
        return song.level;
    }
    const auto found =
        std::ranges::find_if(song.tracks, [&](const auto& each) { return each->id == *track; });
    return found == song.tracks.end() ? kNone : (*found)->level;
}

Result<Song> fadeLong(
    const Song& song,
    std::span<const TrackId> tracks,
    const LongFade& fade,
    std::optional<Frames> ends
)
{
    if (auto checked = checkTracks(song, tracks); !checked) {
        return tl::unexpected(checked.error());
    }
    Song next = song;
    const auto put = [&](const Track* track, const LevelLine& line) -> Result<LevelLine> {
        if (track != nullptr && track->clips.empty()) {
            return badArgument(fmt::format("there is nothing to fade on {}", track->name));
        }
        const auto reach = reachOf(song, track, fade.isOut, ends);
        if (!reach) {
            return tl::unexpected(reach.error());
        }
        return faded(song, line, fade, *reach);
    };
    if (tracks.empty()) {
        auto line = put(nullptr, song.level);
        if (!line) {
            return tl::unexpected(line.error());
        }
        next.level = std::move(*line);
        return next;
    }
    for (const TrackId id : tracks) {
        Track track = *song.track(id);
        auto line = put(&track, track.level);
        if (!line) {
            return tl::unexpected(line.error());
        }
        track.level = std::move(*line);
        putTrack(next, std::move(track));
    }
    return next;
}

Result<Song> setEnd(const Song& song, std::optional<Beats> at)
{
    if (at && !(song.tempo.timeAt(*at) > Seconds(0.0))) {
        return badArgument("a song cannot end before it begins");
    }
    Song next = song;
    next.endMark = at;
    return next;
}

std::vector<PlacedHush> hushesOf(const Song& song)
{
    std::vector<PlacedHush> all;
    std::unordered_map<HushId, std::size_t> places;
    for (const auto& track : song.tracks) {
        for (const Hush& hush : track->hushes) {
            const auto [known, isNew] = places.try_emplace(hush.id, all.size());
            if (isNew) {
                all.push_back({hush, {}});
            }
            all[known->second].tracks.push_back(track->id);
        }
    }
    std::ranges::stable_sort(all, {}, [&](const PlacedHush& placed) {
        return spanOf(placed.hush, song.tempo, song.rate).from;
    });
    return all;
}

std::optional<PlacedHush> hushOf(const Song& song, HushId id)
{
    PlacedHush placed;
    for (const auto& track : song.tracks) {
        const auto found = std::ranges::find(track->hushes, id, &Hush::id);
        if (found != track->hushes.end()) {
            placed.hush = *found;
            placed.tracks.push_back(track->id);
        }
    }
    return placed.tracks.empty() ? std::nullopt : std::optional(placed);
}

Result<Song> addHush(const Song& song, std::span<const TrackId> tracks, const Hush& hush)
{
    if (auto checked = checkTracks(song, tracks); !checked) {
        return tl::unexpected(checked.error());
    }
    if (tracks.empty()) {
        return badArgument("select the tracks to hush");
    }
    if (auto checked = checkHush(hush); !checked) {
        return tl::unexpected(checked.error());
    }
    Song next = song;
    Hush own = hush;
    own.id = HushId{++next.lastId};
    for (const TrackId id : tracks) {
        Track track = *song.track(id);
        track.hushes.push_back(own);
        sortHushes(track);
        putTrack(next, std::move(track));
    }
    return next;
}

Result<Song> changeHush(const Song& song, HushId id, const HushChange& change)
{
    return onEach(song, id, [&](Track& track) -> Result<void> {
        Hush& hush = *std::ranges::find(track.hushes, id, &Hush::id);
        hush.from = change.from.value_or(hush.from);
        hush.to = change.to.value_or(hush.to);
        hush.label = change.label.value_or(hush.label);
        hush.edge = change.edge.value_or(hush.edge);
        hush.goesWithClips = change.goesWithClips.value_or(hush.goesWithClips);
        if (change.staysInTime) {
            const Keeps keeps = *change.staysInTime ? Keeps::Time : Keeps::Bars;
            hush.from = placeOf(timeOf(hush.from, hush.keeps, song.tempo), keeps, song.tempo);
            hush.to = placeOf(timeOf(hush.to, hush.keeps, song.tempo), keeps, song.tempo);
            hush.keeps = keeps;
        }
        return checkHush(hush);
    });
}

Result<Song> removeHush(const Song& song, HushId id)
{
    return onEach(song, id, [&](Track& track) -> Result<void> {
        std::erase_if(track.hushes, [&](const Hush& hush) { return hush.id == id; });
        return {};
    });
}

Result<Song> copyHush(const Song& song, HushId id, double by, int lanes)
{
    const auto placed = hushOf(song, id);
    if (!placed) {
        return badArgument("the hush no longer exists");
    }
    std::vector<TrackId> tracks;
    for (std::size_t t = 0; t < song.tracks.size(); ++t) {
        const auto from = static_cast<std::ptrdiff_t>(t) - lanes;
        if (from >= 0 && from < std::ssize(song.tracks) &&
            std::ranges::find(placed->tracks, song.tracks[static_cast<std::size_t>(from)]->id) !=
                placed->tracks.end()) {
            tracks.push_back(song.tracks[t]->id);
        }
    }
    Hush copy = placed->hush;
    copy.from += HeldPlace(by);
    copy.to += HeldPlace(by);
    return addHush(song, tracks, copy);
}

Result<Song> repeatHush(const Song& song, HushId id, int bars, int times)
{
    const auto placed = hushOf(song, id);
    if (!placed) {
        return badArgument("the hush no longer exists");
    }
    if (bars < 1 || times < 1 || times > 1000) {
        return badArgument("enter the interval in bars and the number of repeats");
    }
    const TempoMap& map = song.tempo;
    Song next = song;
    for (int n = 1; n <= times; ++n) {
        Hush again = placed->hush;
        const auto later = [&](HeldPlace place) {
            const Seconds time = timeOf(place, again.keeps, map);
            return placeOf(barsBefore(map, time, -static_cast<double>(bars * n)), again.keeps, map);
        };
        again.from = later(again.from);
        again.to = later(again.to);
        auto added = addHush(next, placed->tracks, again);
        if (!added) {
            return added;
        }
        next = std::move(*added);
    }
    return next;
}

Song withHushesAlong(Song moved, const std::map<TrackId, std::vector<Span>>& spans, Frames by)
{
    std::set<HushId> along;
    for (const auto& [id, taken] : spans) {
        const auto track = moved.track(id);
        for (const Hush& hush : track->hushes) {
            const FrameSpan own = spanOf(hush, moved.tempo, moved.rate);
            const Frames middle = own.from + (own.to - own.from) / 2;
            const bool isOver = std::ranges::any_of(taken, [&](const Span& span) {
                return middle >= span.from && middle < span.to;
            });
            if (hush.goesWithClips && isOver) {
                along.insert(hush.id);
            }
        }
    }
    for (std::size_t t = 0; t < moved.tracks.size() && !along.empty(); ++t) {
        Track track = *moved.tracks[t];
        for (Hush& hush : track.hushes) {
            if (along.contains(hush.id)) {
                const FrameSpan own = spanOf(hush, moved.tempo, moved.rate);
                const auto place = [&](Frames at) {
                    return placeOf(toSeconds(at + by, moved.rate), hush.keeps, moved.tempo);
                };
                hush.from = place(own.from);
                hush.to = place(own.to);
            }
        }
        sortHushes(track);
        putTrack(moved, std::move(track));
    }
    return moved;
}

namespace {

// Whether a track is hushed all through a span.
bool isHushed(const Song& song, const Track& track, Span span)
{
    Frames reached = span.from;
    for (bool grows = true; grows && reached < span.to;) {
        grows = false;
        for (const Hush& hush : track.hushes) {
            const FrameSpan own = spanOf(hush, song.tempo, song.rate);
            if (own.from <= reached && own.to > reached) {
                reached = own.to;
                grows = true;
            }
        }
    }
    return reached >= span.to;
}

// Takes a span out of a track's hushes.
void unhush(const Song& song, Track& track, Span span, std::uint32_t& lastId)
{
    std::vector<Hush> left;
    for (const Hush& hush : track.hushes) {
        const FrameSpan own = spanOf(hush, song.tempo, song.rate);
        if (own.to <= span.from || own.from >= span.to) {
            left.push_back(hush);
            continue;
        }
        const auto place = [&](Frames at) {
            return placeOf(toSeconds(at, song.rate), hush.keeps, song.tempo);
        };
        if (own.from < span.from) {
            left.push_back(hush);
            left.back().to = place(span.from);
        }
        if (own.to > span.to) {
            left.push_back(hush);
            left.back().from = place(span.to);
            if (own.from < span.from) {
                left.back().id = HushId{++lastId};
            }
        }
    }
    track.hushes = std::move(left);
}

}  // namespace

Result<HushSwitched> switchHush(const Song& song, std::span<const TrackId> tracks, Span span)
{
    if (auto checked = checkTracks(song, tracks); !checked) {
        return tl::unexpected(checked.error());
    }
    if (tracks.empty()) {
        return badArgument("select the tracks to hush");
    }
    if (span.to <= span.from) {
        return badArgument("select the bars to hush");
    }
    const bool isAll = std::ranges::all_of(tracks, [&](TrackId id) {
        return isHushed(song, *song.track(id), span);
    });
    if (!isAll) {
        Hush hush;
        hush.from = placeOf(toSeconds(span.from, song.rate), Keeps::Bars, song.tempo);
        hush.to = placeOf(toSeconds(span.to, song.rate), Keeps::Bars, song.tempo);
        auto hushed = addHush(song, tracks, hush);
        if (!hushed) {
            return tl::unexpected(hushed.error());
        }
        return HushSwitched{std::move(*hushed), true};
    }
    Song next = song;
    for (const TrackId id : tracks) {
        Track track = *song.track(id);
        unhush(song, track, span, next.lastId);
        putTrack(next, std::move(track));
    }
    return HushSwitched{std::move(next), false};
}

}  // namespace orthochron
