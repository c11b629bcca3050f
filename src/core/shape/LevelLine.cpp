#include "core/shape/LevelLine.h"

#include <fmt/format.h>

#include "core/shape/Bend.h"
#include "core/shape/Smooth.h"

#include <algorithm>
#include <array>
#include <cmath>

namespace orthochron {

namespace {

constexpr std::int64_t kCell = 64;      // frames a gain is read between at two ends
constexpr double kStraightness = 1e-4;  // relative: how far from straight a cell may be
constexpr double kThinnedWithin = 0.3;  // dB
constexpr double kSamePlace = 1e-9;

double gainOf(double level)
{
    return level == kSilence ? 0.0 : fromDecibels(level);
}

double levelOf(double gain)
{
    return gain > 0.0 ? 20.0 * std::log10(gain) : kSilence;
}

// How far a piece has come at a part of it.
double comeAt(double part, const LevelPoint& from, const LevelPoint& to)
{
    return bentPart(part, to.level >= from.level ? from.bend : -from.bend);
}

double gainBetween(double part, const LevelPoint& from, const LevelPoint& to)
{
    if (from.level == to.level) {
        return gainOf(from.level);
    }
    const double come = comeAt(part, from, to);
    if (to.level == kSilence) {
        const double left = 1.0 - come;
        return gainOf(from.level) * left * left * left;
    }
    if (from.level == kSilence) {
        return gainOf(to.level) * come * come * come;
    }
    return fromDecibels(from.level + (to.level - from.level) * come);
}

}  // namespace

Result<void> checkLine(const LevelLine& line)
{
    for (std::size_t i = 0; i < line.points.size(); ++i) {
        const LevelPoint& point = line.points[i];
        const bool isLevel =
            point.level == kSilence || (point.level >= kLeastLevel && point.level <= kMostLevel);
        if (!isLevel) {
            return badArgument(fmt::format(
                "a level is silence, or from {:g} to {:g} dB, not {:g}",
                kLeastLevel,
                kMostLevel,
                point.level
            ));
        }
        if (!std::isfinite(point.at.count()) || !(std::abs(point.bend) <= kMostBend)) {
            return badArgument("a point of a level line stands nowhere");
        }
        if (i > 0 && point.at <= line.points[i - 1].at) {
            return badArgument("the points of a level line are not in order");
        }
    }
    return {};
}

// From one frame to another, its ends among the points of the line or endless.
struct HeardLine::Piece {
    Frames begin;
    Frames end;
    LevelPoint from;
    LevelPoint to;
    Frames jump;  // a step is smoothed over so long, up to its end

