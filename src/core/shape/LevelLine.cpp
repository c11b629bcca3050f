#include "core/shape/LevelLine.h"

#include <fmt/format.h>

#include "core/audio/AudioBuffer.h"
#include "core/shape/Bend.h"
#include "core/shape/Smooth.h"

#include <algorithm>
#include <array>
#include <cmath>

namespace orthochron {

namespace {

constexpr std::int64_t kCell = 1024;     // frames a gain goes evenly over at most
constexpr std::int64_t kLeastCell = 64;  // and at least, where it is not read frame by frame
constexpr double kStraightness = 3e-4;   // relative: how far from straight a cell may be
constexpr double kThinnedWithin = 0.3;   // dB
constexpr double kSamePlace = 1e-9;

double gainOf(double level)
{
    return level == kSilence ? 0.0 : fromDecibels(level);
}

double levelOf(double gain)
{
    return gain > 0.0 ? 20.0 * std::log10(gain) : kSilence;
}

// The gain along a piece between two points.
struct PieceGain {
    double first = 1.0;
    double last = 1.0;
    double bend = 0.0;     // of the way from the first to the last
    double steepness = 0;  // natural logarithm of the one over the other, where both sound

    PieceGain(const LevelPoint& from, const LevelPoint& to)
        : first(gainOf(from.level)),
          last(gainOf(to.level)),
          bend(to.level >= from.level ? from.bend : -from.bend),
          steepness(first > 0.0 && last > 0.0 ? std::log(last / first) : 0.0)
    {}
    [[nodiscard]] double at(double part) const
    {
        if (first == last) {
            return first;
        }
        const double come = bentPart(part, bend);
        if (last == 0.0) {
            const double left = 1.0 - come;
            return first * left * left * left;
        }
        if (first == 0.0) {
            return last * come * come * come;
        }
        return first * std::exp(steepness * come);
    }
};

}  // namespace

Result<void> checkLine(const LevelLine& line)
{
    for (std::size_t i = 0; i < line.points.size(); ++i) {
        const LevelPoint& point = line.points[i];
        const bool isLevel =
            point.level == kSilence || (point.level >= kLeastLevel && point.level <= kMostLevel);
        if (!isLevel) {
            return badArgument(fmt::format(
                "a level must be silence or {:g} to {:g} dB, not {:g}",
                kLeastLevel,
                kMostLevel,
                point.level
            ));
        }
        if (!std::isfinite(point.at.count()) || !(std::abs(point.bend) <= kMostBend)) {
            return badArgument("a level line point has no valid position");
        }
        if (i > 0 && point.at <= line.points[i - 1].at) {
            return badArgument("the points of a level line are not in order");
        }
    }
    return {};
}

// A gain that goes evenly, counted from where its cell begins so that it is the same wherever reading
// begins in it.
struct HeardLine::Ramp {
    float start = 1.0F;
    float step = 0.0F;
    std::int64_t offset =
        0;  // of its first frame in the cell; less than kCell where there is a step

    [[nodiscard]] bool isUnity() const { return start == 1.0F && step == 0.0F; }
    [[nodiscard]] float at(std::size_t frame) const
    {
        return start +
               step * static_cast<float>(static_cast<int>(offset) + static_cast<int>(frame));
    }
};

// From one frame to another, its ends among the points of the line or endless.
struct HeardLine::Piece {
    Frames begin;
    Frames end;
    LevelPoint from;
    LevelPoint to;
    Frames jump;  // a step is smoothed over so long, up to its end
    PieceGain gain{from, to};

