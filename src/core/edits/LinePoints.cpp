#include "core/edits/LinePoints.h"

#include <algorithm>
#include <map>

namespace orthochron {

namespace {

constexpr Seconds kLeastApart = milliseconds(1.0);

using Indices = std::vector<std::size_t>;  // ascending

std::map<std::optional<TrackId>, Indices> byLine(const LinePoints& points)
{
    std::map<std::optional<TrackId>, Indices> lines;
    for (const LinePoint& point : points) {
        lines[point.track].push_back(point.index);
    }
    return lines;
}

bool isThere(const Song& song, const LinePoint& point)
{
    return point.index < levelLineOf(song, point.track).points.size();
}

// The song with each line that has chosen points changed.
template<class Change>
Result<Song> changeLines(const Song& song, const LinePoints& points, const Change& change)
{
    if (points.empty()) {
        return badArgument("no line point selected");
    }
    for (const LinePoint& point : points) {
        if (!isThere(song, point)) {
            return badArgument("a point of a line is not in the song");
        }
    }
    Result<Song> next = song;
    for (const auto& [track, indices] : byLine(points)) {
        LevelLine line = levelLineOf(song, track);
        change(line, indices);
        next = setLevelLine(*next, track ? std::vector{*track} : std::vector<TrackId>(), line);
        if (!next) {
            return next;
        }
    }
    return next;
}

// How far chosen points of a line may go together: to the points beside them that stay.
std::pair<Frames, Frames>
roomOf(const HeardLine& heard, std::size_t count, const Indices& indices, Hertz rate)
{
    constexpr Frames kEndless(std::int64_t{1} << 50);
    const Frames apart = toFrames(kLeastApart, rate);
    std::pair<Frames, Frames> room{-kEndless, kEndless};
    const auto isChosen = [&](std::size_t index) {
        return std::ranges::binary_search(indices, index);
    };
    for (const std::size_t i : indices) {
        const Frames at = heard.timeOfPoint(i);
        if (i > 0 && !isChosen(i - 1)) {
            const Frames back = std::min(heard.timeOfPoint(i - 1) + apart - at, Frames(0));
            room.first = std::max(room.first, back);
        }
        if (i + 1 < count && !isChosen(i + 1)) {
            const Frames on = std::max(heard.timeOfPoint(i + 1) - apart - at, Frames(0));
            room.second = std::min(room.second, on);
        }
    }
    return room;
}

double louder(double level, double by)
{
    return level == kSilence ? level : std::clamp(level + by, kLeastLevel, kMostLevel);
}

}  // namespace

LinePoints pointsLeft(const Song& song, const LinePoints& points)
{
    LinePoints left;
    std::ranges::copy_if(points, std::inserter(left, left.end()), [&](const LinePoint& point) {
        return isThere(song, point);
    });
    return left;
}

LinePoints pointsWithin(const Song& song, std::span<const TrackId> tracks, Frames from, Frames to)
{
    LinePoints within;
    for (const TrackId track : tracks) {
        const LevelLine& line = levelLineOf(song, track);
        const HeardLine heard(line, song.tempo, song.rate);
        for (std::size_t i = 0; i < line.points.size(); ++i) {
            const Frames at = heard.timeOfPoint(i);
            if (at >= from && at <= to) {
                within.insert({track, i});
            }
        }
    }
    return within;
}

LinePoints lastPoints(const Song& song, std::span<const TrackId> tracks)
{
    LinePoints last;
    for (const TrackId track : tracks) {
        if (const LevelLine& line = levelLineOf(song, track); !line.isEmpty()) {
            last.insert({track, line.points.size() - 1});
        }
    }
    return last;
}

Result<Song> movePoints(const Song& song, const LinePoints& points, Frames by, double decibels)
{
    for (const auto& [track, indices] : byLine(pointsLeft(song, points))) {
        const LevelLine& line = levelLineOf(song, track);
        const HeardLine heard(line, song.tempo, song.rate);
        const auto [back, on] = roomOf(heard, line.points.size(), indices, song.rate);
        by = std::clamp(by, back, on);
    }
    return changeLines(song, points, [&](LevelLine& line, const Indices& indices) {
        const LevelLine was = line;
        const HeardLine heard(was, song.tempo, song.rate);
        for (const std::size_t i : indices) {
            LevelPoint& point = line.points[i];
            if (by != Frames(0)) {
                const Seconds at = toSeconds(heard.timeOfPoint(i) + by, song.rate);
                point.at = placeOf(at, line.keeps, song.tempo);
            }
            point.level = louder(point.level, decibels);
        }
    });
}

Result<Song> placePoints(const Song& song, const LinePoints& points, Frames at)
{
    for (const auto& [track, indices] : byLine(points)) {
        if (indices.size() > 1) {
            return badArgument("two points of a line cannot be at the same position");
        }
    }
    return changeLines(song, points, [&](LevelLine& line, const Indices& indices) {
        const LevelLine was = line;
        const HeardLine heard(was, song.tempo, song.rate);
        const auto [back, on] = roomOf(heard, line.points.size(), indices, song.rate);
        const Frames now = heard.timeOfPoint(indices.front());
        const Frames there = now + std::clamp(at - now, back, on);
        line.points[indices.front()].at =
            placeOf(toSeconds(there, song.rate), line.keeps, song.tempo);
    });
}

Result<Song> levelPoints(const Song& song, const LinePoints& points, double level)
{
    return changeLines(song, points, [&](LevelLine& line, const Indices& indices) {
        for (const std::size_t i : indices) {
            line.points[i].level = level;
        }
    });
}

Result<Song> removePoints(const Song& song, const LinePoints& points)
{
    return changeLines(song, points, [](LevelLine& line, const Indices& indices) {
        for (auto i = indices.rbegin(); i != indices.rend(); ++i) {
            line = lines::withoutPoint(line, *i);
        }
    });
}

}  // namespace orthochron
