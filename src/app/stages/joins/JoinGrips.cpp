#include "app/stages/joins/JoinGrips.h"

#include <QMouseEvent>
#include <QPainter>

#include "app/theme/Theme.h"

namespace orthochron::app {

JoinGrips::JoinGrips(Session& session, LanesView& lanes, QObject* parent)
    : QObject(parent), session_(session), lanes_(lanes)
{}

const SetJoin* JoinGrips::chosen() const
{
    return session_.review.join() < session_.review.joins().size()
               ? &session_.review.joins()[session_.review.join()]
               : nullptr;
}

// How far the chosen join can be pulled, and which clip's spare ends there.
void JoinGrips::paintRoom(QPainter& painter, const Lane& lane) const
{
    const MicSet* set = session_.choice.set();
    const SetJoin* join = chosen();
    if (set == nullptr || join == nullptr || !lane.isFirstOfSet ||
        session_.shown.scale().framesPerPixel > 100.0) {
        return;
    }
    const auto room = roomOf(session_.song(), set->id, join->id);
    if (!room) {
        return;
    }
    const Palette& colours = Theme::palette();
    const double left = lanes_.xOf(room->from);
    const double right = lanes_.xOf(room->to);
    const double y = lane.area.top() + 4.0;
    painter.setPen(QPen(colours.secondInk, 1.0));
    painter.drawLine(QPointF(left, y), QPointF(right, y));
    painter.drawLine(QPointF(left, y), QPointF(left, y + 6));
    painter.drawLine(QPointF(right, y), QPointF(right, y + 6));
    painter.setFont(Theme::label(8));
    if (room->spareEndsLeft) {
        painter.drawText(QPointF(left + 3, y + 11), tr("start of later clip"));
    }
    if (room->spareEndsRight) {
        painter.drawText(QPointF(right - 110, y + 11), tr("end of earlier clip"));
    }
}

void JoinGrips::paintLane(QPainter& painter, const Lane& lane) const
{
    const MicSet* set = session_.choice.set();
    if (set == nullptr || lane.set != set->id) {
        return;
    }
    const Palette& colours = Theme::palette();
    paintRoom(painter, lane);
    const double top = lane.area.top() + 3.0;
    const double bottom = lane.area.bottom() - 3.0;
    double lastX = -100.0;
    for (std::size_t i = 0; i < session_.review.joins().size(); ++i) {
        const SetJoin& join = session_.review.joins()[i];
        const bool isChosen = i == session_.review.join();
        Frames at = join.at;
        Frames length = join.length;
        if (isChosen && grip_ != Grip::None) {
            at = dragged_.at.value_or(at);
            length = dragged_.length.value_or(length);
        }
        const double left = lanes_.xOf(at);
        const double right = std::max(lanes_.xOf(at + length), left + 5.0);
        if (right < lane.area.left() || left > lane.area.right()) {
            continue;
        }
        const bool isTroubled = session_.review.worstOf(i) != nullptr;
        // From afar only what needs a look is drawn each time; the rest not closer than 12 px.
        if (!isTroubled && !isChosen && left - lastX < 12.0) {
            continue;
        }
        lastX = left;
        if (isChosen) {
            QColor straw = colours.straw;
            straw.setAlpha(170);
            painter.fillRect(
                QRectF(left - 2, lane.area.top(), right - left + 4, lane.area.height()), straw
            );
        }
        painter.setPen(QPen(
            isTroubled ? colours.finding
            : isChosen ? colours.ink
                       : colours.secondInk,
            isTroubled || isChosen ? 1.6 : 1.0
        ));
        painter.drawLine(QPointF(left, top), QPointF(right, bottom));
        painter.drawLine(QPointF(left, bottom), QPointF(right, top));
        if (join.isLocked) {
            painter.drawLine(QPointF(left, bottom), QPointF(right, bottom));
        }
    }
}

std::pair<std::size_t, JoinGrips::Grip> JoinGrips::gripAt(double x) const
{
    for (std::size_t i = 0; i < session_.review.joins().size(); ++i) {
        const SetJoin& join = session_.review.joins()[i];
        const double left = lanes_.xOf(join.at);
        const double right = std::max(lanes_.xOf(join.at + join.length), left + 5.0);
        if (x < left - 5.0 || x > right + 5.0) {
            continue;
        }
        // Edges can be taken only where the zone is wide enough to tell them from its middle.
        if (right - left > 24.0) {
            if (x < left + 6.0) {
                return {i, Grip::Start};
            }
            if (x > right - 6.0) {
                return {i, Grip::End};
            }
        }
        return {i, Grip::Whole};
    }
    return {0, Grip::None};
}

bool JoinGrips::press(QMouseEvent& event)
{
    const auto [join, grip] = gripAt(event.position().x());
    if (grip == Grip::None) {
        return false;
    }
    session_.review.setJoin(join);
    grip_ = grip;
    dragged_ = {};
    pressedTime_ = lanes_.timeAt(event.position().x());
    return true;
}

void JoinGrips::move(QMouseEvent& event)
{
    const SetJoin* join = chosen();
    if (join == nullptr) {
        return;
    }
    const Frames by = lanes_.timeAt(event.position().x()) - pressedTime_;
    const Frames least(2);
    switch (grip_) {
    case Grip::Whole: dragged_.at = join->at + by; break;
    case Grip::Start:
        dragged_.at = std::min(join->at + by, join->at + join->length - least);
        dragged_.length = join->at + join->length - *dragged_.at;
        break;
    case Grip::End:
        dragged_.at = join->at;
        dragged_.length = std::max(least, join->length + by);
        break;
    case Grip::None: return;
    }
    const Hertz rate = session_.song().rate;
    lanes_.setReadout(
        tr("%1 ms long, moved %2 ms")
            .arg(inMilliseconds(toSeconds(dragged_.length.value_or(join->length), rate)), 0, 'f', 1)
            .arg(
                inMilliseconds(toSeconds(dragged_.at.value_or(join->at) - join->at, rate)),
                0,
                'f',
                1
            ),
        event.pos()
    );
}

void JoinGrips::release()
{
    const JoinChange own = std::exchange(dragged_, {});
    const Grip was = std::exchange(grip_, Grip::None);
    const SetJoin* join = chosen();
    if (was == Grip::None || join == nullptr || (!own.at && !own.length)) {
        return;
    }
    // Others follow by as much as this one was dragged.
    JoinChange along;
    if (was != Grip::Whole) {
        along.lengthBy = own.length.value_or(join->length) - join->length;
    }
    if (was == Grip::Whole || was == Grip::End) {
        along.atBy = was == Grip::Whole ? *own.at - join->at : *along.lengthBy;
    }
    Q_EMIT dragged(own, along, was == Grip::Whole ? tr("Move join") : tr("Crossfade length"));
}

std::pair<QString, Qt::CursorShape> JoinGrips::hintAt(QPoint place) const
{
    switch (gripAt(place.x()).second) {
    case Grip::Whole:
        return {
            tr("Click to select the join; drag to move it on all microphones."), Qt::SizeAllCursor};
    case Grip::Start:
    case Grip::End: return {tr("Drag to change the crossfade length."), Qt::SizeHorCursor};
    case Grip::None: break;
    }
    return {};
}

}  // namespace orthochron::app