    [[nodiscard]] bool isFlat() const { return from.level == to.level; }
    [[nodiscard]] Frames flatTo() const
    {
        return isFlat() ? end : (from.isStep ? end - jump : begin);
    }
    [[nodiscard]] double gainAt(Frames at) const
    {
        if (isFlat() || at < flatTo()) {
            return gainOf(from.level);
        }
        if (from.isStep) {
            const double part = smooth((at - flatTo()) / jump);
            return gainOf(from.level) * (1.0 - part) + gainOf(to.level) * part;
        }
        return gainBetween((at - begin) / (end - begin), from, to);
    }
};

HeardLine::HeardLine(const LevelLine& line, const TempoMap& map, Hertz rate)
    : line_(line), map_(map), rate_(rate)
{}

Frames HeardLine::timeOfPoint(std::size_t point) const
{
    return toFrames(timeOf(line_.points[point].at, line_.keeps, map_), rate_);
}

HeardLine::Piece HeardLine::pieceAt(Frames songTime) const
{
    const auto& points = line_.points;
    const HeldPlace place = placeOf(toSeconds(songTime, rate_), line_.keeps, map_);
    auto next = static_cast<std::size_t>(
        std::ranges::upper_bound(points, place, {}, &LevelPoint::at) - points.begin()
    );
    // A point stands on a whole frame, and so a little before or after its place.
    while (next < points.size() && timeOfPoint(next) <= songTime) {
        ++next;
    }
    while (next > 0 && timeOfPoint(next - 1) > songTime) {
        --next;
    }
    constexpr Frames kEndless(std::int64_t{1} << 60);
    if (next == 0) {
        return {-kEndless, timeOfPoint(0), points.front(), points.front(), Frames(0)};
    }
    const LevelPoint& from = points[next - 1];
    if (next == points.size()) {
        return {timeOfPoint(next - 1), kEndless, from, from, Frames(0)};
    }
    const Frames begin = timeOfPoint(next - 1);
    const Frames end = timeOfPoint(next);
    return {begin, end, from, points[next], std::min(toFrames(kJump, rate_), end - begin)};
}

double HeardLine::gainAt(Frames songTime) const
{
    return line_.isEmpty() ? 1.0 : pieceAt(songTime).gainAt(songTime);
}

double HeardLine::levelAt(Frames songTime) const
{
    return levelOf(gainAt(songTime));
}

std::optional<double> HeardLine::evenGain(Frames from, Frames to) const
{
    if (line_.isEmpty()) {
        return 1.0;
    }
    const Piece piece = pieceAt(from);
    return piece.flatTo() >= to ? std::optional(piece.gainAt(from)) : std::nullopt;
}

void HeardLine::gains(Frames from, std::span<float> into) const
{
    const Frames end = from + Frames(std::ssize(into));
    if (line_.isEmpty()) {
        std::ranges::fill(into, 1.0F);
        return;
    }
    for (Frames at = from; at < end;) {
        const Piece piece = pieceAt(at);
        const Frames pieceEnd = std::min(piece.end, end);
        const auto put = [&](Frames place, double gain) {
            into[static_cast<std::size_t>((place - from).count())] = static_cast<float>(gain);
        };
        for (const Frames flat = std::min(piece.flatTo(), pieceEnd); at < flat; at += Frames(1)) {
            put(at, gainOf(piece.from.level));
        }
        while (at < pieceEnd) {
            // Cells lie on the song's axis, so that they are the same wherever reading begins.
            const std::int64_t index =
                (at.count() >= 0 ? at.count() : at.count() - kCell + 1) / kCell;
            const Frames first = std::max(Frames(index * kCell), piece.begin);
            const Frames last = std::min(Frames((index + 1) * kCell), piece.end);
            const double low = piece.gainAt(first);
            const double high = piece.gainAt(last);
            const double middle = piece.gainAt(first + (last - first) / 2);
            const double straight = low + (high - low) * ((last - first) / 2 / (last - first));
            const bool isStraight = std::abs(middle - straight) <= kStraightness * middle;
            for (const Frames stop = std::min(last, pieceEnd); at < stop; at += Frames(1)) {
                put(at,
                    isStraight ? low + (high - low) * ((at - first) / (last - first))
                               : piece.gainAt(at));
            }
        }
    }
}

void HeardLine::apply(Frames from, AudioBuffer& sound) const
{
    if (const auto even = evenGain(from, from + sound.frames())) {
        if (*even != 1.0) {
            for (int c = 0; c < sound.channels(); ++c) {
                for (float& value : sound.channel(c)) {
                    value *= static_cast<float>(*even);
                }
            }
        }
        return;
    }
    constexpr std::size_t kBlock = 1024;
    std::array<float, kBlock> curve{};
    const auto frames = static_cast<std::size_t>(sound.frames().count());
    for (std::size_t done = 0; done < frames; done += kBlock) {
        const std::size_t count = std::min(kBlock, frames - done);
        gains(from + Frames(static_cast<std::int64_t>(done)), std::span(curve).first(count));
        for (int c = 0; c < sound.channels(); ++c) {
            const auto target = sound.channel(c).subspan(done, count);
            for (std::size_t i = 0; i < count; ++i) {
                target[i] *= curve[i];
            }
        }
    }
}

namespace lines {

namespace {

// A rate fine enough for places that are typed and drawn.
constexpr Hertz kFine{1e6};

double levelAtPlace(const LevelLine& line, HeldPlace place, const TempoMap& map)
{
    const HeardLine heard(line, map, kFine);
    return heard.levelAt(toFrames(timeOf(place, line.keeps, map), kFine));
}

double typed(double level)
{
    return level < kLeastLevel ? kSilence : std::min(level, kMostLevel);
}

// The points of a drawn line that are needed, between two that are.
void thin(std::span<const LevelPoint> drawn, std::vector<LevelPoint>& kept)
{
    const LevelPoint& first = drawn.front();
    const LevelPoint& last = drawn.back();
    std::size_t farthest = 0;
    double most = kThinnedWithin;
    for (std::size_t i = 1; i + 1 < drawn.size(); ++i) {
        const double part = (drawn[i].at - first.at) / (last.at - first.at);
        const double off = std::abs(levelOf(gainBetween(part, first, last)) - drawn[i].level);
        const bool bothSilent = drawn[i].level == kSilence && std::isnan(off);
        if (!bothSilent && off > most) {
            most = off;
            farthest = i;
        }
    }
    if (farthest != 0) {
        thin(drawn.first(farthest + 1), kept);
        thin(drawn.subspan(farthest), kept);
        return;
    }
    kept.push_back(last);
}

}  // namespace

LevelLine heldTo(const LevelLine& line, Keeps keeps, const TempoMap& map)
{
    LevelLine held = line;
    held.keeps = keeps;
    for (LevelPoint& point : held.points) {
        point.at = placeOf(timeOf(point.at, line.keeps, map), keeps, map);
    }
    return held;
}

LevelLine withPoint(const LevelLine& line, const LevelPoint& point)
{
    LevelLine with = line;
    const auto at = std::ranges::lower_bound(with.points, point.at, {}, &LevelPoint::at);
    if (at != with.points.end() && at->at - point.at < HeldPlace(kSamePlace)) {
        *at = point;
    } else {
        with.points.insert(at, point);
    }
    return with;
}

LevelLine withoutPoint(const LevelLine& line, std::size_t index)
{
    LevelLine without = line;
    without.points.erase(without.points.begin() + static_cast<std::ptrdiff_t>(index));
    return without;
}

LevelLine bentThrough(const LevelLine& line, std::size_t index, double part, double level)
{
    LevelLine bent = line;
    LevelPoint& from = bent.points[index];
    const LevelPoint& to = bent.points[index + 1];
    if (from.level == to.level || from.isStep) {
        return bent;
    }
    double come = 0.0;
    if (to.level == kSilence) {
        come = 1.0 - std::cbrt(gainOf(level) / gainOf(from.level));
    } else if (from.level == kSilence) {
        come = std::cbrt(gainOf(level) / gainOf(to.level));
    } else {
        come = (std::max(level, kLeastLevel) - from.level) / (to.level - from.level);
    }
    const double bend = bendThrough(part, come);
    from.bend = to.level >= from.level ? bend : -bend;
    return bent;
}

LevelLine cleared(const LevelLine& line, HeldPlace from, HeldPlace to, const TempoMap& map)
{
    if (line.isEmpty() || to <= from) {
        return line;
    }
    LevelLine rest = line;
    const LevelPoint begin{from, typed(levelAtPlace(line, from, map))};
    LevelPoint end{to, typed(levelAtPlace(line, to, map))};
    const auto after = std::ranges::upper_bound(line.points, to, {}, &LevelPoint::at);
    if (after != line.points.begin()) {
        end.bend = std::prev(after)->bend;
        end.isStep = std::prev(after)->isStep;
    }
    const bool hadBefore = line.points.front().at < from;
    const bool hadAfter = after != line.points.end();
    std::erase_if(rest.points, [&](const LevelPoint& point) {
        return point.at >= from && point.at <= to;
    });
    if (hadBefore) {
        rest = withPoint(rest, begin);
    }
    return hadAfter ? withPoint(rest, end) : rest;
}

LevelLine drawnOver(const LevelLine& line, std::span<const LevelPoint> drawn, const TempoMap& map)
{
    if (drawn.empty()) {
        return line;
    }
    std::vector<LevelPoint> points;
    for (LevelPoint point : drawn) {
        point.level = typed(point.level);
        if (points.empty() || point.at - points.back().at > HeldPlace(kSamePlace)) {
            points.push_back(point);
        }
    }
    std::vector<LevelPoint> kept{points.front()};
    if (points.size() > 1) {
        thin(points, kept);
    }
    LevelLine rest = cleared(line, kept.front().at, kept.back().at, map);
    for (const LevelPoint& point : kept) {
        rest = withPoint(rest, point);
    }
    return rest;
}

}  // namespace lines

}  // namespace orthochron
