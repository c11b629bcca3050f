#include "app/stages/shape/LineGrips.h"

#include <QMouseEvent>
#include <QPainter>

#include "app/theme/Theme.h"
#include "app/views/ShapePainter.h"

#include <algorithm>
#include <cmath>

namespace orthochron::app {

namespace {

constexpr double kNearPoint = 7.0;  // px
constexpr double kNearLine = 4.0;
constexpr double kNearNothing = 4.0;  // dB 0 is caught so near
constexpr Seconds kLeastApart = milliseconds(1.0);

}  // namespace

LineGrips::LineGrips(Session& session, LanesView& lanes, ShapeHands& hands)
    : session_(session), lanes_(lanes), hands_(hands)
{}

const LevelLine& LineGrips::lineOf(std::optional<TrackId> owner) const
{
    if (song_) {
        return levelLineOf(*song_, owner);
    }
    return isHeld() && owner == owner_ ? line_ : levelLineOf(session_.song(), owner);
}

HeldPlace LineGrips::placeAt(Frames songTime) const
{
    const Song& song = session_.song();
    return placeOf(toSeconds(songTime, song.rate), line_.keeps, song.tempo);
}

void LineGrips::paint(QPainter& painter, std::optional<TrackId> owner, QRectF area) const
{
    const ShapePainter shapes(lanes_, session_);
    const LevelLine& line = lineOf(owner);
    const bool isLookedAt = hands_.owner() == owner;
    if (line.isEmpty() && !isLookedAt) {
        return;
    }
    const auto ink = isLookedAt || (isHeld() && owner == owner_) ? ShapePainter::Ink::Full
                                                                 : ShapePainter::Ink::Plain;
    shapes.paintLine(painter, area, line, ink);
    std::set<std::size_t> chosen;
    if (isHeld() && owner == owner_ && grip_ != Grip::Points) {
        if (grip_ == Grip::Point) {
            chosen.insert(point_);
        }
    } else {
        for (const LinePoint& point : hands_.points()) {
            if (point.track == owner) {
                chosen.insert(point.index);
            }
        }
    }
    shapes.paintPoints(painter, area, line, ink, chosen);
}

LineGrips::Found LineGrips::find(std::optional<TrackId> owner, QRectF area, QPointF place) const
{
    const Song& song = session_.song();
    const LevelLine& line = levelLineOf(song, owner);
    const HeardLine heard(line, song.tempo, song.rate);
    std::size_t before = 0;
    for (std::size_t i = 0; i < line.points.size(); ++i) {
        const double x = lanes_.xOf(heard.timeOfPoint(i));
        const double y = levelY(line.points[i].level, area);
        if (std::hypot(place.x() - x, place.y() - y) <= kNearPoint) {
            return {Grip::Point, i};
        }
        before = x <= place.x() ? i : before;
    }
    // A track without a line is taken hold of at 0 dB only where it is looked at.
    if (line.isEmpty() && hands_.owner() != owner) {
        return {};
    }
    const double y = levelY(heard.levelAt(lanes_.timeAt(place.x())), area);
    return std::abs(place.y() - y) <= kNearLine ? Found{Grip::Piece, before} : Found{};
}

bool LineGrips::press(
    std::optional<TrackId> owner, QRectF area, QMouseEvent& event, const LinePoints& chosen
)
{
    const bool draws = (event.modifiers() & Qt::ShiftModifier) != 0;
    const Found found = draws ? Found{} : find(owner, area, event.position());
    if (!draws && found.grip == Grip::None) {
        return false;
    }
    owner_ = owner;
    area_ = area;
    pressed_ = event.position();
    isMoved_ = false;
    line_ = levelLineOf(session_.song(), owner);
    point_ = found.point;
    drawn_.clear();
    grip_ = found.grip;
    if (draws) {
        const bool isStepped = (event.modifiers() & Qt::AltModifier) != 0;
        grip_ = isStepped ? Grip::Steps : Grip::Draw;
    }
    hands_.choosePoint(owner, grip_ == Grip::Point ? std::optional(found.point) : std::nullopt);
    chosen_.clear();
    isWithCtrl_ = (event.modifiers() & Qt::ControlModifier) != 0;
    if (grip_ == Grip::Point && (isWithCtrl_ || chosen.contains({owner, found.point}))) {
        chosen_ = chosen;
        LinePoints all = chosen;
        all.merge(hands_.pointsAt(owner, found.point));
        hands_.choosePoints(all);
        grip_ = hands_.areSeveral() ? Grip::Points : Grip::Point;
    }
    return true;
}

void LineGrips::move(QMouseEvent& event)
{
    if (!isMoved_ && (event.position() - pressed_).manhattanLength() < 3.0) {
        return;
    }
    isMoved_ = true;
    switch (grip_) {
    case Grip::Point: movePoint(event.position(), event.modifiers()); return;
    case Grip::Points: movePoints(event.position(), event.modifiers()); return;
    case Grip::Piece: movePiece(event.position()); return;
    case Grip::Draw:
    case Grip::Steps: draw(event.position()); return;
    case Grip::None: return;
    }
}

void LineGrips::show(const LevelLine& line, const QString& readout, QPoint at)
{
    line_ = line;
    hands_.hear(owner_, line);
    lanes_.setReadout(readout, at);
}

void LineGrips::movePoint(QPointF place, Qt::KeyboardModifiers held)
{
    const Song& song = session_.song();
    const LevelLine& line = levelLineOf(song, owner_);
    const HeardLine heard(line, song.tempo, song.rate);
    const Frames apart = toFrames(kLeastApart, song.rate);
    Frames at = lanes_.snapped(lanes_.timeAt(place.x()), held);
    if (point_ > 0) {
        at = std::max(at, heard.timeOfPoint(point_ - 1) + apart);
    }
    if (point_ + 1 < line.points.size()) {
        at = std::min(at, heard.timeOfPoint(point_ + 1) - apart);
    }
    double level = levelAtY(place.y(), area_);
    if (std::abs(place.y() - levelY(0.0, area_)) <= kNearNothing) {
        level = 0.0;
    }
    LevelLine moved = line;
    moved.points[point_].at = placeAt(at);
    moved.points[point_].level = level;
    show(moved, tr("%1 at %2").arg(levelText(level), placeText(song, at).place), place.toPoint());
}

void LineGrips::movePoints(QPointF place, Qt::KeyboardModifiers held)
{
    const Song& song = session_.song();
    const LevelLine& line = levelLineOf(song, owner_);
    const Frames was = HeardLine(line, song.tempo, song.rate).timeOfPoint(point_);
    const double from = line.points[point_].level;
    const double to = levelAtY(place.y(), area_);
    // Where it is silent, its level is no measure for the others.
    const double louder = from == kSilence || to == kSilence ? 0.0 : to - from;
    const Frames by = lanes_.snapped(lanes_.timeAt(place.x()), held) - was;
    auto moved = orthochron::movePoints(song, hands_.points(), by, louder);
    if (!moved) {
        return;
    }
    const Frames now =
        HeardLine(levelLineOf(*moved, owner_), song.tempo, song.rate).timeOfPoint(point_);
    const double seconds = toSeconds(now - was, song.rate).count();
    lanes_.setReadout(
        tr("%1: %2 dB, %3 s")
            .arg(hands_.pointsName())
            .arg(QString::asprintf("%+.1f", louder), QString::asprintf("%+.3f", seconds)),
        place.toPoint()
    );
    hands_.hear(*moved);
    song_ = std::move(*moved);
}

void LineGrips::movePiece(QPointF place)
{
    const Song& song = session_.song();
    const LevelLine& line = levelLineOf(song, owner_);
    if (line.isEmpty()) {
        // The level of all of it: a first point where it was taken hold of.
        const LevelPoint first{placeAt(lanes_.timeAt(pressed_.x())), levelAtY(place.y(), area_)};
        show(
            lines::withPoint(line, first),
            tr("%1 throughout").arg(levelText(first.level)),
            place.toPoint()
        );
        return;
    }
    const HeardLine heard(line, song.tempo, song.rate);
    const double level = levelAtY(place.y(), area_);
    const bool hasNext =
        point_ + 1 < line.points.size() && lanes_.xOf(heard.timeOfPoint(point_)) <= pressed_.x();
    const LevelPoint& from = line.points[point_];
    if (!hasNext || from.isStep || from.level == line.points[point_ + 1].level) {
        LevelLine moved = line;
        moved.points[point_].level = level;
        if (hasNext && !from.isStep) {
            moved.points[point_ + 1].level = level;
        }
        show(moved, levelText(level), place.toPoint());
        return;
    }
    const double left = lanes_.xOf(heard.timeOfPoint(point_));
    const double right = lanes_.xOf(heard.timeOfPoint(point_ + 1));
    const double part = (std::clamp(place.x(), left, right) - left) / (right - left);
    const LevelLine bent = lines::bentThrough(line, point_, part, level);
    const double bend = bent.points[point_].bend;
    const QString way = std::abs(bend) < 0.02 ? tr("straight")
                        : bend > 0.0          ? tr("convex")
                                              : tr("concave");
    const double here = HeardLine(bent, song.tempo, song.rate).levelAt(lanes_.timeAt(place.x()));
    show(bent, tr("%1, %2").arg(way, levelText(here)), place.toPoint());
}

void LineGrips::draw(QPointF place)
{
    const Song& song = session_.song();
    Frames at = lanes_.timeAt(place.x());
    if (grip_ == Grip::Steps) {
        // Each step begins on a line of the grid.
        const Grid grid(song.tempo, session_.fitting.request.grid);
        at = toFrames(grid.nearest(toSeconds(at, song.rate)).time, song.rate);
    }
    const double level = levelAtY(place.y(), area_);
    drawn_[placeAt(at)] = level;
    std::vector<LevelPoint> points;
    for (const auto& [where, what] : drawn_) {
        points.push_back({where, what, 0.0, grip_ == Grip::Steps});
    }
    const LevelLine& line = levelLineOf(song, owner_);
    LevelLine next = line;
    if (grip_ == Grip::Draw) {
        next = lines::drawnOver(line, points, song.tempo);
    } else {
        next = lines::cleared(line, points.front().at, points.back().at, song.tempo);
        for (const LevelPoint& point : points) {
            next = lines::withPoint(next, point);
        }
    }
    show(next, tr("%1 at %2").arg(levelText(level), placeText(song, at).place), place.toPoint());
}

void LineGrips::release()
{
    const Grip was = std::exchange(grip_, Grip::None);
    const LevelLine dragged = std::exchange(line_, LevelLine());
    auto moved = std::exchange(song_, std::nullopt);
    hands_.endDragging();
    if (was == Grip::None) {
        return;
    }
    if (was == Grip::Points) {
        if (moved) {
            hands_.changePoints(std::move(*moved), tr("Move %1"));
        } else {
            chooseClicked();
        }
        return;
    }
    const Song& song = session_.song();
    const LevelLine& line = levelLineOf(song, owner_);
    if (!isMoved_) {
        if (was == Grip::Piece) {
            line_.keeps = line.keeps;
            const Frames at = lanes_.snapped(lanes_.timeAt(pressed_.x()), {});
            LevelPoint point{placeAt(at), HeardLine(line, song.tempo, song.rate).levelAt(at)};
            if (!line.isEmpty() && line.points[point_].at <= point.at) {
                point.bend = line.points[point_].bend;
                point.isStep = line.points[point_].isStep;
            }
            const LevelLine next = lines::withPoint(line, point);
            const auto made = std::ranges::find(next.points, point.at, &LevelPoint::at);
            if (hands_.setLine(next, tr("Add point to line of %1"))) {
                hands_.choosePoint(owner_, static_cast<std::size_t>(made - next.points.begin()));
            }
        }
        return;
    }
    const QString name = was == Grip::Point   ? tr("Move point on line of %1")
                         : was == Grip::Piece ? tr("Bend line of %1")
                                              : tr("Draw line of %1");
    hands_.setLine(dragged, name);
}

// A click on a point among several: with Ctrl it is left out if it was one of them, else it stays alone.
void LineGrips::chooseClicked()
{
    if (!isWithCtrl_) {
        hands_.choosePoint(owner_, point_);
    } else if (chosen_.contains({owner_, point_})) {
        LinePoints left = chosen_;
        for (const LinePoint& point : hands_.pointsAt(owner_, point_)) {
            left.erase(point);
        }
        hands_.choosePoints(left);
    }
}

std::pair<QString, Qt::CursorShape>
LineGrips::hintAt(std::optional<TrackId> owner, QRectF area, QPoint place) const
{
    switch (find(owner, area, place).grip) {
    case Grip::Point:
        return {
            tr("Drag the point. Ctrl: no snap. Ctrl-click: select several. Delete: delete."),
            Qt::SizeAllCursor};
    case Grip::Piece:
        return {
            tr("Click to add a point; drag to bend the line or move a level part."),
            Qt::PointingHandCursor};
    default: return {QString(), Qt::ArrowCursor};
    }
}

}  // namespace orthochron::app
