#include "app/stages/shape/SpeedGrips.h"

#include <QMouseEvent>
#include <QPainter>

#include "app/theme/Theme.h"
#include "app/views/ShapePainter.h"
#include "core/shape/Bend.h"

#include <algorithm>
#include <cmath>

namespace orthochron::app {

namespace {

constexpr double kNearSpeedPoint = 7.0;  // px
constexpr double kNearSpeedLine = 5.0;
constexpr double kNearPlain = 4.0;  // 100 % is caught so near
constexpr double kWide = 24.0;      // px a clip has at least whose line can be taken
constexpr Seconds kSpeedPointsApart = milliseconds(1.0);

}  // namespace

SpeedGrips::SpeedGrips(Session& session, LanesView& lanes, SpeedHands& hands)
    : session_(session), lanes_(lanes), hands_(hands)
{}

void SpeedGrips::paintLane(QPainter& painter, const Lane& lane) const
{
    const auto track = session_.song().track(lane.track);
    const ShapePainter shapes(lanes_, session_);
    const Frames from = lanes_.timeAt(lane.area.left());
    const Frames to = lanes_.timeAt(lane.area.right());
    const auto chosen = hands_.speedPoint();
    for (const Clip& clip : track->clips) {
        const bool isSeen = clip.end() > from && clip.at < to;
        if (!isSeen || lanes_.xOf(clip.end()) - lanes_.xOf(clip.at) < kWide) {
            continue;
        }
        const bool isOwn = isHeld() && isMoved_ && clip.id == found_.clip.id;
        const bool isChosen = chosen && chosen->clip == clip.id;
        shapes.paintSpeed(
            painter,
            lane.area,
            clip,
            isOwn ? points_ : speedPointsOf(clip),
            scaleOf(clip),
            isOwn && grip_ == Grip::Point ? std::optional(found_.point)
            : isChosen                    ? std::optional(chosen->index)
                                          : std::nullopt
        );
    }
}

SpeedScale SpeedGrips::scaleOf(const Clip& clip) const
{
    return {hands_.drawsPitch(clip) ? hands_.pitchRange() : 0.0};
}

SpeedGrips::Found SpeedGrips::find(const Lane& lane, QPointF place) const
{
    const auto track = session_.song().track(lane.track);
    const Frames at = lanes_.timeAt(place.x());
    for (const Clip& clip : track->clips) {
        // Its very ends can be taken hold of from just outside.
        const double left = lanes_.xOf(clip.at);
        const double right = lanes_.xOf(clip.end());
        if (right - left < kWide || place.x() < left - kNearSpeedPoint ||
            place.x() > right + kNearSpeedPoint) {
            continue;
        }
        const Points points = speedPointsOf(clip);
        Found found{Grip::None, clip, 0, false};
        for (std::size_t i = 0; i < points.size(); ++i) {
            const double x = lanes_.xOf(clip.at + points[i].at);
            const double y = ShapePainter::speedY(points[i].speed, lane.area, scaleOf(clip));
            if (std::hypot(place.x() - x, place.y() - y) <= kNearSpeedPoint) {
                found.grip = Grip::Point;
                found.point = i;
                return found;
            }
            if (clip.at + points[i].at <= at) {
                found.point = i;
                found.isInPiece = i + 1 < points.size();
            }
        }
        const double speed = points.empty()
                                 ? 1.0
                                 : clip.sound.treatment->speed.speedAt(
                                       static_cast<double>((at - clip.at + clip.soundStart).count())
                                   );
        const bool isOn =
            std::abs(place.y() - ShapePainter::speedY(speed, lane.area, scaleOf(clip))) <=
            kNearSpeedLine;
        if (isOn && at >= clip.at && at < clip.end()) {
            found.grip = Grip::Piece;
            return found;
        }
    }
    return {};
}

bool SpeedGrips::press(const Lane& lane, QMouseEvent& event)
{
    const Found found = find(lane, event.position());
    if (found.grip == Grip::None) {
        return false;
    }
    grip_ = found.grip;
    found_ = found;
    area_ = lane.area;
    pressed_ = event.position();
    isMoved_ = false;
    points_ = speedPointsOf(found.clip);
    hands_.chooseSpeedPoint(
        found.grip == Grip::Point
            ? std::optional(SpeedHands::SpeedPointOf{found.clip.id, found.point})
            : std::nullopt
    );
    // Several clips chosen are changed alike.
    const auto& chosen = session_.choice.clips();
    if (std::ranges::find(chosen, found.clip.id) == chosen.end()) {
        session_.choice.setClips(withTheirSet(session_.song(), {found.clip.id}));
    }
    return true;
}

SpeedGrips::Points SpeedGrips::movedPoint(QPointF place, Qt::KeyboardModifiers held) const
{
    Points points = speedPointsOf(found_.clip);
    const std::size_t i = found_.point;
    const Frames apart = toFrames(kSpeedPointsApart, session_.song().rate);
    Frames at = lanes_.snapped(lanes_.timeAt(place.x()), held) - found_.clip.at;
    at = std::max(at, i > 0 ? points[i - 1].at + apart : Frames(0));
    at = std::min(at, i + 1 < points.size() ? points[i + 1].at - apart : found_.clip.length);
    points[i].at = at;
    points[i].speed = ShapePainter::speedAtY(place.y(), area_, scaleOf(found_.clip));
    if (std::abs(place.y() - area_.center().y()) <= kNearPlain) {
        points[i].speed = 1.0;
    }
    return points;
}

SpeedGrips::Points SpeedGrips::movedPiece(QPointF place) const
{
    Points points = speedPointsOf(found_.clip);
    const double speed = ShapePainter::speedAtY(place.y(), area_, scaleOf(found_.clip));
    if (points.empty()) {
        // The speed of all of it.
        return {{Frames(0), speed}, {found_.clip.length, speed}};
    }
    if (!found_.isInPiece) {
        return points;
    }
    SpeedPoint& from = points[found_.point];
    SpeedPoint& to = points[found_.point + 1];
    if (from.speed == to.speed) {
        from.speed = speed;
        to.speed = speed;
        return points;
    }
    const double left = lanes_.xOf(found_.clip.at + from.at);
    const double right = lanes_.xOf(found_.clip.at + to.at);
    const double part = (std::clamp(place.x(), left, right) - left) / std::max(right - left, 1.0);
    const double bend = bendThrough(part, (speed - from.speed) / (to.speed - from.speed));
    from.bend = to.speed >= from.speed ? bend : -bend;
    return points;
}

SpeedGrips::Points SpeedGrips::withPoint(Frames at) const
{
    Points points = speedPointsOf(found_.clip);
    const Frames length = found_.clip.length;
    const Frames apart = toFrames(kSpeedPointsApart, session_.song().rate);
    if (points.empty()) {
        // Its ends too, so that there is something to run from and to.
        points = {{Frames(0), 1.0}, {length, 1.0}};
    }
    const auto next = std::ranges::lower_bound(points, at, {}, &SpeedPoint::at);
    const bool isTooNear = (next != points.end() && next->at - at < apart) ||
                           (next != points.begin() && at - std::prev(next)->at < apart);
    if (!isTooNear) {
        const bool isPlain = next == points.begin() || next == points.end();
        const double speed =
            isPlain ? 1.0
                    : (found_.clip.sound.treatment
                           ? found_.clip.sound.treatment->speed.speedAt(
                                 static_cast<double>((at + found_.clip.soundStart).count())
                             )
                           : 1.0);
        points.insert(next, {at, speed});
    }
    return points;
}

void SpeedGrips::move(QMouseEvent& event)
{
    const QPointF place = event.position();
    if (!isMoved_ && (place - pressed_).manhattanLength() < 3.0) {
        return;
    }
    isMoved_ = true;
    points_ = grip_ == Grip::Point ? movedPoint(place, event.modifiers()) : movedPiece(place);
    for (SpeedPoint& point : points_) {
        // The pitch alone goes down by 24 semitones.
        point.speed = hands_.speedKeeps == SpeedKeeps::Time
                          ? std::max(point.speed, kLeastPitchSpeed)
                          : point.speed;
    }
    hands_.hearDragged(found_.clip.id, points_);
    const Song& song = session_.song();
    const Frames at =
        grip_ == Grip::Point ? found_.clip.at + points_[found_.point].at : lanes_.timeAt(place.x());
    double speed = ShapePainter::speedAtY(place.y(), area_, scaleOf(found_.clip));
    if (grip_ == Grip::Point) {
        speed = points_[found_.point].speed;
    }
    const QString value = hands_.speedKeeps == SpeedKeeps::Time
                              ? tr("%1 st").arg(QString::asprintf("%+.2f", pitchOfSpeed(speed)))
                              : tr("%1 %").arg(100.0 * speed, 0, 'f', 0);
    lanes_.setReadout(tr("%1 at %2").arg(value, placeText(song, at).place), place.toPoint());
}

void SpeedGrips::release()
{
    const Grip was = std::exchange(grip_, Grip::None);
    hands_.endDragging();
    if (was == Grip::None || (!isMoved_ && was == Grip::Point)) {
        return;
    }
    if (isMoved_) {
        hands_.setSpeedLine(
            found_.clip.id,
            points_,
            was == Grip::Point ? tr("Move speed point") : tr("Bend speed line")
        );
        return;
    }
    const Frames at = lanes_.snapped(lanes_.timeAt(pressed_.x()), {}) - found_.clip.at;
    const Points points = withPoint(std::clamp(at, Frames(0), found_.clip.length));
    if (hands_.setSpeedLine(found_.clip.id, points, tr("Add speed point"))) {
        const auto made = std::ranges::find(points, at, &SpeedPoint::at);
        hands_.chooseSpeedPoint(SpeedHands::SpeedPointOf{
            found_.clip.id, static_cast<std::size_t>(made - points.begin())});
    }
}

std::pair<QString, Qt::CursorShape> SpeedGrips::hintAt(const Lane& lane, QPoint place) const
{
    switch (find(lane, place).grip) {
    case Grip::Point:
        return {
            hands_.speedKeeps == SpeedKeeps::Time
                ? tr("Drag the point, up to ±%1 semitones. Delete: delete.")
                      .arg(hands_.pitchRange(), 0, 'g', 3)
                : tr("Drag the point: 0 to 400 %, 100 % in the middle. Delete: delete."),
            Qt::SizeAllCursor};
    case Grip::Piece:
        return {
            tr("Click to add a point; drag to bend the line or move a level part."),
            Qt::PointingHandCursor};
    default: return {QString(), Qt::ArrowCursor};
    }
}

}  // namespace orthochron::app
