#include "app/stages/shape/SpinGrips.h"

#include <QMouseEvent>
#include <QPainter>

#include "app/controls/Counted.h"
#include "app/theme/Theme.h"
#include "app/views/ShapePainter.h"

#include <algorithm>

namespace orthochron::app {

namespace {

constexpr double kNear = 7.0;          // px
constexpr double kWideForEnds = 40.0;  // px a clip has at least whose ends can be taken

}  // namespace

SpinGrips::SpinGrips(Session& session, LanesView& lanes, SpeedHands& hands)
    : session_(session), lanes_(lanes), hands_(hands)
{}

SpinGrips::Found SpinGrips::find(const Lane& lane, QPoint place) const
{
    if (place.y() > lane.area.top() + lane.area.height() / 3) {
        return {};
    }
    const auto track = session_.song().track(lane.track);
    for (const Clip& clip : track->clips) {
        if (lanes_.xOf(clip.end()) - lanes_.xOf(clip.at) < kWideForEnds) {
            continue;
        }
        const Spins spins = spinsOf(clip);
        const Frames down = clip.end() - (spins.down ? spins.down->length : Frames(0));
        const Frames up = clip.at + (spins.up ? spins.up->length : Frames(0));
        if (std::abs(lanes_.xOf(down) - place.x()) <= kNear) {
            return {clip.id, true};
        }
        if (std::abs(lanes_.xOf(up) - place.x()) <= kNear) {
            return {clip.id, false};
        }
    }
    return {};
}

void SpinGrips::paintLane(QPainter& painter, const Lane& lane) const
{
    const auto track = session_.song().track(lane.track);
    const ShapePainter shapes(lanes_, session_);
    const Frames from = lanes_.timeAt(lane.area.left());
    const Frames to = lanes_.timeAt(lane.area.right());
    for (const Clip& clip : track->clips) {
        if (clip.end() < from || clip.at > to) {
            continue;
        }
        shapes.paintFades(painter, lane.area, clip, ShapePainter::Ink::Faint, Frames(0), Frames(0));
        if (clip.sound.treatment && !clip.sound.treatment->speed.isEmpty()) {
            shapes.paintSpins(painter, lane.area, clip, ShapePainter::Ink::Full);
        }
        if (isHeld() && isMoved_ && clip.id == clip_) {
            const Frames begin = isDown_ ? clip.end() - length_ : clip.at;
            QColor straw = Theme::palette().straw;
            straw.setAlpha(140);
            painter.fillRect(
                QRectF(
                    lanes_.xOf(begin),
                    lane.area.top(),
                    lanes_.xOf(begin + length_) - lanes_.xOf(begin),
                    lane.area.height()
                ),
                straw
            );
        }
    }
}

bool SpinGrips::press(const Lane& lane, QMouseEvent& event)
{
    const Found found = find(lane, event.pos());
    if (!found.clip.isValid()) {
        return false;
    }
    clip_ = found.clip;
    isDown_ = found.isDown;
    track_ = lane.track;
    isMoved_ = false;
    // Several clips chosen are spun alike.
    const auto& chosen = session_.choice.clips();
    if (std::ranges::find(chosen, clip_) == chosen.end()) {
        session_.choice.setTrack(track_);
        session_.choice.setClips(withTheirSet(session_.song(), {clip_}));
    }
    return true;
}

Frames SpinGrips::lengthAt(double x) const
{
    const auto placed = clipOf(session_.song(), clip_);
    if (!placed) {
        return Frames(0);
    }
    const Clip& clip = placed->clip;
    const Frames at = lanes_.snapped(lanes_.timeAt(x), {});
    const Frames length = isDown_ ? clip.end() - at : at - clip.at;
    return std::clamp(length, Frames(0), clip.length);
}

void SpinGrips::move(QMouseEvent& event)
{
    isMoved_ = true;
    length_ = lengthAt(event.position().x());
    const Song& song = session_.song();
    lanes_.setReadout(
        (isDown_ ? tr("spin-down, %1") : tr("spin-up, %1"))
            .arg(durationText(toSeconds(length_, song.rate))),
        event.pos()
    );
}

void SpinGrips::release()
{
    const ClipId clip = std::exchange(clip_, ClipId());
    const auto placed = clipOf(session_.song(), clip);
    if (!isMoved_ || !placed) {
        return;
    }
    const Spins spins = spinsOf(placed->clip);
    const auto& present = isDown_ ? spins.down : spins.up;
    if (length_ <= Frames(1)) {
        if (present) {
            hands_.spin(isDown_, std::nullopt);
        }
        return;
    }
    Spin spin = present.value_or(Spin());
    spin.length = length_;
    hands_.spin(isDown_, spin);
}

std::pair<QString, Qt::CursorShape> SpinGrips::hintAt(const Lane& lane, QPoint place) const
{
    const Found found = find(lane, place);
    if (!found.clip.isValid()) {
        return {QString(), Qt::ArrowCursor};
    }
    return {
        found.isDown ? tr("Drag inwards for a spin-down: the clip slows to a standstill.")
                     : tr("Drag inwards for a spin-up: the clip starts from a standstill."),
        Qt::SizeHorCursor};
}

}  // namespace orthochron::app
