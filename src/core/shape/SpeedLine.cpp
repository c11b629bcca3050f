#include "core/shape/SpeedLine.h"

#include "core/shape/Bend.h"
#include "core/shape/Smooth.h"

#include <algorithm>
#include <cmath>

namespace orthochron {

namespace {

constexpr double kStill = 0.05;  // below this speed the level goes to nothing

double bendOf(const SpeedPoint& from, const SpeedPoint& to)
{
    return to.speed >= from.speed ? from.bend : -from.bend;
}

// How far one comes in a piece up to a part of it.
double wayIn(const SpeedPoint& from, const SpeedPoint& to, double part)
{
    const auto length = static_cast<double>((to.at - from.at).count());
    return length *
           (from.speed * part + (to.speed - from.speed) * bentArea(part, bendOf(from, to)));
}

}  // namespace

Result<SpeedLine>
SpeedLine::through(std::vector<SpeedPoint> points, bool followsLevel, std::optional<Frames> same)
{
    if (points.size() == 1) {
        return badArgument("a speed line needs a start and an end");
    }
    SpeedLine line;
    for (std::size_t i = 0; i < points.size(); ++i) {
        if (!(points[i].speed >= 0.0 && points[i].speed <= kMostSpeed) ||
            !(std::abs(points[i].bend) <= kMostBend)) {
            return badArgument("a speed must be 0 to 400 %");
        }
        if (i == 0) {
            line.places_.push_back(static_cast<double>(points[i].at.count()));
            continue;
        }
        if (points[i].at <= points[i - 1].at) {
            return badArgument("the points of a speed line are not in order");
        }
        line.places_.push_back(line.places_.back() + wayIn(points[i - 1], points[i], 1.0));
    }
    line.points_ = std::move(points);
    line.followsLevel_ = followsLevel;
    if (!line.isEmpty()) {
        line.same_ = same.value_or(line.points_.front().at);
        const auto at = static_cast<double>(line.same_.count());
        const double off = at - line.placeOf(at);
        for (double& place : line.places_) {
            place += off;
        }
    }
    return line;
}

namespace {

struct PlaceInLine {
    std::size_t piece = 0;  // the point it begins at
    double part = 0.0;
};

PlaceInLine placeIn(const std::vector<SpeedPoint>& points, double heard)
{
    const auto next = std::ranges::upper_bound(points, heard, {}, [](const SpeedPoint& point) {
        return static_cast<double>(point.at.count());
    });
    const auto piece = static_cast<std::size_t>(next - points.begin()) - 1;
    const auto begin = static_cast<double>(points[piece].at.count());
    const auto end = static_cast<double>(points[piece + 1].at.count());
    return {piece, (heard - begin) / (end - begin)};
}

}  // namespace

double SpeedLine::speedAt(double heard) const
{
    if (isEmpty() || heard < static_cast<double>(points_.front().at.count()) ||
        heard >= static_cast<double>(points_.back().at.count())) {
        return 1.0;
    }
    const auto [piece, part] = placeIn(points_, heard);
    const SpeedPoint& from = points_[piece];
    const SpeedPoint& to = points_[piece + 1];
    return from.speed + (to.speed - from.speed) * bentPart(part, bendOf(from, to));
}

double SpeedLine::placeOf(double heard) const
{
    if (isEmpty()) {
        return heard;
    }
    if (heard <= static_cast<double>(points_.front().at.count())) {
        return places_.front() + heard - static_cast<double>(points_.front().at.count());
    }
    if (heard >= static_cast<double>(points_.back().at.count())) {
        return places_.back() + heard - static_cast<double>(points_.back().at.count());
    }
    const auto [piece, part] = placeIn(points_, heard);
    return places_[piece] + wayIn(points_[piece], points_[piece + 1], part);
}

double SpeedLine::heardAt(double place) const
{
    if (isEmpty()) {
        return place;
    }
    if (place <= places_.front()) {
        return static_cast<double>(points_.front().at.count()) + place - places_.front();
    }
    if (place >= places_.back()) {
        return static_cast<double>(points_.back().at.count()) + place - places_.back();
    }
    const auto next = std::ranges::upper_bound(places_, place);
    const auto piece = static_cast<std::size_t>(next - places_.begin()) - 1;
    double low = 0.0;
    double high = 1.0;
    for (int step = 0; step < 50; ++step) {
        const double middle = 0.5 * (low + high);
        const double way = wayIn(points_[piece], points_[piece + 1], middle);
        (places_[piece] + way < place ? low : high) = middle;
    }
    const auto begin = static_cast<double>(points_[piece].at.count());
    const auto end = static_cast<double>(points_[piece + 1].at.count());
    return begin + high * (end - begin);
}

double SpeedLine::gainAt(double heard) const
{
    const double speed = speedAt(heard);
    return smooth(speed / kStill) * (followsLevel_ ? std::min(speed, 1.0) : 1.0);
}

}  // namespace orthochron
