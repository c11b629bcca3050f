#include "app/stages/shape/ShapeStage.h"

#include <QMouseEvent>
#include <QPainter>

#include "app/controls/Counted.h"
#include "app/stages/shape/ShapeBench.h"
#include "app/theme/Theme.h"
#include "app/views/ShapePainter.h"

#include <algorithm>

namespace orthochron::app {

namespace {

constexpr int kFoldedFoot = 24;
constexpr int kFoot = 64;
constexpr double kNearSongEnd = 5.0;  // px

}  // namespace

ShapeStage::ShapeStage(Session& session, LanesView& lanes, QObject* parent)
    : Stage(session, lanes, parent),
      hands_(session, this),
      speed_(session, this),
      lineGrips_(session, lanes, hands_),
      hushGrips_(session, lanes, hands_),
      spinGrips_(session, lanes, speed_),
      speedGrips_(session, lanes, speed_),
      bench_(new ShapeBench(session, hands_, speed_))
{
    connect(&hands_, &ShapeHands::changed, this, [this] { lanes_.update(); });
    connect(&speed_, &SpeedHands::changed, this, [this] { lanes_.update(); });
    // The strip at the foot unfolds when the song gets a line.
    connect(&session_.document, &Document::songChanged, this, [this] {
        if (isLookedAt()) {
            lanes_.footChanged();
        }
    });
}

QWidget* ShapeStage::bench()
{
    return bench_;
}

bool ShapeStage::isLookedAt() const
{
    return bench_->isVisible();
}

bool ShapeStage::isWorkedOn() const
{
    return !shapeItemsOf(session_.song()).empty();
}

void ShapeStage::entered()
{
    if (!hands_.owner() && session_.choice.track().isValid()) {
        hands_.setOwner(session_.choice.track());
    }
}

QString ShapeStage::status() const
{
    const auto items = shapeItemsOf(session_.song());
    const auto count = [&](auto is) { return std::ranges::count_if(items, is); };
    return tr("%1 · %2 · %3")
        .arg(
            counted(
                count([](const auto& item) { return item.isLine; }),
                tr("level line"),
                tr("level lines")
            ),
            counted(
                count([](const auto& item) { return item.hush.isValid(); }),
                tr("hush"),
                tr("hushes")
            ),
            counted(
                count([](const auto& item) { return item.spun.isValid(); }), tr("spin"), tr("spins")
            )
        );
}

void ShapeStage::paintLane(QPainter& painter, const Lane& lane)
{
    spinGrips_.paintLane(painter, lane);
    if (speed_.drawsSpeed()) {
        speedGrips_.paintLane(painter, lane);
    }
    hushGrips_.paintLane(painter, lane);
    lineGrips_.paint(painter, lane.track, lane.area);
    // What is chosen to be hushed, where it is not all lanes.
    const auto& range = session_.choice.range();
    const auto tracks = hands_.tracks();
    if (range && std::ranges::find(tracks, lane.track) != tracks.end()) {
        QColor straw = Theme::palette().straw;
        straw.setAlpha(90);
        const double left = lanes_.xOf(range->from);
        painter.fillRect(
            QRectF(left, lane.area.top(), lanes_.xOf(range->to) - left, lane.area.height()), straw
        );
    }
}

double ShapeStage::endX() const
{
    return lanes_.xOf(drag_ == Drag::End ? end_ : session_.song().end());
}

void ShapeStage::paintOver(QPainter& painter)
{
    // The song's end, dashed until it is set by hand.
    if (session_.song().tracks.empty()) {
        return;
    }
    const Palette& colours = Theme::palette();
    const double x = endX();
    const bool isSet = session_.song().endMark || drag_ == Drag::End;
    painter.setPen(QPen(colours.secondInk, 1.4, isSet ? Qt::SolidLine : Qt::DashLine));
    painter.drawLine(QPointF(x, lanes_.sheet().top() - 18), QPointF(x, lanes_.height()));
    painter.setFont(Theme::label(8.5));
    painter.drawText(
        QRectF(x - 44, lanes_.sheet().top() - 20, 40, 14),
        Qt::AlignRight | Qt::AlignVCenter,
        tr("end")
    );
}

int ShapeStage::footHeight() const
{
    return session_.song().level.isEmpty() ? kFoldedFoot : kFoot;
}

void ShapeStage::paintFoot(QPainter& painter, QRect area)
{
    const Palette& colours = Theme::palette();
    const QRect head(0, area.top(), area.left(), area.height());
    const bool isLookedAt = !hands_.owner();
    painter.fillRect(head, isLookedAt ? colours.edge : colours.paper);
    painter.fillRect(area, colours.lane);
    painter.setPen(QPen(colours.barLine, 1.0));
    painter.drawLine(head.left(), area.top(), area.right(), area.top());
    painter.setPen(colours.ink);
    painter.setFont(Theme::label(10, QFont::DemiBold));
    painter.drawText(head.adjusted(18, 2, -4, 0), Qt::AlignLeft | Qt::AlignTop, tr("Whole song"));
    if (session_.song().level.isEmpty()) {
        painter.setPen(colours.secondInk);
        painter.setFont(Theme::label(9));
        painter.drawText(
            area.adjusted(10, 0, -10, 0),
            Qt::AlignLeft | Qt::AlignVCenter,
            tr("0 dB throughout. Click to add a point, or fade the song below.")
        );
        return;
    }
    painter.save();
    painter.setClipRect(area);
    painter.setFont(Theme::label(8));
    for (const double level : {0.0, -12.0}) {
        const double y = levelY(level, area);
        painter.setPen(QPen(colours.hairline, 1.0));
        painter.drawLine(QPointF(area.left(), y), QPointF(area.right(), y));
        painter.setPen(colours.secondInk);
        painter.drawText(QPointF(area.left() + 4, y - 2), levelText(level));
    }
    lineGrips_.paint(painter, std::nullopt, area);
    painter.restore();
}

bool ShapeStage::pressFoot(QMouseEvent& event)
{
    const LinePoints chosen = hands_.points();
    hands_.setOwner(std::nullopt);
    const QRect area = lanes_.foot();
    if (event.pos().x() < area.left()) {
        return false;
    }
    if (session_.song().level.isEmpty() && (event.modifiers() & Qt::ShiftModifier) == 0) {
        // Folded, it has no height to drag in: the first point stands at 0 dB.
        const Song& song = session_.song();
        const Frames at = lanes_.snapped(lanes_.timeAt(event.position().x()), event.modifiers());
        LevelLine line;
        line.points = {{placeOf(toSeconds(at, song.rate), line.keeps, song.tempo)}};
        hands_.setLine(line, tr("Add point to line of %1"));
        return false;
    }
    return lineGrips_.press(std::nullopt, area, event, chosen);
}

std::pair<QString, Qt::CursorShape> ShapeStage::hintInFoot(QPoint place) const
{
    const auto hint = lineGrips_.hintAt(std::nullopt, lanes_.foot(), place);
    return hint.first.isEmpty()
               ? std::pair(tr("Level of the whole song. Shift-drag: draw."), Qt::ArrowCursor)
               : hint;
}

// ---- gestures

bool ShapeStage::press(const Lane& lane, QMouseEvent& event)
{
    const LinePoints chosen = hands_.points();
    session_.choice.setTrack(lane.track);
    hands_.setOwner(lane.track);
    if ((speed_.drawsSpeed() && speedGrips_.press(lane, event)) ||
        lineGrips_.press(lane.track, lane.area, event, chosen) || spinGrips_.press(lane, event) ||
        hushGrips_.press(lane, event)) {
        hands_.setTracks({});
        return true;
    }
    hands_.chooseHush({});
    drag_ = Drag::Span;
    pressed_ = event.pos();
    return true;
}

bool ShapeStage::pressRuler(QMouseEvent& event)
{
    if (std::abs(event.position().x() - endX()) > kNearSongEnd) {
        return false;
    }
    drag_ = Drag::End;
    end_ = session_.song().end();
    return true;
}

std::vector<TrackId> ShapeStage::tracksBetween(QPoint a, QPoint b) const
{
    std::vector<TrackId> tracks;
    const int top = std::min(a.y(), b.y());
    const int bottom = std::max(a.y(), b.y());
    for (const Lane& lane : lanes_.lanes()) {
        if (lane.area.bottom() >= top && lane.area.top() <= bottom) {
            const MicSet* set = session_.song().setOf(lane.track);
            // A folded set is all of its tracks.
            const auto own =
                set != nullptr && set->isFolded ? set->tracks : std::vector{lane.track};
            for (const TrackId id : own) {
                if (std::ranges::find(tracks, id) == tracks.end()) {
                    tracks.push_back(id);
                }
            }
        }
    }
    return tracks;
}

void ShapeStage::move(QMouseEvent& event)
{
    if (lineGrips_.isHeld()) {
        lineGrips_.move(event);
    } else if (speedGrips_.isHeld()) {
        speedGrips_.move(event);
    } else if (spinGrips_.isHeld()) {
        spinGrips_.move(event);
    } else if (hushGrips_.isHeld()) {
        hushGrips_.move(event);
    } else if (drag_ == Drag::End) {
        end_ = lanes_.snapped(lanes_.timeAt(event.position().x()), event.modifiers());
        lanes_.setReadout(
            tr("song ends at %1").arg(placeText(session_.song(), end_).place), event.pos()
        );
    } else if (drag_ == Drag::Span && (event.pos() - pressed_).manhattanLength() >= 4) {
        const Frames a = lanes_.snapped(lanes_.timeAt(pressed_.x()), event.modifiers());
        const Frames b = lanes_.snapped(lanes_.timeAt(event.position().x()), event.modifiers());
        hands_.setTracks(tracksBetween(pressed_, event.pos()));
        if (a != b) {
            session_.choice.setRange(TimeRange{std::min(a, b), std::max(a, b)});
        }
        const Song& song = session_.song();
        lanes_.setReadout(
            tr("%1, %2 to %3")
                .arg(
                    hands_.tracksName(),
                    placeText(song, std::min(a, b)).place,
                    placeText(song, std::max(a, b)).place
                ),
            event.pos()
        );
    }
    lanes_.update();
}

void ShapeStage::release(QMouseEvent& event)
{
    lineGrips_.release();
    speedGrips_.release();
    spinGrips_.release();
    hushGrips_.release();
    const Drag was = std::exchange(drag_, Drag::None);
    if (was == Drag::End) {
        hands_.setEnd(end_);
    } else if (was == Drag::Span && (event.pos() - pressed_).manhattanLength() < 4) {
        hands_.setTracks({});
        session_.choice.setRange(std::nullopt);
        session_.choice.setClips({});
        session_.player.seek(std::max(
            Frames(0), lanes_.snapped(lanes_.timeAt(event.position().x()), event.modifiers())
        ));
    }
    lanes_.update();
}

std::pair<QString, Qt::CursorShape> ShapeStage::hintAt(const Lane& lane, QPoint place) const
{
    if (auto hint = speed_.drawsSpeed() ? speedGrips_.hintAt(lane, place)
                                        : std::pair(QString(), Qt::ArrowCursor);
        !hint.first.isEmpty()) {
        return hint;
    }
    if (auto hint = lineGrips_.hintAt(lane.track, lane.area, place); !hint.first.isEmpty()) {
        return hint;
    }
    if (auto hint = spinGrips_.hintAt(lane, place); !hint.first.isEmpty()) {
        return hint;
    }
    if (auto hint = hushGrips_.hintAt(lane, place); !hint.first.isEmpty()) {
        return hint;
    }
    return {
        tr("Drag over bars and lanes to select. Shift-drag: draw level. Alt: steps."),
        Qt::ArrowCursor};
}

// ---- keys

bool ShapeStage::run(Command command)
{
    switch (command) {
    case Command::HushBars: hands_.switchHush(); return true;
    case Command::HushOthers: hands_.switchHushOthers(); return true;
    case Command::FadeSongOut: bench_->fade(true); return true;
    case Command::FadeSongIn: bench_->fade(false); return true;
    default: break;
    }
    if (!isLookedAt() || !session_.choice.clips().empty()) {
        return false;
    }
    switch (command) {
    case Command::CopyClips:
    case Command::CutClips:
        hands_.copy();
        if (command == Command::CutClips) {
            remove();
        }
        return true;
    case Command::PasteClips: hands_.paste(); return true;
    case Command::DuplicateClips:
        if (const auto placed = hands_.hush()) {
            hands_.copyHush(placed->hush.id, (placed->hush.to - placed->hush.from).count(), 0);
        }
        return true;
    default: return false;
    }
}

QString ShapeStage::mainActionName() const
{
    return session_.choice.range() ? tr("Hush selected bars of %1").arg(hands_.tracksName())
                                   : tr("Hush selected bars");
}

// The points of the line that is looked at, then those of all lines.
void ShapeStage::selectAll()
{
    const Song& song = session_.song();
    const std::vector one{session_.choice.track()};
    LinePoints points = pointsWithin(song, one, Frames(0), song.length());
    if (points.empty() || points == hands_.points()) {
        std::vector<TrackId> tracks;
        for (const auto& track : song.tracks) {
            tracks.push_back(track->id);
        }
        points = pointsWithin(song, tracks, Frames(0), song.length());
    }
    hands_.choosePoints(std::move(points));
}

bool ShapeStage::canRemove() const
{
    return speed_.speedPoint() || hands_.hush() || hands_.point() ||
           session_.choice.range().has_value();
}

void ShapeStage::remove()
{
    if (speed_.speedPoint()) {
        speed_.removeSpeedPoint();
    } else if (hands_.hush()) {
        hands_.removeHush();
    } else if (hands_.point()) {
        hands_.removePoint();
    } else if (session_.choice.range()) {
        hands_.clearRange();
    }
}

void ShapeStage::nudge(Seconds by)
{
    const Song& song = session_.song();
    if (const auto placed = hands_.hush()) {
        const auto later = [&](HeldPlace place) {
            const Keeps keeps = placed->hush.keeps;
            return placeOf(timeOf(place, keeps, song.tempo) + by, keeps, song.tempo);
        };
        hands_.changeHush(
            {.from = later(placed->hush.from), .to = later(placed->hush.to)}, tr("Move hush")
        );
        return;
    }
    if (hands_.areSeveral()) {
        hands_.changePoints(
            movePoints(song, hands_.points(), toFrames(by, song.rate), 0.0), tr("Move %1")
        );
        return;
    }
    const Keeps keeps = hands_.line().keeps;
    hands_.changePoint(
        [&](LevelPoint& point) {
            point.at = placeOf(timeOf(point.at, keeps, song.tempo) + by, keeps, song.tempo);
        },
        tr("Move point on line of %1")
    );
}

}  // namespace orthochron::app
