#include "app/stages/shape/HushGrips.h"

#include <QMouseEvent>
#include <QPainter>

#include "app/views/ShapePainter.h"

#include <algorithm>

namespace orthochron::app {

namespace {

constexpr double kNearEnd = 6.0;   // px
constexpr double kNearMark = 7.0;  // px
constexpr Seconds kBeforeMark = milliseconds(4.0);

}  // namespace

HushGrips::HushGrips(Session& session, LanesView& lanes, ShapeHands& hands)
    : session_(session), lanes_(lanes), hands_(hands)
{}

HushGrips::Found HushGrips::find(const Lane& lane, QPoint place) const
{
    const Song& song = session_.song();
    const auto track = song.track(lane.track);
    Found found;
    for (const Hush& hush : track->hushes) {
        const FrameSpan span = spanOf(hush, song.tempo, song.rate);
        const double left = lanes_.xOf(span.from);
        const double right = lanes_.xOf(span.to);
        if (place.x() < left - kNearEnd || place.x() > right + kNearEnd) {
            continue;
        }
        const bool isWide = right - left > 4.0 * kNearEnd;
        if (std::abs(place.x() - left) <= kNearEnd && (isWide || place.x() < left)) {
            found = {Grip::Begin, hush.id};
        } else if (std::abs(place.x() - right) <= kNearEnd && (isWide || place.x() > right)) {
            found = {Grip::End, hush.id};
        } else if (place.x() >= left && place.x() <= right) {
            return {Grip::Body, hush.id};
        }
    }
    return found;
}

Hush HushGrips::dragged(const Hush& hush) const
{
    const Song& song = session_.song();
    Hush moved = hush;
    moved.from = placeOf(toSeconds(moved_.from, song.rate), hush.keeps, song.tempo);
    moved.to = placeOf(toSeconds(moved_.to, song.rate), hush.keeps, song.tempo);
    return moved;
}

int HushGrips::lanesDown() const
{
    const auto& tracks = session_.song().tracks;
    const auto placeOfTrack = [&](TrackId id) {
        return std::ranges::find_if(tracks, [id](const auto& t) { return t->id == id; }) -
               tracks.begin();
    };
    return static_cast<int>(placeOfTrack(overTrack_) - placeOfTrack(pressedTrack_));
}

void HushGrips::paintLane(QPainter& painter, const Lane& lane) const
{
    const ShapePainter shapes(lanes_, session_);
    const auto track = session_.song().track(lane.track);
    const auto chosen = hands_.hush();
    for (const Hush& hush : track->hushes) {
        const bool isDragged = isHeld() && isMoved_ && grip_ != Grip::Copy && hush.id == hush_;
        const bool isChosen = chosen && chosen->hush.id == hush.id;
        shapes.paintHush(
            painter,
            lane.area,
            isDragged ? dragged(hush) : hush,
            ShapePainter::Ink::Full,
            isChosen,
            true
        );
    }
    if (grip_ != Grip::Copy || !isMoved_) {
        return;
    }
    // The copy, on the lanes it would lie on.
    const auto copied = hushOf(session_.song(), hush_);
    const auto& tracks = session_.song().tracks;
    for (std::size_t t = 0; copied && t < tracks.size(); ++t) {
        const auto from = static_cast<std::ptrdiff_t>(t) - lanesDown();
        if (tracks[t]->id == lane.track && from >= 0 && from < std::ssize(tracks) &&
            std::ranges::find(copied->tracks, tracks[static_cast<std::size_t>(from)]->id) !=
                copied->tracks.end()) {
            shapes.paintHush(
                painter, lane.area, dragged(copied->hush), ShapePainter::Ink::Full, true, true
            );
        }
    }
}

bool HushGrips::press(const Lane& lane, QMouseEvent& event)
{
    const Found found = find(lane, event.pos());
    if (found.grip == Grip::None) {
        return false;
    }
    const bool copies = found.grip == Grip::Body && (event.modifiers() & Qt::ControlModifier) != 0;
    grip_ = copies ? Grip::Copy : found.grip;
    hush_ = found.hush;
    pressedTrack_ = overTrack_ = lane.track;
    pressedTime_ = lanes_.timeAt(event.position().x());
    const Song& song = session_.song();
    span_ = moved_ = spanOf(hushOf(song, hush_)->hush, song.tempo, song.rate);
    isMoved_ = false;
    hands_.chooseHush(hush_);
    return true;
}

Frames HushGrips::caught(Frames songTime, Qt::KeyboardModifiers held) const
{
    if ((held & Qt::ControlModifier) != 0) {
        return songTime;
    }
    // A little before a mark, so that its attack is whole.
    const Song& song = session_.song();
    const auto track = song.track(pressedTrack_);
    for (const HeardMark& mark : marksHeard(*track, track->clips)) {
        const Frames before = mark.at - toFrames(kBeforeMark, song.rate);
        if (std::abs(lanes_.xOf(before) - lanes_.xOf(songTime)) <= kNearMark) {
            return before;
        }
    }
    return lanes_.snapped(songTime, held);
}

void HushGrips::move(QMouseEvent& event)
{
    const Song& song = session_.song();
    const Frames by = lanes_.timeAt(event.position().x()) - pressedTime_;
    const Lane* over = lanes_.laneAt(event.pos());
    if (over != nullptr) {
        overTrack_ = over->track;
    }
    isMoved_ = true;
    // Ctrl was pressed to copy: it does not mean free then.
    const auto held = grip_ == Grip::Copy ? Qt::KeyboardModifiers() : event.modifiers();
    const Frames least = toFrames(milliseconds(1.0), song.rate);
    switch (grip_) {
    case Grip::Begin:
        moved_.from = std::min(caught(span_.from + by, held), span_.to - least);
        break;
    case Grip::End: moved_.to = std::max(caught(span_.to + by, held), span_.from + least); break;
    case Grip::Body:
    case Grip::Copy:
        moved_.from = lanes_.snapped(span_.from + by, held);
        moved_.to = moved_.from + (span_.to - span_.from);
        break;
    case Grip::None: return;
    }
    lanes_.setReadout(
        tr("%1 to %2").arg(placeText(song, moved_.from).place, placeText(song, moved_.to).place),
        event.pos()
    );
}

void HushGrips::release()
{
    const Grip was = std::exchange(grip_, Grip::None);
    const auto placed = hushOf(session_.song(), hush_);
    if (was == Grip::None || !isMoved_ || !placed) {
        return;
    }
    const Hush to = dragged(placed->hush);
    if (was == Grip::Copy) {
        hands_.copyHush(hush_, (to.from - placed->hush.from).count(), lanesDown());
        return;
    }
    if (moved_ == span_) {
        return;
    }
    hands_.changeHush(
        {.from = to.from, .to = to.to}, was == Grip::Body ? tr("Move hush") : tr("Trim hush")
    );
}

std::pair<QString, Qt::CursorShape> HushGrips::hintAt(const Lane& lane, QPoint place) const
{
    switch (find(lane, place).grip) {
    case Grip::Begin:
    case Grip::End:
        return {
            tr("Drag to change the hush's length; it snaps to grid and marks."), Qt::SizeHorCursor};
    case Grip::Body: return {tr("Drag to move the hush. Ctrl: copy."), Qt::SizeAllCursor};
    default: return {QString(), Qt::ArrowCursor};
    }
}

}  // namespace orthochron::app