    void ramps(Frames first, Frames last, Frames at, Frames past, const auto& onRamp) const;
    void curve(Frames at, Frames past, const auto& onRamp) const;
    [[nodiscard]] bool isFlat() const { return from.level == to.level; }
    [[nodiscard]] Frames flatTo() const
    {
        return isFlat() ? end : (from.isStep ? end - jump : begin);
    }
    [[nodiscard]] double gainAt(Frames at) const
    {
        if (isFlat() || at < flatTo()) {
            return gain.first;
        }
        if (from.isStep) {
            const double part = smooth((at - flatTo()) / jump);
            return gain.first * (1.0 - part) + gain.last * part;
        }
        return gain.at((at - begin) / (end - begin));
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

// A stretch of a piece from `first` to `last`, as far as it lies in [at, past): evenly from end to end where
// that is near enough, else in halves.
void HeardLine::Piece::ramps(Frames first, Frames last, Frames at, Frames past, const auto& onRamp)
    const
{
    const Frames heard = std::max(first, at);
    const Frames heardTo = std::min(last, past);
    if (heard >= heardTo) {
        return;
    }
    const Frames length = last - first;
    const double low = gainAt(first);
    const double high = gainAt(last);
    const auto isOnTheWay = [&](Frames place) {
        const double exact = gainAt(place);
        const double even = low + (high - low) * ((place - first) / length);
        return std::abs(exact - even) <= kStraightness * exact;
    };
    const Frames middle = first + length / 2;
    if (isOnTheWay(middle) && isOnTheWay(first + length / 4) && isOnTheWay(last - length / 4)) {
        const auto step = static_cast<float>((high - low) / static_cast<double>(length.count()));
        onRamp(heard, heardTo, Ramp{static_cast<float>(low), step, (heard - first).count()});
        return;
    }
    if (length > Frames(kLeastCell)) {
        ramps(first, middle, at, past, onRamp);
        ramps(middle, last, at, past, onRamp);
        return;
    }
    for (Frames frame = heard; frame < heardTo; frame += Frames(1)) {
        onRamp(frame, frame + Frames(1), Ramp{static_cast<float>(gainAt(frame))});
    }
}

// The frames [at, past) of a curved part of a piece. Cells lie on the song's axis, so that they are the
// same wherever reading begins.
void HeardLine::Piece::curve(Frames at, Frames past, const auto& onRamp) const
{
    for (Frames place = at; place < past;) {
        const std::int64_t index =
            (place.count() >= 0 ? place.count() : place.count() - kCell + 1) / kCell;
        const Frames last = std::min(Frames((index + 1) * kCell), end);
        ramps(std::max(Frames(index * kCell), flatTo()), last, at, past, onRamp);
        place = last;
    }
}

void HeardLine::walk(Frames from, Frames to, const auto& onRamp) const
{
    if (line_.isEmpty()) {
        onRamp(from, to, Ramp{1.0F});
        return;
    }
    for (Frames at = from; at < to;) {
        const Piece piece = pieceAt(at);
        const Frames end = std::min(piece.end, to);
        if (const Frames flat = std::min(piece.flatTo(), end); at < flat) {
            onRamp(at, flat, Ramp{static_cast<float>(piece.gain.first)});
            at = flat;
        }
        if (at < end) {
            piece.curve(at, end, onRamp);
            at = end;
        }
    }
}

bool HeardLine::isSilent(Frames from, Frames to) const
{
    if (line_.isEmpty()) {
        return false;
    }
    const Piece piece = pieceAt(from);
    return piece.gain.first == 0.0 && std::min(piece.flatTo(), piece.end) >= to;
}

void HeardLine::gains(Frames from, std::span<float> into) const
{
    walk(from, from + Frames(std::ssize(into)), [&](Frames begin, Frames end, Ramp ramp) {
        const auto part = into.subspan(
            static_cast<std::size_t>((begin - from).count()),
            static_cast<std::size_t>((end - begin).count())
        );
        for (std::size_t k = 0; k < part.size(); ++k) {
            part[k] = ramp.at(k);
        }
    });
}

void HeardLine::apply(Frames from, AudioBuffer& sound) const
{
    walk(from, from + sound.frames(), [&](Frames begin, Frames end, Ramp ramp) {
        if (ramp.isUnity()) {
            return;
        }
        for (int c = 0; c < sound.channels(); ++c) {
            const auto part = sound.channel(c).subspan(
                static_cast<std::size_t>((begin - from).count()),
                static_cast<std::size_t>((end - begin).count())
            );
            for (std::size_t k = 0; k < part.size(); ++k) {
                part[k] *= ramp.at(k);
            }
        }
    });
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
        const double off = std::abs(levelOf(PieceGain(first, last).at(part)) - drawn[i].level);
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
