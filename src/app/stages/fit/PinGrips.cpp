#include "app/stages/fit/PinGrips.h"

#include <QMouseEvent>
#include <QPainter>

#include "app/theme/Theme.h"
#include "app/views/Spring.h"
#include "core/edits/StretchEdits.h"

#include <cmath>

namespace orthochron::app {

namespace {

constexpr double kReach = 6.0;     // px
constexpr double kHead = 4.2;      // px
constexpr int kFoot = 22;          // px of a lane's lower edge where pins are taken hold of
constexpr double kCatch = 5.0;     // px to a grid line
constexpr double kFarOff = 120.0;  // frames a pixel: from there on pins would be a thicket

}  // namespace

PinGrips::PinGrips(Session& session, LanesView& lanes) : session_(session), lanes_(lanes) {}

Frames PinGrips::heardAt(std::size_t hit) const
{
    return session_.review.heardAt(session_.fitting.preview().performance.hits[hit].played.beatPoint
    );
}

void PinGrips::paintLane(QPainter& painter, const Lane& lane) const
{
    const auto& preview = session_.fitting.preview();
    const auto found = std::ranges::find(preview.origin.leads, lane.track);
    if (found == preview.origin.leads.end()) {
        return;
    }
    const auto track = session_.song().track(lane.track);
    const bool isMade = std::ranges::any_of(track->clips, [](const Clip& clip) {
        return clip.sound.treatment != nullptr;
    });
    if (!isMade) {
        // What stretching would ask of the sound.
        paintSpring(
            painter,
            lane.area,
            session_.fitting.strain(),
            strainLimits(session_.fitting.request.way.material),
            [this](Frames at) { return lanes_.xOf(at); },
            false
        );
    }
    if (session_.shown.scale().framesPerPixel > kFarOff * 4.0) {
        return;
    }
    const Palette& colours = Theme::palette();
    const auto lead = static_cast<int>(found - preview.origin.leads.begin());
    for (std::size_t i = 0; i < preview.performance.hits.size(); ++i) {
        const JudgedHit& hit = preview.performance.hits[i];
        const auto moved = std::ranges::find(moves_, i, &HitMove::hit);
        const double x =
            lanes_.xOf(moved != moves_.end() && moved->target ? *moved->target : heardAt(i));
        if (hit.played.lead != lead || x < lane.area.left() || x > lane.area.right()) {
            continue;
        }
        const bool isMain = hit.role == HitRole::Main;
        const auto mark =
            std::ranges::find(track->marks, preview.origin.origins[i].mark, &Mark::id);
        const bool isByHand = mark != track->marks.end() && mark->wanted.has_value();
        painter.setPen(QPen(isByHand ? colours.finding : colours.ink, 1.4));
        painter.setBrush(
            isMain ? QBrush(isByHand ? colours.finding : colours.ink) : QBrush(colours.lane)
        );
        const double size =
            mark != track->marks.end() && mark->id == touched_ ? kHead + 1.6 : kHead;
        painter.drawEllipse(
            QPointF(x, lane.area.bottom() - 6.0), isMain ? size : 3.0, isMain ? size : 3.0
        );
    }
}

std::optional<std::size_t> PinGrips::hitAt(const Lane& lane, QPoint place) const
{
    const auto& preview = session_.fitting.preview();
    std::optional<std::size_t> nearest;
    double least = kReach;
    if (place.y() < lane.area.bottom() - kFoot) {
        return std::nullopt;
    }
    for (std::size_t i = 0; i < preview.performance.hits.size(); ++i) {
        const JudgedHit& hit = preview.performance.hits[i];
        const auto lead = static_cast<std::size_t>(hit.played.lead);
        if (preview.origin.leads[lead] != lane.track) {
            continue;
        }
        const double away = std::abs(lanes_.xOf(heardAt(i)) - place.x());
        if (away <= least) {
            least = away;
            nearest = i;
        }
    }
    return nearest;
}

std::pair<QString, Qt::CursorShape> PinGrips::hintAt(const Lane& lane, QPoint place) const
{
    const auto hit = hitAt(lane, place);
    if (!hit) {
        return {};
    }
    if (session_.fitting.preview().performance.hits[*hit].role != HitRole::Main) {
        return {tr("Attached to its main hit; drag the main hit instead."), Qt::ArrowCursor};
    }
    return {
        tr("Drag to move. Shift: free neighbours. Ctrl: spread over range. Alt: no snap. "
           "Double-click: reset."),
        Qt::SizeHorCursor};
}

bool PinGrips::press(const Lane& lane, QMouseEvent& event)
{
    held_.reset();
    const auto hit = hitAt(lane, event.pos());
    const auto& preview = session_.fitting.preview();
    if (!hit || preview.performance.hits[*hit].role != HitRole::Main) {
        return false;
    }
    held_ = hit;
    target_ = heardAt(*hit);
    grabbedAt_ = event.position().x() - lanes_.xOf(target_);
    isMoved_ = false;
    touched_ = preview.origin.origins[*hit].mark;
    lanes_.update();
    return true;
}

void PinGrips::move(QMouseEvent& event)
{
    const auto& preview = session_.fitting.preview();
    if (!held_ || *held_ >= preview.performance.hits.size()) {
        return;
    }
    const Hertz rate = session_.song().rate;
    const JudgedHit& hit = preview.performance.hits[*held_];
    target_ = lanes_.timeAt(event.position().x() - grabbedAt_);
    const Grid grid(session_.song().tempo, session_.fitting.request.grid);
    const GridLine line = grid.nearest(toSeconds(target_, rate));
    const Frames lineAt = toFrames(line.time, rate);
    if (!event.modifiers().testFlag(Qt::AltModifier) &&
        std::abs(lanes_.xOf(lineAt) - lanes_.xOf(target_)) < kCatch) {
        target_ = lineAt;
    }
    isMoved_ = isMoved_ || target_ != heardAt(*held_);
    moves_ = movesTo(target_, event.modifiers());
    const auto off = [&](Frames at) { return inMilliseconds(toSeconds(at, rate) - hit.line.time); };
    lanes_.setReadout(
        tr("%1  %2 → %3 ms, %4")
            .arg(placeText(session_.song(), target_).place)
            .arg(off(heardAt(*held_)), 0, 'f', 1)
            .arg(off(target_), 0, 'f', 1)
            .arg(
                moves_.size() == 1 ? tr("neighbours pinned")
                                   : tr("%1 hits moved together").arg(moves_.size())
            ),
        event.pos()
    );
    lanes_.update();
}

void PinGrips::release()
{
    const auto held = std::exchange(held_, std::nullopt);
    const auto moves = std::exchange(moves_, {});
    if (held && isMoved_) {
        put(moves);
    }
    lanes_.update();
}

bool PinGrips::doubleClick(const Lane& lane, QMouseEvent& event)
{
    const auto hit = hitAt(lane, event.pos());
    if (hit) {
        held_.reset();
        moves_.clear();
        put({{*hit, std::nullopt}});
    }
    return hit.has_value();
}

std::optional<std::size_t> PinGrips::touched() const
{
    const auto& origins = session_.fitting.preview().origin.origins;
    const auto found = std::ranges::find(origins, touched_, &HitOrigin::mark);
    return found == origins.end() ? std::nullopt
                                  : std::optional<std::size_t>(found - origins.begin());
}

void PinGrips::nudge(Seconds by)
{
    if (const auto hit = touched()) {
        put({{*hit, heardAt(*hit) + toFrames(by, session_.song().rate)}});
    }
}

void PinGrips::remove()
{
    if (const auto hit = touched()) {
        put({{*hit, std::nullopt}});
    }
}

std::vector<HitMove> PinGrips::movesTo(Frames target, Qt::KeyboardModifiers held) const
{
    const Song& song = session_.song();
    const MicSet* set = session_.choice.set();
    const auto& preview = session_.fitting.preview();
    const Frames was = heardAt(*held_);
    const auto& range = session_.choice.range();
    if (set == nullptr || (!range && !held.testFlag(Qt::ShiftModifier))) {
        return {{*held_, target}};
    }
    if (held.testFlag(Qt::ShiftModifier)) {
        return movedFreely(song, set->id, preview, *held_, target);
    }
    const Span within{range->from, range->to};
    if (was < within.from || was >= within.to) {
        return {{*held_, target}};
    }
    if (!held.testFlag(Qt::ControlModifier)) {
        return movedAlong(song, set->id, preview, within, target - was);
    }
    // About the end that is farther away.
    const Frames about = was - within.from > within.to - was ? within.from : within.to;
    const double ratio = (target - about) / (was - about);
    return drawnOutWithin(song, set->id, preview, within, about, ratio);
}

void PinGrips::put(const std::vector<HitMove>& moves)
{
    const MicSet* set = session_.choice.set();
    if (set == nullptr || moves.empty()) {
        return;
    }
    session_.document.apply(
        moveHitsByStretching(
            session_.song(),
            set->id,
            session_.fitting.preview(),
            moves,
            session_.fitting.request.way.material,
            *session_.document.sources()
        ),
        !moves.front().target ? tr("Reset pin")
        : moves.size() == 1   ? tr("Stretch hit")
                              : tr("Stretch %1 hits").arg(moves.size())
    );
}

}  // namespace orthochron::app
